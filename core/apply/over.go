package apply

import (
	"fmt"

	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Extra is a short run of lines that an ear puts in elsewhere than at its own
// fold: a lift over what stands proud, or a slower bridge.
type Extra struct {
	Ear   string // whose it is; empty for a change
	Line  int64  // it stands in front of this line
	Lines []routine.Line
	early bool // and in front of an ear that sits there
}

// Over is a way that is lifted over what stands proud in a pocket.
type Over struct {
	Ear      string
	Layer    int
	From, To int64 // its lines in the original
	Begin    [3]gcode.Nano
	End      [3]gcode.Nano
	High     gcode.Nano // where it passes
}

// overBy is how far the head passes above what stands there.
const overBy = gcode.MM

// fitInserts finds out how what goes in at each ear lies in its pocket. The folds of
// ears that come while it stands proud learn how high that is.
func (r *Result) fitInserts(ix *layer.Index, pockets []landmark.Pocket) {
	type high struct {
		top   gcode.Nano
		until int
	}
	var up []high
	for i := range r.Blocks {
		b := &r.Blocks[i]
		n := b.Fold.Layer
		b.Fits = insert.Chosen(ix, pockets, &b.Ear, n)
		for _, f := range insert.Say(b.Fits, b.Fold.Line) {
			if f.Level == finding.Stop {
				f.Level = finding.Care // what is really laid into it is found move by move
			}
			b.Findings = append(b.Findings, f)
		}
		for k := range b.Fits {
			f := &b.Fits[k]
			if f.GoesIn() {
				until := f.Until(ix, n)
				if until == 0 {
					until = len(ix.Layers) + 1
				}
				up = append(up, high{gcode.FromMM(f.Top), until})
			}
		}
		for _, s := range up {
			if n <= s.until {
				b.Fold.At.Top = max(b.Fold.At.Top, s.top)
			}
		}
	}
}

// standing is what stands proud from the fold of an ear on.
type standing struct {
	block int
	watch *insert.Watch
	until int64 // the line at which the plastic has caught up
	count int   // travel moves lifted over it
	over  [2]int
	hit   bool
	brush float64 // how far the nozzle's side comes into it, mm,
	where int64   // first on this line
}

// liftOverProud lifts the head over what stands proud, on every way of the print's own
// that crosses it, until the plastic has caught up. A line that would be laid
// into it is a finding that stops the writing.
//
//	laid ─╮        ╭─ across, as the file has it ─╮        ╭─ laid
//	      ╰─ up ───╯                              ╰─ down ─╯
func (r *Result) liftOverProud(src layer.Source, ix *layer.Index, p *plan.Plan,
	st routine.Style) error {
	w := &lifter{res: r, src: src, ix: ix, plan: p, style: st, shape: insert.NozzleOf(p.Printer)}
	end := int64(0)
	for i := range r.Blocks {
		b := &r.Blocks[i]
		var in []insert.Fit
		last := 0
		for k := range b.Fits {
			f := &b.Fits[k]
			u := f.Until(ix, b.Fold.Layer)
			if c := f.Pocket.Closes; u == 0 && c != nil {
				u = *c
			} else if u == 0 {
				u = len(ix.Layers)
			}
			if f.GoesIn() && f.Proud(ix, b.Fold.Layer) > 0 {
				in = append(in, *f)
				last = max(last, u)
			}
		}
		if len(in) == 0 {
			continue
		}
		watch := insert.NewWatch(in)
		if gcode.FromMM(watch.Top())+overBy > gcode.FromMM(p.Printer.Top) {
			b.find(finding.Stop, "insert-proud", fmt.Sprintf("What goes in stands up to %.1f mm; the head "+
				"cannot be lifted over it, since the printer ends at %g mm.", watch.Top(), p.Printer.Top))
			continue
		}
		// The layer that has caught up is looked at too: it must not be laid into it.
		w.standing = append(w.standing, standing{block: i, watch: watch, until: ix.Until(last)})
		end = max(end, ix.Until(last))
	}
	if len(w.standing) == 0 {
		return nil
	}
	first := &r.Blocks[w.standing[0].block].Fold
	from := first.Layer
	if !first.Inside {
		from--
	}
	var before gcode.State
	err := ix.Walk(src, from, end, func(line int64, text []byte, c *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if line >= first.Line {
			w.line(line, c, a, &before, &m.State)
		}
		before = m.State
		return w.err == nil
	})
	w.flush()
	if err == nil {
		err = w.err
	}
	for _, s := range w.standing {
		if b := &r.Blocks[s.block]; err == nil && !s.hit && s.brush > insert.Brushed {
			b.Findings = append(b.Findings, finding.Finding{Level: finding.Care, Code: "insert-proud",
				Line: s.where, Message: insert.Brush(b.Ear.ID, s.brush, max(ix.At(s.where), 1))})
		}
		if err == nil && s.count > 0 {
			r.Blocks[s.block].find(finding.Note, "insert-lifted", fmt.Sprintf("The head is lifted over it "+
				"%d times, in layers %d to %d.", s.count, s.over[0], s.over[1]))
		}
	}
	return err
}

type lifter struct {
	shape    insert.Nozzle
	res      *Result
	src      layer.Source
	ix       *layer.Index
	plan     *plan.Plan
	style    routine.Style
	standing []standing
	landed   [3]gcode.Nano // where an ear lets the head go on
	first    bool          // and it has not moved since
	next     int           // the block that comes next
	err      error

	open   bool        // a travel move is lifted
	way    Over        // that one
	begins gcode.State // before it
	ends   gcode.State // behind it
}

func (w *lifter) line(line int64, c *gcode.Command, a *gcode.Act, before, after *gcode.State) {
	for w.next < len(w.res.Blocks) && w.res.Blocks[w.next].Fold.Line <= line {
		b := &w.res.Blocks[w.next]
		if n := len(b.Lines); n > 0 && b.Fold.Line == line {
			w.landed, w.first = b.Lines[n-1].To, true
		}
		w.next++
	}
	if w.open && w.apart(line) {
		w.flush()
	}
	if !a.MoveX {
		if a.Kind == gcode.Travel || a.Kind == gcode.Home || a.Kind == gcode.SetAxis ||
			a.Kind == gcode.Mode {
			w.flush()
		}
		return
	}
	from := a.From
	if w.first && a.Kind != gcode.Lay {
		from[0], from[1] = w.landed[0], w.landed[1]
	}
	w.first = false
	if mutes(w.plan, line) {
		w.flush()
		return
	}
	if a.Kind == gcode.Lay {
		w.flush()
		w.laid(line, from, after.Pos, &a.Arc)
		return
	}
	over := w.crossed(line, from, after.Pos, &a.Arc)
	if over < 0 {
		w.flush()
		return
	}
	if !w.open {
		id := w.res.Blocks[w.standing[over].block].Ear.ID
		w.open, w.begins = true, *before
		w.way = Over{Ear: id, Layer: max(w.ix.At(line), 1), From: line, Begin: from, High: w.high(line)}
	}
	w.way.To, w.way.End, w.ends = line, after.Pos, *after
	if c.Has('Z') && !before.RelXYZ {
		w.err = w.replace(line, after)
	}
}

// high is where the head passes over everything that stands at a line.
func (w *lifter) high(line int64) gcode.Nano {
	top := 0.0
	for i := range w.standing {
		if s := &w.standing[i]; w.stands(s, line) {
			top = max(top, s.watch.Top())
		}
	}
	return gcode.FromMM(top) + overBy
}

func (w *lifter) stands(s *standing, line int64) bool {
	return line >= w.res.Blocks[s.block].Fold.Line && line < s.until
}

// crossed returns what a way crosses, and counts it; -1 when it is nothing.
func (w *lifter) crossed(line int64, from, to [3]gcode.Nano, arc *gcode.Arc) int {
	over := -1
	for i := range w.standing {
		s := &w.standing[i]
		if !w.stands(s, line) {
			continue
		}
		hit := false
		insert.Pieces(from, to, arc, func(x, y [3]gcode.Nano) { hit = hit || s.watch.Crosses(x, y) > 0 })
		if !hit {
			continue
		}
		over = i
		n := max(w.ix.At(line), 1)
		if s.count == 0 {
			s.over[0] = n
		}
		s.count++
		s.over[1] = n
	}
	return over
}

// laid finds the first line that would be laid into something.
func (w *lifter) laid(line int64, from, to [3]gcode.Nano, arc *gcode.Arc) {
	n := max(w.ix.At(line), 1)
	for i := range w.standing {
		s := &w.standing[i]
		if s.hit || !w.stands(s, line) {
			continue
		}
		worst := 0.0
		insert.Pieces(from, to, arc, func(x, y [3]gcode.Nano) {
			worst = max(worst, s.watch.Hits(x, y, w.ix.Layers[n-1].Height))
			if by := s.watch.Brushes(x, y, w.shape); by > s.brush {
				if s.brush <= insert.Brushed {
					s.where = line
				}
				s.brush = by
			}
		})
		if worst == 0 {
			continue
		}
		s.hit = true
		b := &w.res.Blocks[s.block]
		b.Findings = append(b.Findings, finding.Finding{Level: finding.Stop, Code: "insert-proud",
			Line: line, Message: fmt.Sprintf(
				"Layer %d would be laid into what goes in at ear %s: it stands %.2f mm into that layer. Stop "+
					"later, or use something flatter.", n, b.Ear.ID, worst)})
	}
}

// apart reports whether something of ours, or an ear, comes between a way and
// this line.
func (w *lifter) apart(line int64) bool {
	for k := range w.res.Blocks {
		if w.res.Blocks[k].Fold.Line == line {
			return true
		}
	}
	for k := range w.res.HeadsUps {
		if w.res.HeadsUps[k].Line == line {
			return true
		}
	}
	return false
}

// replace lets a travel that names a height of its own pass at the higher one.
func (w *lifter) replace(line int64, after *gcode.State) error {
	z := w.way.High - after.Off[2]
	if after.Inch {
		z = gcode.Nano(float64(z) / 25.4)
	}
	off, err := w.ix.OffsetOf(w.src, line)
	if err != nil {
		return err
	}
	next, err := w.ix.OffsetOf(w.src, line+1)
	if err != nil {
		return err
	}
	old := make([]byte, next-off)
	if n, err := w.src.ReadAt(old, off); int64(n) != next-off {
		return fmt.Errorf("line %d: %w", line, err)
	}
	now, ok := reword(old, 'Z', z)
	if !ok {
		return nil
	}
	w.res.replaceLine(line, off, old, now, fmt.Sprintf("it passes over what stands proud at ear %s",
		w.way.Ear))
	return nil
}

// flush writes the lift before a way and the drop behind it.
func (w *lifter) flush() {
	if !w.open || w.err != nil {
		return
	}
	w.open = false
	w.res.Overs = append(w.res.Overs, w.way)
	up := w.rise(&w.begins, w.begins.Pos[2], w.way.High, "up, over what stands proud", "up")
	high := w.ends
	high.Pos[2] = w.way.High
	if w.ends.RelXYZ {
		high.Pos[2] += w.ends.Pos[2] - w.begins.Pos[2]
	}
	down := w.rise(&high, high.Pos[2], w.ends.Pos[2], "down again", "down again")
	w.err = w.res.extra(w.src, w.ix, Extra{Ear: w.way.Ear, Line: w.way.From, Lines: up})
	if w.err == nil {
		w.err = w.res.extra(w.src, w.ix, Extra{Ear: w.way.Ear, Line: w.way.To + 1, Lines: down,
			early: true})
	}
}

// rise writes a move from one height to another that leaves everything else as
// it is.
func (w *lifter) rise(at *gcode.State, from, to gcode.Nano, why, title string) []routine.Line {
	s := routine.NewScript(*at, w.style)
	s.Mark(mark.Mark{Kind: mark.Over, ID: w.way.Ear, Title: title}, why)
	if at.Inch {
		s.Put("G21", "in millimetres")
	}
	z := to - at.Off[2]
	if at.RelXYZ {
		z = to - from
	}
	s.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', z), routine.FeedZ), why)
	if at.Feed > 0 {
		s.Put("G1 "+routine.Word('F', at.Feed), "speed as it was")
	}
	if at.Inch {
		s.Put("G20", "inches, as the file had it")
	}
	s.Seal(mark.Mark{Kind: mark.Over, ID: w.way.Ear})
	return s.Lines()
}

// extra puts a short run of lines in front of a line.
func (r *Result) extra(src layer.Source, ix *layer.Index, x Extra) error {
	off, err := ix.OffsetOf(src, x.Line)
	if err != nil {
		return err
	}
	r.Extras = append(r.Extras, x)
	if x.early { // in front of an ear, or of a rewritten line, that stands there
		r.Edits = append([]edit.Edit{r.block(src, off, x.Lines)}, r.Edits...)
		return nil
	}
	r.insert(src, off, x.Lines)
	return nil
}
