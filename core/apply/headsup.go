package apply

import (
	"fmt"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// HeadsUp is a tone and a message some time before an ear.
type HeadsUp struct {
	Ear    string
	Line   int64 // it stands in front of this line
	Before float64
	Lines  []routine.Line
	block  int // of the ear it is for
}

// headsUp puts a heads-up in front of an ear.
func (r *Result) headsUp(src layer.Source, ix *layer.Index, p *plan.Plan, block int,
	st routine.Style) error {
	b := &r.Blocks[block]
	u, at, err := Herald(src, ix, p, &b.Fold, &b.Ear, st)
	switch {
	case err != nil:
		return err
	case u.Lines == nil:
		b.Findings = append(b.Findings, finding.Finding{Level: finding.Care, Code: "heads-up-left-out",
			Line: b.Fold.Line, Message: "There is no time for a heads-up before ear " + b.Ear.ID + "."})
		return nil
	}
	u.block = block
	r.HeadsUps = append(r.HeadsUps, u)
	r.insert(src, at.Offset, u.Lines)
	return nil
}

// Herald makes the heads-up of an ear at a fold: at the travel nearest to the time, or at the
// fold of the layer that was asked for. Without lines there is no time for one.
func Herald(src layer.Source, ix *layer.Index, p *plan.Plan, f *routine.Fold, e *plan.Ear,
	st routine.Style) (HeadsUp, layer.Place, error) {
	at, began, err := announcedAt(src, ix, f, e.HeadsUp)
	if err != nil || at.Line >= f.Line {
		return HeadsUp{}, at, err
	}
	if mutes(p, at.Line) {
		return HeadsUp{}, at, fmt.Errorf("its heads-up falls into muted lines")
	}
	left := f.Seconds - began
	lines := routine.Announce(f, p, e, left, st)
	return HeadsUp{Ear: e.ID, Line: at.Line, Before: left, Lines: lines}, at, nil
}

// announcedAt is where a heads-up stands, and when that is, s.
func announcedAt(src layer.Source, ix *layer.Index, f *routine.Fold,
	h *plan.HeadsUp) (at layer.Place,
	began float64, err error) {
	if h.Layers > 0 {
		l := &ix.Layers[max(f.Layer-h.Layers, 1)-1]
		return layer.Place{Line: l.Fold, Offset: l.Offset}, l.Begin, nil
	}
	want := f.Seconds - h.Minutes*60
	n := 1
	for n < min(f.Layer, len(ix.Layers)) && ix.Layers[n].Begin <= want {
		n++
	}
	l := &ix.Layers[n-1]
	at, began = layer.Place{Line: l.Fold, Offset: l.Offset}, l.Begin
	moves, err := ix.Decode(src, n)
	if err != nil {
		return at, 0, err
	}
	times, err := ix.Times(src, n, moves)
	if err != nil {
		return at, 0, err
	}
	for i := range moves {
		m := &moves[i]
		across := m.Kind == gcode.Travel && (m.From[0] != m.To[0] || m.From[1] != m.To[1])
		if across && m.Line < f.Line && abs(times[i]-want) < abs(began-want) {
			off, err := ix.OffsetOf(src, m.Line)
			if err != nil {
				return at, 0, err
			}
			at, began = layer.Place{Line: m.Line, Offset: off}, times[i]
		}
	}
	return at, began, nil
}

func abs(v float64) float64 { return max(v, -v) }
