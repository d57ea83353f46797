package routine

import (
	"fmt"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/plan"
)

func (c *compiler) retract(s plan.Step) {
	want := gcode.FromMM(s.MM)
	if c.was.Pulled {
		return // the firmware holds it back already
	}
	add := want - c.m.Debt
	if add <= 0 {
		return
	}
	why := fmt.Sprintf("draws %s mm back", mmText(add))
	if c.m.Debt > 0 {
		why = fmt.Sprintf("draws %s mm more back, %s in all", mmText(roughly(add)), mmText(want))
	}
	c.filament(-add, speedOr(s.Speed, feedE), why)
	c.pulled = max(c.pulled, c.m.Debt)
}

// roughly rounds a length to a micrometre, for words: what a volume stands for has
// decimals that nobody wants to read.
func roughly(n gcode.Nano) gcode.Nano { return (n + 500) / 1000 * 1000 }

// lift goes up above the highest plastic, as far as the printer allows.
func (c *compiler) lift(mm float64) {
	top := max(c.was.Top, c.m.Pos[2])
	to := top + gcode.FromMM(mm)
	limit := gcode.FromMM(c.plan.Printer.Top)
	if to > limit {
		if limit < top+gcode.MM {
			c.find(finding.Care, "lift-too-low", fmt.Sprintf("There is no room to lift: the print is at %s "+
				"mm and the printer ends at %g mm.", top, c.plan.Printer.Top))
		}
		to = limit
	}
	if to <= c.m.Pos[2] {
		return
	}
	c.addLine(fmt.Sprintf("G1 %s F%d", word('Z', to-c.m.Off[2]), FeedZ),
		fmt.Sprintf("up, %s mm above the highest plastic", mmText(to-c.was.Top)))
}

// overPart reports whether a place lies overPart what the print lays.
func (c *compiler) overPart(x, y gcode.Nano) bool {
	const m = 2 * gcode.MM
	return x > c.box[0]-m && x < c.box[2]+m && y > c.box[1]-m && y < c.box[3]+m
}

func (c *compiler) park(s plan.Step) {
	if s.Keep {
		return
	}
	pr := c.plan.Printer
	at := pr.Park
	if s.At != "" {
		named, ok := pr.Places[s.At]
		if !ok {
			c.find(finding.Note, "park-moved", fmt.Sprintf("There is no place called %q for %s; the usual "+
				"park place is used.", clean(s.At), clean(pr.Called())))
		} else {
			at = named
		}
	}
	x, y := gcode.FromMM(at[0]), gcode.FromMM(at[1])
	if s.X != nil {
		x = gcode.FromMM(*s.X)
	}
	if s.Y != nil {
		y = gcode.FromMM(*s.Y)
	}
	// up before across, whatever the routine says
	if c.m.Pos[2] < c.was.Top+gcode.MM/2 && !c.clear(x, y) {
		c.lift(keepClear)
	}
	if c.m.Pos[2] < c.was.Top+gcode.MM/2 && !c.clear(x, y) {
		c.find(finding.Stop, "drag", "The head cannot be parked: there is no room to lift it over the "+
			"part.")
		return
	}
	if c.overPart(x, y) {
		moved := false
		for _, p := range Corners(pr.Bed) {
			if !c.overPart(p[0], p[1]) {
				c.find(finding.Note, "park-moved",
					fmt.Sprintf("The park place X%s Y%s lies over the part; X%s "+
						"Y%s is used.", x, y, p[0], p[1]))
				x, y, moved = p[0], p[1], true
				break
			}
		}
		if !moved {
			c.find(finding.Care, "prime-on-part",
				"Every park place lies over the part, so what oozes or is "+
					"purged falls on it.")
		}
	}
	c.addLine(fmt.Sprintf("G1 %s %s F%d", word('X', x-c.m.Off[0]), word('Y', y-c.m.Off[1]), feedXY),
		"aside")
}

// Corners are the places 5 mm inside the corners of a bed, those at its back first.
func Corners(bed [4]float64) [4][2]gcode.Nano {
	const in = 5
	x0, y0, x1, y1 := gcode.FromMM(bed[0]+in), gcode.FromMM(bed[1]+in), gcode.FromMM(bed[2]-in),
		gcode.FromMM(bed[3]-in)
	return [4][2]gcode.Nano{{x0, y1}, {x1, y1}, {x0, y0}, {x1, y0}}
}

