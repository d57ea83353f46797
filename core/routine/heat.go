package routine

import (
	"fmt"
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/plan"
)

// The rules of heat. A change from a filament at a to one at b draws the old one out
// at a, feeds and purges the new one at the hotter of both, goes to b, waits for it
// where the head is parked, and only then comes back. Nothing waits on the part.
//
//	nozzle  a ────┐ cooled, if asked  ┌── max(a, b) ──┐
//	              └────── stop ───────┘  load, purge  └── b ── back over the part

// keepClear is how high above the part the head may wait.
const keepClear = 2.0

// next heat: what is wanted behind the ear, millionths of a degree.
func (c *compiler) wanted() int64 {
	if c.warm > 0 {
		return int64(math.Round(c.warm * 1e6))
	}
	return c.goal.Nozzle()
}

// hotter is the greater heat of what was laid and what comes.
func (c *compiler) hotter() int64 {
	old := c.was.Nozzle()
	if c.fold.Own > 0 && old < gcode.Cold {
		old = int64(c.fold.Own * 1e6)
	}
	return max(old, c.wanted())
}

// ready waits until the nozzle is at least so warm, before filament moves.
func (c *compiler) ready(v int64) {
	if v < gcode.Cold || c.blind && c.warm == 0 {
		return
	}
	if c.m.Nozzle() >= v && c.m.Hot() && !c.coming {
		return
	}
	c.setHeat(v, true)
}

// setHeat tells the nozzle a temperature; what waits does so off the part.
func (c *compiler) setHeat(v int64, wait bool) {
	if !wait {
		c.coming = c.coming || v > c.m.Nozzle()
		c.addLine("M104 "+word('S', gcode.Nano(v)), fmt.Sprintf("nozzle to %s C", mmText(gcode.Nano(v))))
		return
	}
	c.offPart()
	letter := byte('S')
	if v < c.m.Nozzle() {
		letter = 'R' // only this waits while it cools
	}
	c.addLine("M109 "+word(letter, gcode.Nano(v)), fmt.Sprintf("wait for the nozzle at %s C",
		mmText(gcode.Nano(v))))
	c.coming = false
}

// heater carries out a step that heats or cools. Without a temperature it goes to
// what is needed next: to purge, the hotter of both, else what comes.
func (c *compiler) heater(s plan.Step) {
	if c.blind && c.warm == 0 {
		if !c.toldBlind {
			c.toldBlind = true
			c.find(finding.Care, "no-heat",
				fmt.Sprintf("The file does not say how hot the nozzle is, so ear "+
					"%s leaves the heat alone: what was cooled could not be brought back. Give the filament its "+
					"temperature in the Kit.", c.ear.ID))
		}
		return
	}
	v := int64(math.Round(s.Celsius * 1e6))
	if v == 0 {
		if v = c.wanted(); c.feeds() {
			v = c.hotter()
		}
	}
	if c.m.Nozzle() == v && (c.m.Hot() && !c.coming || !s.Wait) {
		return
	}
	c.setHeat(v, s.Wait)
}

// feeds reports whether a later step pushes filament.
func (c *compiler) feeds() bool {
	for _, s := range c.steps[max(c.now, 0):] {
		if s.Do == "load" || s.Do == "purge" {
			return true
		}
	}
	return false
}

// comeWarm brings tool, bed and nozzle to what is wanted behind the block, and waits,
// before the head goes back over the part.
func (c *compiler) comeWarm() {
	c.Tools(&c.goal)
	if c.warm > 0 {
		c.Heats(&c.goal, false)
		want := c.wanted()
		switch {
		case c.all: // it has waited for what it needed
			if c.m.Nozzle() != want {
				c.setHeat(want, false)
			}
			c.coming = false
		case c.m.Nozzle() != want || !c.m.Hot() || c.coming:
			c.setHeat(want, true)
		}
		return
	}
	if c.waitsFor(&c.goal) {
		c.offPart()
	}
	c.Heats(&c.goal, true)
	if c.coming && c.goal.Hot() && c.goal.Nozzle() >= gcode.Cold && !c.all {
		c.setHeat(c.goal.Nozzle(), true)
	}
}

// waitsFor reports whether bringing the heats to a state takes waiting.
func (c *compiler) waitsFor(s *gcode.State) bool {
	return s.Hot() && (c.m.Nozzle() != s.Nozzle() || !c.m.Hot() || c.coming)
}

// offPart takes the head up where it would wait on the part.
func (c *compiler) offPart() {
	low := c.was.Top + gcode.FromMM(keepClear)
	if c.fold.Layer < 1 || c.m.Pos[2] >= low || !c.overPart(c.m.Pos[0], c.m.Pos[1]) || c.was.Top == 0 {
		return
	}
	c.lift(keepClear)
	if c.m.Pos[2] < low {
		c.find(finding.Stop, "lift-too-low", fmt.Sprintf("The head would wait right on the part at ear "+
			"%s: there is no room to lift it.", c.ear.ID))
	}
}
