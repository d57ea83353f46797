package routine

import (
	"errors"
	"fmt"
	"slices"
	"sort"
	"strings"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Block is an ear as it will stand in the file.
type Block struct {
	Ear      plan.Ear
	Fold     Fold
	Steps    plan.Routine // that it runs; Line.Step counts them
	Warm     float64      // °C of the nozzle from here on, when its filament says so
	Fits     []insert.Fit // how what goes in lies in its pockets
	Lines    []Line
	Findings []layer.Finding
}

// Result is a plan laid onto a file.
type Result struct {
	Blocks    []Block // in file order
	Mutes     []Muted
	HeadsUps  []HeadsUp
	Rewritten []Rewritten
	Extras    []Extra    // lines that ears put in elsewhere
	Overs     []Over     // ways that are lifted over what stands proud
	Changes   []Changed  // what is laid otherwise between two folds
	Slows     [][2]int64 // lines of the original that are laid slower, both ends included
	Edits     []edit.Edit
	Findings  []layer.Finding // of all blocks, and of the plan as a whole
	LineEnd   string
}

// Locate finds where an ear sits in the file.
func Locate(src layer.Source, ix *layer.Index, e *plan.Ear) (Fold, error) {
	var f Fold
	n := len(ix.Layers)
	switch {
	case e.BeforeLayer != 0:
		f.Layer = e.BeforeLayer
		if f.Layer < 1 || f.Layer > n {
			return f, fmt.Errorf("there is no layer %d; the file has %d", e.BeforeLayer, n)
		}
	case e.FileNumber != nil:
		if f.Layer = ix.ByNumber(*e.FileNumber); f.Layer == 0 {
			return f, fmt.Errorf("the file has no layer that it calls %d", *e.FileNumber)
		}
	case e.AtHeight != nil:
		all := ix.AtHeight(gcode.FromMM(*e.AtHeight))
		if len(all) == 0 {
			return f, fmt.Errorf("no layer begins at or above %g mm; the print is %s mm high",
				*e.AtHeight, ix.Height())
		}
		if len(all) > 1 {
			return f, fmt.Errorf("%g mm is reached by %d objects, one after another; say which with "+
				"before_layer: %s", *e.AtHeight, len(all),
				strings.Trim(strings.Join(strings.Fields(fmt.Sprint(all)), ", "), "[]"))
		}
		f.Layer = all[0]
	default:
		if e.BeforeLine < 1 || e.BeforeLine > ix.Lines {
			return f, fmt.Errorf("there is no line %d; the file has %d", e.BeforeLine, ix.Lines)
		}
		f.Line = e.BeforeLine
		f.Layer = max(ix.At(f.Line), 1)
		l := &ix.Layers[f.Layer-1]
		switch {
		case f.Line <= l.First:
		case f.Line > l.Last && f.Layer < n:
			f.Layer++
		default:
			f.Inside = true
		}
	}
	if f.Line > 0 {
		var err error
		if f.Offset, err = ix.OffsetOf(src, f.Line); err != nil {
			return f, err
		}
		if f.At, err = ix.StateAt(src, f.Line); err != nil {
			return f, err
		}
	} else {
		l := &ix.Layers[f.Layer-1]
		f.Line, f.Offset = l.Fold, l.Offset
		var err error
		if f.At, err = ix.Before(src, f.Layer); err != nil {
			return f, err
		}
	}
	f.Seconds = ix.Layers[f.Layer-1].Begin
	if n := f.under(); n > 0 {
		f.Low = f.At.Pos[2] < ix.Layers[n-1].Z-sameLevel
	}
	if f.Inside {
		moves, err := ix.Decode(src, f.Layer)
		if err != nil {
			return f, err
		}
		times, err := ix.Times(src, f.Layer, moves)
		if err != nil {
			return f, err
		}
		for i := range moves {
			if moves[i].Line <= f.Line {
				f.Seconds = times[i]
			}
		}
	}
	return f, f.ahead(src, ix)
}

// sameLevel is how far two heights of one layer may lie apart.
const sameLevel = gcode.MM / 100

// under returns the layer that is being laid at the fold, 0 when there is none yet.
func (f *Fold) under() int {
	if f.Inside {
		return f.Layer
	}
	return f.Layer - 1
}

// Place returns the layer an ear stands before, or, with a line, inside which it
// lies: what [Locate] finds, without reading the file and without errors. An
// ear that lies outside the print is put at its nearest end.
func Place(ix *layer.Index, e *plan.Ear) (n int, line int64) {
	last := len(ix.Layers)
	switch {
	case e.AtHeight != nil:
		if all := ix.AtHeight(gcode.FromMM(*e.AtHeight)); len(all) > 0 {
			return all[0], 0
		}
		return last, 0
	case e.FileNumber != nil:
		if n := ix.ByNumber(*e.FileNumber); n > 0 {
			return n, 0
		}
		return last, 0
	case e.BeforeLine == 0:
		return min(max(e.BeforeLayer, 1), last), 0
	}
	n = max(ix.At(e.BeforeLine), 1)
	switch l := &ix.Layers[n-1]; {
	case e.BeforeLine <= l.First:
		return n, 0
	case e.BeforeLine > l.Last && n < last:
		return n + 1, 0
	}
	return n, e.BeforeLine
}

// ahead looks for the place where the next path begins.
func (f *Fold) ahead(src layer.Source, ix *layer.Index) error {
	from, end := max(ix.At(f.Line), 0), min(f.Line+500, ix.Lines+1)
	return ix.Walk(src, from, end, func(line int64, _ []byte, c *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if line < f.Line {
			return true
		}
		switch a.Kind {
		case gcode.Travel:
			absolute := !m.RelXYZ && c.Letter == 'G' && c.Code <= 1
			f.NextZ = f.NextZ || absolute && c.Has('Z')
			if !a.MoveX || f.HasNext {
				return true // only up or down
			}
			if absolute && c.Has('X') && c.Has('Y') {
				f.Next, f.HasNext = [2]gcode.Nano{m.Pos[0], m.Pos[1]}, true
			}
			return f.HasNext && !f.NextZ // the height may follow
		case gcode.Pull:
			return !a.MoveX && !f.HasNext
		case gcode.SetAxis:
			return !c.Has('X') && !c.Has('Y') && c.Has('E')
		case gcode.Lay, gcode.Push, gcode.Home, gcode.Probe, gcode.Macro, gcode.Unknown, gcode.Stop,
			gcode.ToolSet, gcode.Motors:
			return false
		}
		return true
	})
}

// ErrTwice is the cause when two ears sit on one fold.
var ErrTwice = errors.New("two ears sit on the same fold")

// Apply lays a plan onto a file. The plan must have been checked. pockets are
// those of the file, as far as they are known: only of them can be said how
// something lies in one, and only over them the head is lifted.
func Apply(src layer.Source, ix *layer.Index, p *plan.Plan, pockets []landmark.Pocket) (*Result,
	error) {
	res := &Result{LineEnd: "\n"}
	if p.Printer != nil {
		fitted := *p
		fitted.Printer = Fitted(p.Printer, ix)
		p = &fitted
	}
	if ix.LineEnds == "crlf" {
		res.LineEnd = "\r\n"
	}
	if ix.LineEnds == "mixed" {
		res.note(layer.Note, "mixed-line-ends", "The file mixes line ends; inserted lines end as the "+
			"line before them.")
	}
	for i := range p.Ears {
		e := p.Ears[i]
		f, err := Locate(src, ix, &e)
		if err != nil {
			return nil, &plan.Error{Ear: e.ID, Err: err}
		}
		res.Blocks = append(res.Blocks, Block{Ear: e, Fold: f})
	}
	sort.SliceStable(res.Blocks,
		func(i, j int) bool { return res.Blocks[i].Fold.Line < res.Blocks[j].Fold.Line })
	res.sit(ix, pockets)
	if err := res.placeChanges(src, ix, p); err != nil {
		return nil, err
	}
	warm := 0.0 // what the filament of the section wants
	laid := p.First
	var err error
	for i := range res.Blocks {
		b := &res.Blocks[i]
		b.Fold.Before, b.Fold.Opens = laid, i == 0
		if b.Ear.Kind == plan.Colour && b.Ear.Filament != "" {
			laid = b.Ear.Filament
		}
		if b.Steps, err = p.RoutineOf(&b.Ear); err != nil {
			return nil, &plan.Error{Ear: b.Ear.ID, Err: err}
		}
		if err := b.again(src, ix); err != nil {
			return nil, &plan.Error{Ear: b.Ear.ID, Err: err}
		}
		if warm > 0 && b.Fold.At.Nozzle() >= hot {
			b.Fold.Own = float64(b.Fold.At.Nozzle()) / 1e6
			b.Fold.At = b.Fold.At.WithNozzle(int64(warm*1e6 + 0.5))
		}
		b.Fold.At = res.InForce(b.Fold.Line, b.Fold.At)
		if _, known := p.Filaments[b.Ear.Filament]; b.Ear.Filament != "" && !known {
			b.find(layer.Care, "unknown-filament", fmt.Sprintf("Nothing is known of the filament %q at ear "+
				"%s: it is laid as hot as what was in before.", b.Ear.Filament, b.Ear.ID))
		}
		lines, finds, err := Compile(b.Fold, ix.Box, p, &b.Ear, Style{Lower: ix.Lower})
		if err != nil {
			return nil, &plan.Error{Ear: b.Ear.ID, Err: err}
		}
		b.Lines, b.Findings = lines, append(finds, b.Findings...)
		if b.Ear.Kind == plan.Colour && b.Ear.Filament != "" {
			warm = Wants(p, &b.Ear, 2)
			b.Warm = warm
		}
	}
	for i := range res.Blocks {
		b := &res.Blocks[i]
		if i > 0 && b.Fold.Line == res.Blocks[i-1].Fold.Line {
			return nil, &plan.Error{Ear: b.Ear.ID, Err: ErrTwice}
		}
		for _, s := range ix.Stops {
			if s.Before == b.Fold.Layer && !b.Fold.Inside && !mutes(p, s.Line) {
				b.Findings = append(b.Findings, layer.Finding{Level: layer.Note, Code: "stop-already-there",
					Line: s.Line, Message: fmt.Sprintf("The file already stops before layer %d (%s on line "+
						"%d).", s.Before, s.Word, s.Line)})
			}
		}
		if b.Ear.HeadsUp != nil {
			if err := res.headsUp(src, ix, p, i, Style{Lower: ix.Lower}); err != nil {
				return nil, &plan.Error{Ear: b.Ear.ID, Err: err}
			}
		}
		res.insert(src, b.Fold.Offset, b.Lines)
	}
	if err := res.temperatures(src, ix, p); err != nil {
		return nil, &plan.Error{Err: err}
	}
	if err := res.changes(src, ix, p, Style{Lower: ix.Lower}); err != nil {
		return nil, &plan.Error{Err: err}
	}
	if err := res.overs(src, ix, p, Style{Lower: ix.Lower}); err != nil {
		return nil, &plan.Error{Err: err}
	}
	for i := range res.Blocks {
		b := &res.Blocks[i]
		if err := res.bridge(src, ix, i, Style{Lower: ix.Lower}); err != nil {
			return nil, &plan.Error{Ear: b.Ear.ID, Err: err}
		}
		res.Findings = append(res.Findings, b.Findings...)
	}
	for _, m := range p.Mutes {
		for i := range res.Blocks {
			if l := res.Blocks[i].Fold.Line; l > m.From && l <= m.To {
				return nil, &plan.Error{Ear: res.Blocks[i].Ear.ID,
					Err: fmt.Errorf("it sits inside the muted lines %d to %d", m.From, m.To)}
			}
		}
		if err := res.mute(src, ix, p, m, Style{Lower: ix.Lower}); err != nil {
			return nil, &plan.Error{Err: err}
		}
	}
	edit.Sort(res.Edits)
	if ix.Numbered {
		res.note(layer.Note, "numbering", "The file numbers its lines; inserted lines carry no number. "+
			"A printer that insists on them needs the file renumbered: dogear apply --renumber.")
	}
	return res, nil
}

func (r *Result) note(level, code, message string) {
	r.Findings = append(r.Findings, layer.Finding{Level: level, Code: code, Line: 1, Message: message})
}

// again decodes the layer under the fold when it is to be laid once more.
func (b *Block) again(src layer.Source, ix *layer.Index) error {
	wants := b.Ear.BondPass != nil || slices.ContainsFunc(b.Steps,
		func(s plan.Step) bool { return s.Do == "bond" })
	n := b.Fold.Layer
	// In a spiral the layer below ends where it began, one layer higher: there is none
	// that could be laid again.
	if !wants || b.Fold.Inside || n < 2 || ix.Kind == layer.Vase ||
		ix.Layers[n-2].Object != ix.Layers[n-1].Object || ix.Layers[n-2].Moves > mostBond {
		return nil
	}
	var err error
	b.Fold.Again, err = ix.Decode(src, n-1)
	return err
}

// insert puts lines in front of the line at an offset, behind what stands there
// already.
func (r *Result) insert(src layer.Source, off int64, lines []Line) {
	r.Edits = append(r.Edits, r.block(src, off, lines))
}

// block writes lines with the line ends used around an offset. Behind a last line
// that has no end, the first block gives it one and says so in its seal.
func (r *Result) block(src layer.Source, off int64, lines []Line) edit.Edit {
	end := r.LineEnd
	if off >= 2 {
		var last [2]byte
		if _, err := src.ReadAt(last[:], off-2); err == nil && last[1] == '\n' {
			end = "\n"
			if last[0] == '\r' {
				end = "\r\n"
			}
		}
	}
	e := edit.Edit{Offset: off}
	if off == src.Size() && r.opens(src) {
		lines, e.Text = reopen(lines), []byte(end)
	}
	for _, l := range lines {
		e.Text = append(append(e.Text, l.Text...), end...)
	}
	return e
}

// opens reports whether what stands in front of the end of the file, as far as it
// has been written, ends in the middle of a line.
func (r *Result) opens(src layer.Source) bool {
	if !unended(src) {
		return false
	}
	for i := range r.Edits {
		if e := &r.Edits[i]; e.Offset+e.Cut == src.Size() && len(e.Text) > 0 &&
			e.Text[len(e.Text)-1] == '\n' {
			return false
		}
	}
	return true
}

// Inserted returns how many lines the result adds.
func (r *Result) Inserted() int {
	n := 0
	for i := range r.Blocks {
		n += len(r.Blocks[i].Lines)
	}
	for i := range r.Mutes {
		n += len(r.Mutes[i].Lines)
	}
	for i := range r.HeadsUps {
		n += len(r.HeadsUps[i].Lines)
	}
	for i := range r.Extras {
		n += len(r.Extras[i].Lines)
	}
	n += len(r.Rewritten)
	return n
}

// OutLines returns the first and last line of block i in the edited file.
func (r *Result) OutLines(i int) [2]int64 {
	at := r.Blocks[i].Fold.Line
	for k := range i {
		at += int64(len(r.Blocks[k].Lines))
	}
	for k := range r.HeadsUps {
		// On one line the heads-up of a later ear stands behind this one.
		if h := &r.HeadsUps[k]; h.Line < r.Blocks[i].Fold.Line || h.Line == r.Blocks[i].Fold.Line &&
			h.block <= i {
			at += int64(len(r.HeadsUps[k].Lines))
		}
	}
	for k := range r.Extras {
		if x := &r.Extras[k]; x.Line < r.Blocks[i].Fold.Line || x.early &&
			x.Line == r.Blocks[i].Fold.Line {
			at += int64(len(x.Lines))
		}
	}
	for k := range r.Rewritten { // each has what it was in front of it
		if r.Rewritten[k].Line < r.Blocks[i].Fold.Line {
			at++
		}
	}
	for k := range r.Mutes {
		if r.Mutes[k].Span.To < r.Blocks[i].Fold.Line {
			at += int64(len(r.Mutes[k].Lines))
		}
	}
	return [2]int64{at, at + int64(len(r.Blocks[i].Lines)) - 1}
}

// Last returns the layer that ends at the fold; inside a layer, that layer.
func (f *Fold) Last() int {
	if f.Inside {
		return f.Layer
	}
	return f.Layer - 1
}
