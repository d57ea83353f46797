// Package gate decides what may be written.
//
// In go a file and what somebody wants of it: a plan, a pick-up, a touch check, a
// binding. Out comes a [Release]: the edits, and the examination of the finished
// bytes as they will leave the house. Every way out, from the browser, the command
// line or a watched folder, asks here and nowhere else:
//
//	plan ┐
//	pick-up ├─▶ edits ─▶ finished bytes ─▶ examined ─▶ may be written, or why not
//	binding ┘
//
// What always holds: a release whose [Release.Stopped] is not nil is not written.
// A [Release] has no other maker, and nothing in it can be set from outside.
// A finding is let pass only by name ([Asked.Accept]), one at a time, and the file
// says so. Sources: docs/safety.md.
package gate

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"dogear/core/apply"
	"dogear/core/bind"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/handshake"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/routine"
)

// Release is a file that may be written, or may not. Only this package makes one, and nothing in it
// can be changed from outside.
type Release struct {
	src      layer.Source
	edits    []edit.Edit
	report   *proof.Report
	findings []finding.Finding // of those who wrote it and of the examination, the gravest first
	accepted []finding.Finding // that were let pass

	result *apply.Result  // of a plan
	pickup *pickup.Pickup // of a pick-up
	bound  *bind.Bound    // of a binding
	kept   string         // the seal of one that was examined before, see Kept
}

// Report is what the examination has found out; nil of one that was examined before.
func (r *Release) Report() *proof.Report { return r.report }

// Findings are those of who wrote it and of the examination, the gravest first.
func (r *Release) Findings() []finding.Finding { return slices.Clone(r.findings) }

// Accepted are the findings that somebody has let pass.
func (r *Release) Accepted() []finding.Finding { return slices.Clone(r.accepted) }

// Result is how the plan lies on the file, where there is one.
func (r *Release) Result() *apply.Result { return r.result }

// Pickup is what was made of a failed print; nil where it is none.
func (r *Release) Pickup() *pickup.Pickup { return r.pickup }

// Edited reports whether anything is written otherwise than in the original.
func (r *Release) Edited() bool { return len(r.edits) > 0 }

// Bound is the joined document; nil where nothing was joined.
func (r *Release) Bound() *bind.Bound { return r.bound }

// Asked is how a release is asked for.
type Asked struct {
	// Accept names findings of level "stop" that somebody takes upon themselves,
	// each as CODE@LINE.
	Accept   []string
	Progress func(done float64) // of the examination; may be nil
	// First and Last are what is to be said beside what is found, in front and behind: by what ears
	// found their places, which evidence speaks against the choice.
	First, Last []finding.Finding
}

// Stopped returns the first finding that stops the writing; nil when none does.
func (r *Release) Stopped() *finding.Finding {
	return finding.Gravest(r.findings)
}

// ErrStopped is the cause when a release is written that may not be.
var ErrStopped = errors.New("the file was not written")

// Write writes the file.
func (r *Release) Write(w io.Writer) (int64, error) {
	if f := r.Stopped(); f != nil {
		return 0, fmt.Errorf("%w: %s", ErrStopped, f.Message)
	}
	return edit.Write(w, r.src, r.edits)
}

// Reader returns the file as a stream. It fails as [Release.Write] does.
func (r *Release) Reader() (io.Reader, int64, error) {
	if f := r.Stopped(); f != nil {
		return nil, 0, fmt.Errorf("%w: %s", ErrStopped, f.Message)
	}
	size := r.src.Size()
	for _, e := range r.edits {
		size += int64(len(e.Text)) - e.Cut
	}
	return edit.NewReader(r.src, r.edits), size, nil
}

// ErrMarked is the cause when a plan is to be laid onto a file in which comments
// stand that look like Dogear's own.
var ErrMarked = errors.New("comments of Dogear's stand in this file")

// Plan applies a plan to a file and examines what comes of it. pockets are those of
// the file, as far as they are known.
func Plan(ctx context.Context, src layer.Source, ix *layer.Index, p *plan.Plan,
	pockets []landmark.Pocket, ask Asked) (*Release, error) {
	if (ix.Marked || ix.Ours > 0) && len(p.Ears)+len(p.Changes)+len(p.Mutes) > 0 {
		return nil, fmt.Errorf("%w: take its marks over or out first, then lay the plan", ErrMarked)
	}
	res, err := apply.Plan(src, ix, p, pockets)
	if err != nil {
		return nil, err
	}
	edit.Sort(res.Edits)
	r := &Release{src: src, edits: res.Edits, result: res}
	k := &proof.Work{Src: src, Ix: ix, Edits: res.Edits, Printer: p.Printer, Inserts: inserts(res),
		Progress: ask.Progress}
	if r.report, err = proof.Check(ctx, k); err != nil {
		return nil, err
	}
	r.judge(res.Findings, ask)
	return r, r.say(src, ix)
}

