package bind

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// quiet is what is done at a joint where nothing is: the head goes over to where
// the next piece begins.
var quiet = json.RawMessage(`[{"do":"retract","mm":1,"speed":35},{"do":"lift","mm":2},` +
	`{"do":"return"},{"do":"restore"}]`)

// nowhere puts the machine right and leaves the head where it is.
var nowhere = json.RawMessage(`[{"do":"return"},{"do":"restore"}]`)

// ErrPieces is the cause when pieces cannot follow one another.
var ErrPieces = errors.New("these pieces cannot be bound")

// Make joins pieces. There is one joint fewer than pieces. The plan says what
// printer it is for, and has the filaments and routines that joints name; its
// ears play no part.
func Make(ctx context.Context, pieces []Piece, joints []Joint, p *plan.Plan) (*Bound, error) {
	if len(pieces) < 2 {
		return nil, fmt.Errorf("%w: it takes two or more", ErrPieces)
	}
	if len(joints) != len(pieces)-1 {
		return nil, fmt.Errorf("%w: %d pieces have %d joints, not %d", ErrPieces, len(pieces),
			len(pieces)-1, len(joints))
	}
	if p.Printer == nil {
		p.Printer = plan.Generic()
	}
	fitted := *p
	var all []*layer.Index
	for i := range pieces {
		all = append(all, pieces[i].Ix)
	}
	fitted.Printer = apply.Fitted(p.Printer, all...)
	p = &fitted
	b := &Bound{Pieces: append([]Piece(nil), pieces...)}
	for i := range b.Pieces {
		if err := b.Pieces[i].check(i == 0); err != nil {
			return nil, err
		}
		b.Src = after(b.Src, b.Pieces[i].Src)
	}
	for i := range joints {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		l, err := Compare(&b.Pieces[i], &b.Pieces[i+1])
		if err != nil {
			return nil, err
		}
		if l.Level != "" {
			b.Findings = append(b.Findings, finding.Finding{Level: l.Level, Code: "other-model",
				Line: b.Pieces[i+1].Ix.Layers[0].First, Message: l.Reason})
		}
		if err := b.joint(i, &joints[i], p); err != nil {
			return nil, err
		}
	}
	if err := b.tail(p); err != nil {
		return nil, err
	}
	edit.Sort(b.Edits)
	b.count()
	return b, nil
}

// check says whether a piece is one, and fills in its last layer.
func (p *Piece) check(first bool) error {
	n := len(p.Ix.Layers)
	if p.To == 0 {
		p.To = n
	}
	switch {
	case p.Ix.Kind == layer.Vase:
		return fmt.Errorf("%w: %s is one rising spiral, which has no layers to join at", ErrPieces,
			p.Name)
	case p.Ix.Kind == layer.Sequential:
		return fmt.Errorf("%w: %s prints its objects one after another; slice them all at once",
			ErrPieces, p.Name)
	case p.From < 1 || p.From > n:
		return fmt.Errorf("%w: %s has layers 1 to %d, and no layer %d", ErrPieces, p.Name, n, p.From)
	case p.To > n:
		return fmt.Errorf("%w: %s has layers 1 to %d, and no layer %d", ErrPieces, p.Name, n, p.To)
	case p.From > p.To:
		return fmt.Errorf("%w: %s from layer %d to %d is nothing", ErrPieces, p.Name, p.From, p.To)
	case first && p.From != 1:
		return fmt.Errorf("%w: the first piece must begin with layer 1, on the bed; %s begins with "+
			"layer %d", ErrPieces, p.Name, p.From)
	case !first && p.From == 1:
		return fmt.Errorf("%w: %s begins with layer 1, which belongs on the bed; a later piece begins "+
			"higher up", ErrPieces, p.Name)
	}
	return nil
}

// maxAir is the area that may come to lie over nothing at a joint without a
// word, mm².
const maxAir = 2.0

