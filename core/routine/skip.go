package routine

import (
	"fmt"
	"slices"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/mark"
	"dogear/core/plan"
)

// Skip returns the lines that stand behind a span that is left out and bring the machine from
// the state before it to the one behind it. n is the layer that the span begins in, crc the
// sum of the lines left out, on which the block's seal goes on.
func Skip(before, after gcode.State, m plan.Span, n int, box [4]gcode.Nano, p *plan.Plan, st Style,
	crc uint32) ([]Line, []finding.Finding) {
	c := &compiler{Script: Script{style: st, now: Frame}, was: after, goal: after, box: box,
		plan: p, ear: &plan.Ear{ID: fmt.Sprintf("mute-%d", m.From), Land: plan.WhereItWas},
		fold: Fold{Line: m.To + 1, Layer: n}}
	c.m.State = before
	c.m.Top = after.Top // what lies there may be lower now, never higher
	c.pulled = before.Debt
	c.m.KeepE = p.Dialect().KeepE
	c.Mark(mark.Mark{Kind: mark.Mute, ID: fmt.Sprintf("%d-%d", m.From, m.To)},
		"the lines above are left out; this goes on as if they had run")
	if !same(&before, &after) { // else there is nothing to put right
		c.metric()
		c.countSteps("filament counts in steps")
		c.comeBack()
		c.restore()
		c.check()
	}
	c.sealWith(crc, mark.Mark{Kind: mark.Mute, ID: fmt.Sprint(m.From)})
	return c.lines, c.finds
}

// same reports whether two states cannot be told apart by what comes behind.
func same(a, b *gcode.State) bool {
	return a.Pos == b.Pos && a.Off == b.Off && a.LogicalE() == b.LogicalE() && a.Debt == b.Debt &&
		a.Feed == b.Feed && a.Fan == b.Fan && a.Tool == b.Tool &&
		a.RelXYZ == b.RelXYZ && a.RelE == b.RelE && a.Inch == b.Inch && a.Pulled == b.Pulled &&
		sameTools(a, b) && a.Hot() == b.Hot() && a.ESet == b.ESet && a.Bed() == b.Bed() &&
		a.Flow() == b.Flow() && a.Speed() == b.Speed() && slices.Equal(a.Settings(), b.Settings())
}

// sameTools reports whether all tools are as hot and hold as much filament back.
func sameTools(a, b *gcode.State) bool {
	for _, s := range []*gcode.State{a, b} {
		for _, t := range s.Tools() {
			if a.Target(t) != b.Target(t) || a.DebtOf(t) != b.DebtOf(t) || a.PulledOf(t) != b.PulledOf(t) {
				return false
			}
		}
	}
	return true
}
