package routine

import (
	"fmt"
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
)

// How a bond pass moves: every travel is lifted by hopBy, and on those longer
// than pullAfter the filament is drawn back.
const (
	pullAfter = 2 * gcode.MM
	hopBy     = gcode.MM
	MaxBond   = 60_000 // moves that are laid once more, at the most
)

// bond lays the layer under the fold once more with a share of its filament:
// the nozzle, at the layer's own height, melts the surface that has cooled and
// wets it.
//
//	parked ──────────╮ across, lifted            ╭── parked
//	                 ╰─ laid ─╮ hop ╭─ laid ─╯
//
// What it lays is marked at both ends, so that the proof can tell it from the
// print's own.
func (c *compiler) bond(flow float64) {
	again := c.fold.Again
	if e := c.ear; e.Kind == plan.Colour && (e.Filament == "" || e.Filament != c.fold.Before) {
		c.find(finding.Note, "bond-left-out", "The bond pass at ear "+e.ID+" is left out: it would lay "+
			"the layer below once more in the new colour.")
		return
	}
	if len(again) == 0 {
		c.find(finding.Note, "bond-left-out", "The bond pass at ear "+c.ear.ID+" has nothing to lay: no "+
			"whole layer of the same object lies under it.")
		return
	}
	if len(again) > MaxBond {
		c.find(finding.Care, "bond-left-out",
			fmt.Sprintf("The layer under ear %s has %d moves, too many "+
				"for a bond pass; it is left out.", c.ear.ID, len(again)))
		return
	}
	c.announce()
	c.comeWarm()
	c.even()
	c.Mark(mark.Mark{Kind: mark.Bond, ID: c.ear.ID},
		"the layer below once more, thinly, so that the next one sticks")
	c.fan()
	debt, held, high := c.m.Debt, c.m.Pulled, c.m.Pos[2]
	hop := min(c.was.Top+hopBy, gcode.FromMM(c.plan.Printer.Top))
	first := true
	top := gcode.Nano(0)
	for i := range again {
		if again[i].Kind == gcode.Lay {
			top = max(top, again[i].To[2])
		}
	}
	for _, p := range layer.Paths(again) {
		if p.Class == layer.Travel || p.Class == layer.Support || p.Class == layer.Skirt ||
			!level(again[p.From:p.To], top) {
			continue
		}
		c.reach(again[p.From].From, first, debt, held, max(hop, again[p.From].From[2]))
		first = false
		for i := p.From; i < p.To; i++ {
			c.again(&again[i], flow)
		}
	}
	c.hold(debt, held)
	if to := max(high, hop); to > c.m.Pos[2] {
		c.addLine(fmt.Sprintf("G1 %s F%d", word('Z', to-c.m.Off[2]), FeedZ), "up")
	}
	c.Mark(mark.Mark{Kind: mark.Bond, ID: c.ear.ID, Ends: true}, "the bond pass ends here")
}

// level brings a path to the top of its layer: a sloped start is laid level. It returns
// false when the path lies lower; walls stand above it then, and it is left alone.
func level(path []layer.Move, top gcode.Nano) bool {
	high := gcode.Nano(0)
	for i := range path {
		high = max(high, path[i].To[2])
	}
	if high < top-SameLevel {
		return false
	}
	for i := range path {
		path[i].From[2], path[i].To[2] = top, top
	}
	return true
}

// reach brings the nozzle to where a path begins, filament given back.
func (c *compiler) reach(to [3]gcode.Nano, first bool, debt gcode.Nano, held bool, hop gcode.Nano) {
	far := math.Hypot(float64(to[0]-c.m.Pos[0]), float64(to[1]-c.m.Pos[1])) > float64(pullAfter)
	if far {
		c.hold(debt, held)
	}
	if c.m.Pos[0] != to[0] || c.m.Pos[1] != to[1] {
		if c.m.Pos[2] < hop {
			c.addLine(fmt.Sprintf("G1 %s F%d", word('Z', hop-c.m.Off[2]), FeedZ), "hop")
		}
		c.addLine(fmt.Sprintf("G1 %s %s F%d", word('X', to[0]-c.m.Off[0]), word('Y', to[1]-c.m.Off[1]),
			feedXY), "to where a path begins")
	}
	if c.m.Pos[2] != to[2] {
		c.addLine(fmt.Sprintf("G1 %s F%d", word('Z', to[2]-c.m.Off[2]), FeedZ), "down")
	}
	if far || first {
		if c.m.Pulled {
			c.addLine("G11", "gives back what the firmware held")
		}
		c.filament(c.m.Debt, feedE, "gives the filament back")
	}
}

// hold draws the filament back as far as it was when the pass began.
func (c *compiler) hold(debt gcode.Nano, held bool) {
	if held && !c.m.Pulled {
		c.addLine("G10", "the firmware holds it back")
	}
	if !held && c.m.Debt < debt {
		c.filament(c.m.Debt-debt, feedE, "draws back")
	}
}

// again lays one move once more.
func (c *compiler) again(m *layer.Move, flow float64) {
	const grain = 10 // filament is written to five decimals
	e := gcode.Nano(math.Round(float64(m.Laid)*flow/grain)) * grain
	text, turn := "G1", ""
	if m.Arc != nil {
		text = "G2"
		if m.Arc.Turn > 0 {
			text = "G3"
		}
		turn = fmt.Sprintf(" %s %s", word('I', fine(m.Arc.CX)-m.From[0]),
			word('J', fine(m.Arc.CY)-m.From[1]))
	}
	text += fmt.Sprintf(" %s %s", word('X', m.To[0]-c.m.Off[0]), word('Y', m.To[1]-c.m.Off[1]))
	if m.To[2] != c.m.Pos[2] {
		text += " " + word('Z', m.To[2]-c.m.Off[2])
	}
	c.run(text+turn+fmt.Sprintf(" %s F%s", c.eWord(e), mmText(m.Feed)), "", false)
}

// fine turns mm into a place with five decimals.
func fine(mm float64) gcode.Nano { return gcode.FromMM(math.Round(mm*1e5) / 1e5) }