// joint joins piece i and the next.
func (b *Bound) joint(i int, j *Joint, p *plan.Plan) error {
	below, above := &b.Pieces[i], &b.Pieces[i+1]
	one, err := below.end()
	if err != nil {
		return err
	}
	e := plan.Ear{ID: "next", BeforeLayer: above.From}
	other, err := apply.Locate(above.Src, above.Ix, &e)
	if err != nil {
		return err
	}
	m := Made{Below: i, Above: i + 1, Z: below.Ix.Layers[below.To-1].Z, At: one.At, Goal: other.At,
		Offset: b.base(i) + one.Offset,
		End:    b.base(i+1) + other.Offset, Line: other.Line, DZ: gcode.FromMM(j.DZ)}
	e = j.Ear
	e.ID = fmt.Sprint(i + 1)
	what := "goes on with"
	switch {
	case e.Kind == "":
		e.Kind, e.Routine = plan.Own, quiet
	case e.Kind == plan.Nozzle:
		what = "nozzle swap, then"
	case e.Kind == plan.Colour:
		what = "filament change, then"
	}
	f := one
	f.Layer = below.To + 1
	f.Next, f.HasNext = other.Next, other.HasNext
	f.Goal = &m.Goal
	f.Joint = &routine.Joint{Title: fmt.Sprintf("%s %s from layer %d", what, above.Name,
		above.From), DZ: gcode.FromMM(j.DZ)}
	f.Before = p.First
	style := routine.Style{Lower: below.Ix.Lower}
	if m.Lines, m.Findings, err = routine.Compile(f, union(below.Ix.Box, above.Ix.Box), p, &e,
		style); err != nil {
		return &plan.Error{Ear: "joint " + e.ID, Err: err}
	}
	if m.Findings == nil {
		m.Findings = []finding.Finding{}
	}
	for k := range m.Findings {
		m.Findings[k].Line = above.Ix.Layers[above.From-1].Fold
	}
	if err := m.check(below, above, j, e.Kind == plan.Nozzle, one.At.Tool, other.At.Tool); err != nil {
		return err
	}
	b.Findings = append(b.Findings, m.Findings...)
	if above.Ix.Numbered {
		sc := routine.NewScript(other.At, style)
		if err := sc.Recount(above.Src, other.Offset); err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		m.Lines = append(m.Lines, sc.Lines()...)
	}
	if j.Ear.HeadsUp != nil {
		if err := b.herald(i, &m, &f, &e, p); err != nil {
			return err
		}
	}
	put, err := b.put(below, one.Offset, m.Lines)
	if err != nil {
		return err
	}
	put.Offset, put.Cut = m.Offset, b.base(i+1)+other.Offset-m.Offset
	b.Edits = append(b.Edits, put)
	b.Joints = append(b.Joints, m)
	return nil
}

// check names what is wrong or odd about a joint. swap says that another nozzle is in
// above it; the tools are those below and above it.
func (m *Made) check(below, above *Piece, j *Joint, swap bool, was, is int32) error {
	fold := above.Ix.Layers[above.From-1].Fold
	find := func(level finding.Level, code, text string) {
		m.Findings = append(m.Findings, finding.Finding{Level: level, Code: code, Line: fold,
			Message: text})
	}
	if h := above.Ix.Layers[above.From-1].Height.Millimetres(); !swap && j.DZ > h {
		find(finding.Stop, "place-shifted",
			fmt.Sprintf("Everything behind the joint would be laid %g mm "+
				"higher, with the nozzle that is in: it would be laid in the air. Lift it only for a longer "+
				"nozzle.", j.DZ))
	}
	if text := m.apart(below, above); text != "" {
		find(finding.Stop, "heights-apart", text)
	}
	air, err := InTheAir(below, below.To, above, above.From)
	if err != nil {
		return err
	}
	own, err := InTheAir(above, above.From-1, above, above.From)
	if err != nil {
		return err
	}
	if a := air.Area() - own.Area(); a > maxAir {
		find(finding.Care, "in-the-air", fmt.Sprintf("Layer %d of %s lays %.0f mm² over nothing of %s, "+
			"which its own layer below would carry. Look at both pages, or choose another "+
			"height.", above.From, above.Name, a, below.Name))
	}
	if was != is {
		find(finding.Care, "other-tool", fmt.Sprintf("%s prints with tool %d, %s with tool %d; the "+
			"printer changes it before the head comes "+
			"back.", below.Name, was, above.Name, is))
	}
	if a, c := width(below, below.To), width(above, above.From); !swap && a > 0 &&
		c > 0 && (a > 1.35*c || c > 1.35*a) {
		find(finding.Note, "other-width", fmt.Sprintf("The outer walls of %s are %.2f mm wide, those of "+
			"%s %.2f mm. If that asks for another nozzle, make the joint a nozzle "+
			"swap.", below.Name, a, above.Name, c))
	}
	return nil
}

