package routine

import (
	"fmt"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// HeadsUp is a tone and a message some time before an ear.
type HeadsUp struct {
	Ear    string
	Line   int64 // it stands in front of this line
	Before float64
	Lines  []Line
	block  int // of the ear it is for
}

// headsUp puts a heads-up at the travel nearest to the time or at the fold of
// the layer that was asked for.
func (r *Result) headsUp(src layer.Source, ix *layer.Index, p *plan.Plan, block int,
	st Style) error {
	b := &r.Blocks[block]
	h := b.Ear.HeadsUp
	var at layer.Place
	began := 0.0
	if h.Layers > 0 {
		l := &ix.Layers[max(b.Fold.Layer-h.Layers, 1)-1]
		at, began = layer.Place{Line: l.Fold, Offset: l.Offset}, l.Begin
	} else {
		want := b.Fold.Seconds - h.Minutes*60
		n := 1
		for n < b.Fold.Layer && ix.Layers[n].Begin <= want {
			n++
		}
		l := &ix.Layers[n-1]
		at, began = layer.Place{Line: l.Fold, Offset: l.Offset}, l.Begin
		moves, err := ix.Decode(src, n)
		if err != nil {
			return err
		}
		times, err := ix.Times(src, n, moves)
		if err != nil {
			return err
		}
		for i := range moves {
			m := &moves[i]
			across := m.Kind == gcode.Travel && (m.From[0] != m.To[0] || m.From[1] != m.To[1])
			if across && m.Line < b.Fold.Line && abs(times[i]-want) < abs(began-want) {
				off, err := ix.OffsetOf(src, m.Line)
				if err != nil {
					return err
				}
				at, began = layer.Place{Line: m.Line, Offset: off}, times[i]
			}
		}
	}
	if at.Line >= b.Fold.Line {
		b.Findings = append(b.Findings, layer.Finding{Level: layer.Care, Code: "heads-up-left-out",
			Line: b.Fold.Line, Message: "There is no time for a heads-up before ear " + b.Ear.ID + "."})
		return nil
	}
	if mutes(p, at.Line) {
		return fmt.Errorf("its heads-up falls into muted lines")
	}
	left := b.Fold.Seconds - began
	c := &compiler{Script: Script{style: st, now: Frame}, was: b.Fold.At, goal: b.Fold.At, plan: p,
		ear: &b.Ear, fold: b.Fold}
	c.note("; dogear heads-up "+b.Ear.ID+": "+c.title(), "a heads-up, so that you are there in time")
	c.tone(plan.Step{HZ: 660, MS: 150})
	c.tone(plan.Step{HZ: 880, MS: 150})
	c.said = fmt.Sprintf("Stop in about %.0f min: %s", left/60, c.title())
	c.announce()
	c.seal("; dogear heads-up " + b.Ear.ID + " ends")
	u := HeadsUp{Ear: b.Ear.ID, Line: at.Line, Before: left, Lines: c.lines, block: block}
	r.HeadsUps = append(r.HeadsUps, u)
	r.insert(src, at.Offset, c.lines)
	return nil
}

func abs(v float64) float64 { return max(v, -v) }
