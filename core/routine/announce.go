package routine

import (
	"fmt"

	"dogear/core/mark"
	"dogear/core/plan"
)

// Announce returns the lines of a heads-up: tones, and a message that says what comes at a fold
// in so many seconds.
func Announce(f *Fold, p *plan.Plan, e *plan.Ear, left float64, st Style) []Line {
	c := &compiler{Script: Script{style: st, now: Frame}, was: f.At, goal: f.At, plan: p, ear: e,
		fold: *f}
	m := mark.Mark{Kind: mark.HeadsUp, ID: e.ID, Title: c.title()}
	if f.Joint != nil { // a bound file is no marked one: its joints stay in it
		m.Kind, m.ID = mark.Joint, e.ID+" announced"
	}
	c.Mark(m, "a heads-up, so that you are there in time")
	c.tone(plan.Step{HZ: 660, MS: 150})
	c.tone(plan.Step{HZ: 880, MS: 150})
	c.said = fmt.Sprintf("Stop in about %.0f min: %s", left/60, c.title())
	c.announce()
	c.Seal(mark.Mark{Kind: m.Kind, ID: m.ID})
	return c.lines
}