// inserts are what the ears of a result put into pockets.
func inserts(res *apply.Result) map[string][]insert.Fit {
	out := map[string][]insert.Fit{}
	for i := range res.Blocks {
		b := &res.Blocks[i]
		for _, f := range b.Fits {
			if f.GoesIn() {
				out[b.Ear.ID] = append(out[b.Ear.ID], f)
			}
		}
	}
	return out
}

// Pickup writes a pick-up and examines it. A plan that is laid onto the file goes
// on behind the start; p may be nil.
func Pickup(ctx context.Context, src layer.Source, ix *layer.Index, p *plan.Plan,
	pockets []landmark.Pocket, c pickup.Choice, ask Asked) (*Release, error) {
	var res *apply.Result
	var pr *plan.Printer
	var err error
	if p != nil {
		pr = p.Printer
		if len(p.Ears)+len(p.Mutes)+len(p.Changes) > 0 {
			if res, err = apply.Plan(src, ix, p, pockets); err != nil {
				return nil, err
			}
		}
	}
	made, err := pickup.Make(src, ix, pr, c, res)
	if err != nil {
		return nil, err
	}
	r := &Release{src: src, edits: made.Edits, pickup: made, result: res}
	s := &made.Start
	c = made.Choice
	j := &proof.Jump{Src: src, Ix: ix, Line: s.Line, At: made.Expects, Shift: made.Shift,
		Stands: !c.LooseTop, Empty: c.LooseTop}
	if r := s.Rest; r != nil {
		j.Rest = &proof.Rest{From: r.From, To: r.To, Laid: r.Laid}
	}
	k := &proof.Work{Src: src, Ix: ix, Edits: made.Edits, Jumps: map[int64]*proof.Jump{s.Offset: j},
		Printer: pr, Kept: c.Z == pickup.ByKept && !c.LooseTop,
		Ease: c.Ease.Layers > 0 || c.Flow > 0, Cool: c.Ease.Fan, Top: s.Top, Progress: ask.Progress}
	if res != nil {
		k.Inserts = inserts(res)
		for i := range res.Blocks {
			if b := &res.Blocks[i]; b.Fold.Line < s.Line && !c.LooseTop {
				k.InPlace = append(k.InPlace, b.Ear.ID)
			}
		}
		for i := range res.Changes {
			if ch := &res.Changes[i]; ch.From.Line < s.Line && s.Line < ch.Until.Line {
				k.Changes = append(k.Changes, ch.Change)
			}
		}
		if w := made.Warm; w > 0 {
			k.Warm = []float64{w}
		}
	}
	if c.Nozzle > 0 {
		k.Warm = append(k.Warm, c.Nozzle)
	}
	if r.report, err = proof.Check(ctx, k); err != nil {
		return nil, err
	}
	ask.Accept = append(slices.Clone(ask.Accept), c.Accept...)
	r.judge(made.Findings, ask)
	return r, r.say(src, ix)
}

// Touch writes the touch check of a pick-up and examines it: every line of it is
// put in, and the part stands on the bed.
func Touch(ctx context.Context, src layer.Source, ix *layer.Index, pr *plan.Printer,
	c pickup.Choice, ask Asked) (*Release, *Touched, error) {
	lines, at, s, err := pickup.TouchCheck(src, ix, pr, c)
	if err != nil {
		return nil, nil, err
	}
	end := "\n"
	if ix.LineEnds == "crlf" {
		end = "\r\n"
	}
	var text []byte
	for _, l := range lines {
		text = append(append(text, l.Text...), end...)
	}
	r := &Release{src: bytes.NewReader(nil), edits: []edit.Edit{{Text: text}}}
	r.report, err = proof.Alone(ctx, src, ix, text, s.Line, s.Top, pr, c.Z == pickup.ByKept)
	if err != nil {
		return nil, nil, err
	}
	r.judge(nil, ask)
	return r, &Touched{lines, at, s}, nil
}

// Handshake writes the file that asks a printer how it stops, and examines it: the bed is
// empty, and the words that are tried are no stops of a print.
func Handshake(ctx context.Context, pr *plan.Printer, words []string) (*Release, *handshake.File,
	error) {
	f, err := handshake.Make(pr, words)
	if err != nil {
		return nil, nil, err
	}
	text := f.Text()
	r := &Release{src: bytes.NewReader(nil), edits: []edit.Edit{{Text: text}}}
	if r.report, err = proof.Bare(ctx, text, pr); err != nil {
		return nil, nil, err
	}
	r.judge(nil, Asked{})
	return r, f, nil
}

// Touched is a touch check: its lines, the places it goes to, mm, and where the
// pick-up would start.
type Touched struct {
	Lines []routine.Line
	At    [][2]float64
	Start *pickup.Start
}

