package routine

import (
	"fmt"
	"slices"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/plan"
)

// landing returns where the head comes down, in machine coordinates.
func (c *compiler) landing() (to [3]gcode.Nano, why string) {
	to = c.goal.Pos
	if len(c.plan.Printer.Shift) == 0 {
		to[2] += c.shift
	}
	// From below the top of its layer the head would go down beside walls that are higher.
	// It stays above them where the file says itself how far down it goes next, else it
	// goes back where it came from.
	if c.fold.HasNext && c.ear.Land != plan.WhereItWas && (!c.fold.Low || c.fold.NextZ) {
		if c.fold.Low {
			to[2] = max(to[2], c.was.Top)
		}
		to[0], to[1] = c.fold.Next[0], c.fold.Next[1]
		return to, "over the place where the next path begins"
	}
	return to, "over the place where it left"
}

// comeBack brings the head back from above and the filament to where it was.
func (c *compiler) comeBack() {
	c.announce()
	c.metric()
	c.countSteps("filament counts in steps")
	c.comeWarm()
	c.even()
	c.Debts(&c.goal)
	moved := c.m.Pos != c.goal.Pos || c.fold.Goal != nil
	if moved {
		to, why := c.landing()
		x, y, low := to[0], to[1], to[2]
		if c.m.Pos[0] != x || c.m.Pos[1] != y {
			if low := c.was.Top + gcode.MM/2; c.m.Pos[2] < low && !c.clear(x, y) {
				to := min(c.was.Top+2*gcode.MM, gcode.FromMM(c.plan.Printer.Top))
				c.addLine(fmt.Sprintf("G1 %s F%d", word('Z', to-c.m.Off[2]), FeedZ), "up, clear of the part")
			}
			c.addLine(fmt.Sprintf("G1 %s %s F%d", word('X', x-c.m.Off[0]), word('Y', y-c.m.Off[1]), feedXY),
				why)
		}
		if c.m.Pos[2] != low {
			c.addLine(fmt.Sprintf("G1 %s F%d", word('Z', low-c.m.Off[2]), FeedZ), "down")
		}
	}
	if c.m.Pulled != c.goal.Pulled {
		w := "G11"
		if c.goal.Pulled {
			w = "G10"
		}
		c.addLine(w, "firmware retraction as it was")
	}
	if c.m.Debt != c.goal.Debt {
		c.filament(c.m.Debt-c.goal.Debt, feedE, "gives back what we drew")
	}
	c.places()
}

// even makes the filament what it is to be away: as far back as was drawn. Lines of
// the user's own, and filament drawn out that was not fed in, may have left it
// otherwise; over the part nothing of that may be given back.
func (c *compiler) even() {
	if c.m.Pulled || c.m.Debt == c.pulled {
		return
	}
	by := c.m.Debt - c.pulled
	if by > gcode.MM && !(c.blind && c.warm == 0) {
		c.ready(c.hotter())
		defer c.comeWarm()
	}
	c.filament(by, feedE, "evens out the filament")
}

func (c *compiler) fan() { c.Fan(&c.goal) }

// restore puts back everything that a step has changed.
func (c *compiler) restore() {
	c.Settle(&c.goal, func(s gcode.Setting) {
		if slices.Contains(c.lifts, s.Line) {
			return // it is meant to stay
		}
		whose := "Your line"
		if c.fold.Joint != nil {
			whose = "The setting of the piece below,"
		}
		c.find(finding.Care, "mode-not-restored", fmt.Sprintf("%s %q stays in force; the file does not "+
			"say what was before.", whose, s.Line))
	})
}

// check compares the machine behind the block with the one before it.
func (c *compiler) check() {
	a, b := &c.goal, &c.m.State
	bad := func(code, what string) {
		text := "Behind the ear " + what + " would not be as before it."
		if c.fold.Joint != nil {
			text = "Behind the joint " + what + " would not be as the piece that comes expects it."
		}
		c.find(finding.Stop, code, text)
	}
	want := a.Logical()
	landed, _ := c.landing()
	for k := range landed {
		landed[k] -= a.Off[k]
	}
	if len(c.plan.Printer.Shift) == 0 {
		landed[2] -= c.shift
	}
	if code, what := Unlike(a, b, c.warm == 0, want, landed); code != "" {
		bad(code, what)
	}
}

// Unlike says how a machine differs from the state that what comes behind expects,
// as the code of a finding and in words; both are empty when it does not. places
// are where it may stand, as the file counts; the nozzle's temperature counts on
// request only.
func Unlike(want, is *gcode.State, nozzle bool, places ...[3]gcode.Nano) (code, what string) {
	switch {
	case !slices.Contains(places, is.Logical()):
		return "position-not-restored", "the place"
	case want.LogicalE() != is.LogicalE() && !want.RelE || want.Debt != is.Debt ||
		want.Pulled != is.Pulled:
		return "filament-jump", "the filament axis"
	case want.RelXYZ != is.RelXYZ || want.RelE != is.RelE || want.Inch != is.Inch:
		return "mode-not-restored", "the way of counting"
	case want.Feed != is.Feed && want.Feed > 0:
		return "feed-not-restored", "the speed"
	case want.Fan != is.Fan:
		return "fan-not-restored", "the fan"
	case want.Bed() != is.Bed() || want.Nozzle() != is.Nozzle() && nozzle && want.Stated():
		return "temperature-not-restored", "the temperature"
	case want.Hot() && !is.Hot():
		return "cold-extrusion", "the nozzle"
	}
	return "", ""
}