// clear reports whether the straight way to a place passes beside the part.
func (c *compiler) clear(x, y gcode.Nano) bool {
	const steps = 200
	for k := range steps + 1 {
		px := c.m.Pos[0] + (x-c.m.Pos[0])*gcode.Nano(k)/steps
		py := c.m.Pos[1] + (y-c.m.Pos[1])*gcode.Nano(k)/steps
		if c.overPart(px, py) {
			return false
		}
	}
	return true
}

// unload draws the filament out, at the heat it was laid with. It goes only as far
// as it is fed in again: what is drawn out further than that nobody gives back.
func (c *compiler) unload(s plan.Step) {
	mm := gcode.FromMM(or(s.MM, c.plan.Filaments[c.fold.Before].Unload))
	fed, feeds := gcode.Nano(0), false
	for _, later := range c.steps[c.now:] {
		if later.Do == "load" {
			feeds = true
			fed += gcode.FromMM(or(later.MM, c.plan.Filaments[c.next()].Load))
		}
	}
	if feeds && mm > fed {
		c.find(finding.Note, "unload-shortened", fmt.Sprintf("The filament is drawn out by %s mm and no "+
			"further, since no more is fed in; draw the rest out by hand.", fed))
		mm = fed
	}
	if mm <= 0 {
		return
	}
	c.offPart()
	c.ready(c.was.Nozzle())
	c.filament(-mm, speedOr(s.Speed, feedE), fmt.Sprintf("draws %s mm out", mmText(mm)))
	c.drawn += mm
}

// load feeds the filament in, at the greater heat of the two.
func (c *compiler) load(s plan.Step) {
	mm := gcode.FromMM(or(s.MM, c.plan.Filaments[c.next()].Load))
	if mm <= 0 {
		return
	}
	c.offPart()
	c.ready(c.hotter())
	held := c.m.Pulled
	if held {
		c.addLine("G11", "gives back what the firmware held")
	}
	c.filament(mm, speedOr(s.Speed, feedE), fmt.Sprintf("feeds %s mm in", mmText(mm)))
	c.drawn = max(c.drawn-mm, 0)
	if held {
		c.addLine("G10", "the firmware holds it back again")
	}
}

// purge pushes filament through and takes the pressure back, so that as much is
// drawn back as was before the person came.
func (c *compiler) purge(s plan.Step) {
	s.MM = c.plan.PurgeOf(c.ear, s)
	if s.MM <= 0 {
		return
	}
	if c.overPart(c.m.Pos[0], c.m.Pos[1]) {
		c.find(finding.Care, "prime-on-part", "What is purged falls onto the part: the head stands over "+
			"it.")
	}
	c.offPart()
	c.ready(c.hotter())
	held := c.m.Pulled
	if held {
		c.addLine("G11", "gives back what the firmware held")
	}
	from := len(c.lines)
	c.filament(gcode.FromMM(s.MM), speedOr(s.Speed, feedLoad),
		fmt.Sprintf("purges %g mm; wipe it off", s.MM))
	for i := range c.lines[from:] {
		c.lines[from+i].Purge = true
	}
	c.drawn = max(c.drawn-gcode.FromMM(s.MM), 0)
	if held {
		c.addLine("G10", "the firmware holds it back again")
	}
	if c.m.Debt < c.pulled {
		c.filament(c.m.Debt-c.pulled, feedE, "draws back again")
	}
}

// wipe brushes the nozzle along the edge of the bed by moving a little.
func (c *compiler) wipe() {
	p := c.m.Pos
	bed := c.plan.Printer.Bed
	to := p[0] + 20*gcode.MM
	if to > gcode.FromMM(bed[2]) {
		to = p[0] - 20*gcode.MM
	}
	if c.overPart(to, p[1]) {
		return
	}
	c.addLine(fmt.Sprintf("G1 %s F%d", word('X', to-c.m.Off[0]), feedXY), "wipes")
	c.addLine(fmt.Sprintf("G1 %s F%d", word('X', p[0]-c.m.Off[0]), feedXY), "and back")
}