// apart says how far the heights of the pieces lie apart; "" when they meet.
func (m *Made) apart(below, above *Piece) string {
	begins := above.Ix.Layers[above.From-2].Z
	d := begins - m.Z
	if d <= within && d >= -within {
		return ""
	}
	text := fmt.Sprintf("%s ends with layer %d at %s mm, but layer %d of %s begins at %s mm: ",
		below.Name, below.To, m.Z, above.From, above.Name, begins)
	if d > 0 {
		text += fmt.Sprintf("%s mm would be missing.", d)
	} else {
		text += fmt.Sprintf("%s mm would be laid twice, and the nozzle would run into it.", -d)
	}
	if all := Shared(below.Ix, above.Ix); len(all) > 0 {
		h := all[Nearest(all, m.Z)]
		text += fmt.Sprintf(" The nearest height that both share is %s mm: layers up to %d, then from "+
			"%d.", h.Z, h.A, h.B+1)
	} else {
		text += " The two files share no height at all."
	}
	return text
}

// tail leaves out what the last file lays above its piece, but not its end.
func (b *Bound) tail(p *plan.Plan) error {
	i := len(b.Pieces) - 1
	last := &b.Pieces[i]
	if last.To == len(last.Ix.Layers) {
		return nil
	}
	from, err := last.end()
	if err != nil {
		return err
	}
	whole := *last
	whole.To = len(last.Ix.Layers)
	end, err := whole.end()
	if err != nil {
		return err
	}
	// The head stays where it is: what the end of a file does with it begins by
	// lifting it or by taking it aside.
	goal := end.At
	goal.Pos, goal.Off = from.At.Pos, from.At.Off
	from.Goal, from.HasNext = &goal, false
	b.TailEnd, b.TailLine, b.TailGoal = b.base(i)+end.Offset, end.Line, goal
	from.Joint = &routine.Joint{Title: fmt.Sprintf("layers %d to %d are left out", last.To+1,
		len(last.Ix.Layers))}
	e := plan.Ear{ID: "end", Kind: plan.Own, Routine: nowhere}
	var finds []finding.Finding
	if b.Tail, finds, err = routine.Compile(from, last.Ix.Box, p, &e,
		routine.Style{Lower: last.Ix.Lower}); err != nil {
		return err
	}
	b.Findings = append(b.Findings, finds...)
	put, err := b.put(last, from.Offset, b.Tail)
	if err != nil {
		return err
	}
	put.Offset, put.Cut = b.base(i)+from.Offset, end.Offset-from.Offset
	b.Edits = append(b.Edits, put)
	return nil
}

// end is the fold behind a piece.
func (p *Piece) end() (routine.Fold, error) {
	if p.To < len(p.Ix.Layers) {
		return apply.Locate(p.Src, p.Ix, &plan.Ear{ID: "end", BeforeLayer: p.To + 1})
	}
	return apply.Behind(p.Src, p.Ix)
}

// base is where the file of piece i begins in the joined document.
func (b *Bound) base(i int) int64 {
	n := int64(0)
	for k := range i {
		n += b.Pieces[k].Src.Size()
	}
	return n
}

func union(a, b [4]gcode.Nano) [4]gcode.Nano {
	return [4]gcode.Nano{min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])}
}

// width is the mean width of what a layer's outer walls lay, mm; 0 when it has
// none.
func width(p *Piece, n int) float64 {
	moves, err := p.Ix.Decode(p.Src, n)
	if err != nil {
		return 0
	}
	h, l, sum := p.Ix.Layers[n-1].Height, 0.0, 0.0
	for _, path := range layer.Paths(moves) {
		if path.Class != layer.Outer {
			continue
		}
		for k := path.From; k < path.To; k++ {
			l += moves[k].Length()
			sum += moves[k].Length() * moves[k].Width(h, p.Ix.Layers[n-1].Diameter)
		}
	}
	if l == 0 {
		return 0
	}
	return sum / l
}

// joined is a source behind another.
type joined struct{ a, b layer.Source }

func after(a, b layer.Source) layer.Source {
	if a == nil {
		return b
	}
	return joined{a, b}
}

func (j joined) Size() int64 { return j.a.Size() + j.b.Size() }

func (j joined) ReadAt(p []byte, off int64) (int, error) {
	n, size := 0, j.a.Size()
	if off < size {
		k, err := j.a.ReadAt(p[:min(int64(len(p)), size-off)], off)
		if n = k; n < len(p) && off+int64(n) < size || n == len(p) {
			return n, err
		}
	}
	k, err := j.b.ReadAt(p[n:], off+int64(n)-size)
	return n + k, err
}
