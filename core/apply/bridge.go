package apply

import (
	"fmt"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
	"dogear/core/routine"
)

// paced reports whether a change sets the speed of some of these lines already.
func (r *Result) paced(first, last int64) bool {
	for i := range r.Changes {
		if c := &r.Changes[i]; c.Change.Speed != 0 && c.From.Line <= last && first < c.Until.Line {
			return true
		}
	}
	return false
}

// bridge lays what closes over an opening slower: the factor of speed is lowered
// from the first line over it to the last.
func (r *Result) bridge(src layer.Source, ix *layer.Index, i int, st routine.Style) error {
	b := &r.Blocks[i]
	if b.Ear.Bridge == nil || b.Ear.Kind != plan.Insert {
		return nil
	}
	done := false
	for k := range b.Fits {
		f := b.Fits[k]
		if f.Pocket.Closes == nil || !f.GoesIn() {
			continue
		}
		n := *f.Pocket.Closes
		f.Top = 1e6 // whatever crosses the opening is meant
		watch := insert.NewWatch([]insert.Fit{f})
		moves, err := ix.Decode(src, n)
		if err != nil {
			return err
		}
		first, last := int64(0), int64(0)
		for j := range moves {
			m := &moves[j]
			if m.Kind == gcode.Lay && watch.Hits(m.From, m.To, 0) > 0 {
				if first == 0 {
					first = m.Line
				}
				last = m.Line
			}
		}
		if first == 0 || r.slowed(first, last) || r.paced(first, last) {
			continue
		}
		before, err := ix.StateAt(src, first)
		if err != nil {
			return err
		}
		if err := r.slow(src, ix, b, first, last, before, st); err != nil {
			return err
		}
		done = true
	}
	if !done {
		b.find(finding.Note, "bridge-left-out", "No line was found that closes over it, so nothing is "+
			"laid slower.")
	}
	return nil
}

func (r *Result) slowed(first, last int64) bool {
	for _, s := range r.Slows {
		if first <= s[1] && last >= s[0] {
			return true
		}
	}
	return false
}

func (r *Result) slow(src layer.Source, ix *layer.Index, b *Block, first, last int64,
	at gcode.State, st routine.Style) error {
	id := b.Ear.ID
	usual := at.Speed() * 100
	s := routine.NewScript(at, st)
	s.Mark(mark.Mark{Kind: mark.Slow, ID: id, Title: "what closes over the opening"},
		"a bridge wants to be laid slowly")
	s.Put(fmt.Sprintf("M220 S%.0f", max(10, usual*b.Ear.Bridge.Speed/100)),
		fmt.Sprintf("at %g %% of its speed", b.Ear.Bridge.Speed))
	s.Seal(mark.Mark{Kind: mark.Slow, ID: id})
	if err := r.extra(src, ix, Extra{Ear: id, Line: first, Lines: s.Lines()}); err != nil {
		return err
	}
	t := routine.NewScript(at, st)
	t.Mark(mark.EndsSlow(id), "it is closed")
	t.Put(fmt.Sprintf("M220 S%.0f", usual), "speed as it was")
	t.Seal(mark.Mark{Kind: mark.Slow, ID: id})
	r.Slows = append(r.Slows, [2]int64{first, last})
	return r.extra(src, ix, Extra{Ear: id, Line: last + 1, Lines: t.Lines(), early: true})
}

func (b *Block) find(level finding.Level, code, message string) {
	b.Findings = append(b.Findings, finding.Finding{Level: level, Code: code, Line: b.Fold.Line,
		Message: message})
}