// Bind joins pieces and examines the whole.
func Bind(ctx context.Context, pieces []bind.Piece, joints []bind.Joint, p *plan.Plan,
	ask Asked) (*Release, error) {
	b, err := bind.Make(ctx, pieces, joints, p)
	if err != nil {
		return nil, err
	}
	r := &Release{src: b.Src, edits: b.Edits, bound: b}
	k := &proof.Work{Src: b.Src, Ix: b.Pieces[0].Ix, Edits: b.Edits, Jumps: map[int64]*proof.Jump{},
		Printer: p.Printer, Progress: ask.Progress}
	if p.Printer != nil {
		k.Lifts = p.Printer.Shift
	}
	for i := range b.Joints {
		m := &b.Joints[i]
		above := &b.Pieces[m.Above]
		j := &proof.Jump{Src: above.Src, Ix: above.Ix, Line: m.Line, At: m.Goal}
		if p.Printer == nil || len(p.Printer.Shift) == 0 {
			j.Shift[2] = m.DZ
		}
		if joints[i].Ear.Kind == plan.Nozzle {
			j.Tip = j.Shift[2]
		}
		k.Jumps[m.End] = j
	}
	if b.TailEnd > 0 {
		last := &b.Pieces[len(b.Pieces)-1]
		k.Jumps[b.TailEnd] = &proof.Jump{Src: last.Src, Ix: last.Ix, Line: b.TailLine, At: b.TailGoal}
	}
	if r.report, err = proof.Check(ctx, k); err != nil {
		return nil, err
	}
	r.judge(b.Findings, ask)
	return r, r.say(b.Src, nil)
}

// judge gathers what was found and lets pass what was accepted. What was foreseen
// and what was found say the same of one fault: what was found is kept.
func (r *Release) judge(foreseen []finding.Finding, ask Asked) {
	found := slices.Clone(r.report.Findings)
	count := func(in []finding.Finding, f *finding.Finding) (n, at int) {
		for i := range in {
			if in[i].Code == f.Code && in[i].Level.Compare(f.Level) >= 0 {
				n, at = n+1, i
			}
		}
		return n, at
	}
	for i := range foreseen {
		f := &foreseen[i]
		n, at := count(found, f)
		if n == 0 {
			r.findings = append(r.findings, *f)
		} else if m, _ := count(foreseen, f); n == 1 && m == 1 && found[at].Level == f.Level {
			found[at].Message = f.Message // who wrote it says more of why
		}
	}
	r.findings = append(r.findings, found...)
	for i := range r.findings {
		f := &r.findings[i]
		if f.Level == finding.Stop && slices.ContainsFunc(ask.Accept,
			func(a string) bool { return accepts(a, f) }) {
			r.accepted = append(r.accepted, *f)
			f.Level, f.Message = finding.Care, f.Message+" Somebody has accepted this risk."
		}
	}
	finding.Sort(r.findings)
	r.findings = slices.Concat(ask.First, r.findings, ask.Last)
	if r.findings == nil {
		r.findings = []finding.Finding{}
	}
}

// accepts reports whether CODE@LINE names a finding.
func accepts(name string, f *finding.Finding) bool {
	code, line, ok := strings.Cut(name, "@")
	return ok && code == f.Code && line == strconv.FormatInt(f.Line, 10)
}

// say writes into the file what was accepted, behind its last line.
func (r *Release) say(src layer.Source, ix *layer.Index) error {
	if len(r.accepted) == 0 {
		return nil
	}
	end := "\n"
	if ix != nil && ix.LineEnds == "crlf" {
		end = "\r\n"
	}
	sc := routine.NewScript(gcode.State{}, routine.Style{})
	sc.Mark(mark.Mark{Kind: mark.Accepted, Title: "somebody has taken upon themselves"}, "")
	for i := range r.accepted {
		f := &r.accepted[i]
		sc.Note("; "+f.Name()+" "+routine.Clean(f.Message), "")
	}
	sc.Seal(mark.Mark{Kind: mark.Accepted})
	e, err := routine.AtEnd(src, sc.Lines(), end)
	if err != nil {
		return err
	}
	r.edits = append(slices.Clone(r.edits), e)
	return nil
}

// Seal is what the examination has measured, in a sentence.
func (r *Release) Seal() string {
	rep := r.report
	if rep == nil {
		return r.kept
	}
	if !rep.Same || r.Stopped() != nil {
		return ""
	}
	switch {
	case r.pickup != nil && r.pickup.Refused == nil && rep.LowestOver != nil:
		low := func(n *gcode.Nano) string { return fmt.Sprintf("%.2f mm", n.Millimetres()) }
		line := fmt.Sprintf(" · same plastic from line %d on", r.pickup.Start.Line)
		switch {
		case r.pickup.Loose:
			return fmt.Sprintf("Same plastic from line %d on, lowered onto the bed", r.pickup.Start.Line)
		case rep.Homes:
			return "Over the part nothing moves below " + low(rep.LowestOver) + "; Z is homed beside " +
				"it" + line
		case rep.Lowest != nil:
			return "Nothing moves below " + low(rep.Lowest) + line
		}
	case r.result != nil && len(r.result.Changes)+len(r.result.Slows) > 0:
		return "Same paths and filament · printed differently only where you said so · axis exact"
	case rep.Muted > 0:
		return "Same plastic, less what is muted · axis exact · modes, fan and speed put back"
	}
	return "Same plastic · axis exact · modes, fan and speed put back"
}
