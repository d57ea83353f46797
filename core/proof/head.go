package proof

import (
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
)

// overBox reports whether a place lies over what the print lays.
func (x *examiner) overBox(p [3]gcode.Nano) bool { return near(x.box, p) }

// crossesBox reports whether the box round a way meets what the print lays.
func (x *examiner) crossesBox(a, b [3]gcode.Nano) bool {
	const m = 2 * gcode.MM
	k := &x.box
	return max(a[0], b[0]) > k[0]-m && min(a[0], b[0]) < k[2]+m && max(a[1], b[1]) > k[1]-m &&
		min(a[1], b[1]) < k[3]+m
}

// onPart reports whether the nozzle is over plastic, and less than 2 mm above it.
func (x *examiner) onPart() bool {
	p := x.tip(x.w.m.Pos)
	if x.lays == 0 || !x.overBox(p) || p[2].Millimetres() >= x.topOf()+waitClear-1e-6 {
		return false
	}
	h := x.heights()
	px, py := p[0].Millimetres(), p[1].Millimetres()
	under, _, _ := h.Highest(px, py, 1.5, 1.5)
	return under > 0 && p[2].Millimetres() < under+waitClear-1e-6
}

// overPart reports whether plastic stands under the nozzle, at whatever height.
func (x *examiner) overPart() bool {
	p := x.w.m.Pos
	if x.lays == 0 || !x.overBox(p) {
		return false
	}
	h, _, _ := x.heights().Highest(p[0].Millimetres(), p[1].Millimetres(), 1.5, 1.5)
	return h > 0
}

// depth notes how low the nozzle comes.
func (x *examiner) depth(a *gcode.Act) {
	m := &x.w.m
	if m.Known&gcode.KnowZ == 0 {
		return
	}
	x.low(m.Pos[2]-x.w.jump.Tip, x.crossesBox(a.From, m.Pos))
}

func (x *examiner) low(z gcode.Nano, over bool) {
	x.lowest[1] = min(x.lowest[1], z)
	if over {
		x.lowest[0] = min(x.lowest[0], z)
	}
}

// reach looks whether the head can go where it is sent.
func (x *examiner) reach(line int64, put bool) {
	m := &x.w.m
	px, py, pz := m.Pos[0].Millimetres(), m.Pos[1].Millimetres(), m.Pos[2].Millimetres()
	const slack = 0.01
	b := x.limits
	if m.Known&3 == 3 && (px < b[0]-slack || px > b[2]+slack || py < b[1]-slack || py > b[3]+slack) {
		switch {
		case put && x.known:
			x.find(finding.Stop, "outside-bed", line, "X %.2f Y %.2f lies outside the bed, which reaches "+
				"from X %g Y %g to X %g Y %g.", px, py, b[0], b[1], b[2], b[3])
		case put && x.counts["outside-bed"] > 0: // once will do
		case put:
			x.find(finding.Care, "outside-bed", line, "X %.2f Y %.2f lies further out than the file itself "+
				"goes, and nothing says how large the bed is. Name the printer, or see that the head can go "+
				"there.", px, py)
		case x.known:
			x.find(finding.Care, "outside-bed", line, "X %.2f Y %.2f lies outside the bed.", px, py)
		}
	}
	if n := x.named; put && m.Known&3 == 3 && n[2] > n[0] &&
		(px < n[0]-slack || px > n[2]+slack || py < n[1]-slack || py > n[3]+slack) &&
		x.counts["outside-bed"] == 0 {
		x.find(finding.Care, "outside-bed", line, "X %.2f Y %.2f lies outside the bed that the file "+
			"names, from X %g Y %g to X %g Y %g. Is this the right printer?", px, py, n[0], n[1], n[2], n[3])
	}
	if m.Known&gcode.KnowZ != 0 && pz > x.top+0.01 {
		x.find(finding.Stop, "above-top", line, "Z %.2f lies above the printer's top of %g mm.", pz,
			x.top)
	}
}

// bedTolerance is how far below the bed a move may end, mm: files round.
const bedTolerance = 0.02

// sinks looks whether the nozzle would go into the bed. What the original does itself there is
// its own business, but said of a file that is examined alone.
func (x *examiner) sinks(a *gcode.Act, put bool) {
	m := &x.w.m
	from, to := x.tip(a.From), x.tip(m.Pos)
	if m.Known&gcode.KnowZ == 0 || to[2].Millimetres() >= -bedTolerance ||
		!a.MoveX && to[2] >= from[2] {
		return
	}
	switch {
	case x.absolute:
		x.find(finding.Care, "below-bed", x.w.mLine, "The nozzle would go %.2f mm below the bed.",
			-to[2].Millimetres())
	case put:
		x.find(finding.Stop, "below-bed", x.w.mLine, "The nozzle would go %.2f mm below the bed.",
			-to[2].Millimetres())
	case x.w.o.Pos[2] > m.Pos[2] && !x.sunk:
		x.sunk = true // it is the same for all that follows
		x.find(finding.Stop, "below-bed", x.w.mLine, "From here on some of it is laid too low: the "+
			"nozzle would go %.2f mm below the bed. What lies lower than the first layer, as a wiping "+
			"tower may, cannot come along.", -to[2].Millimetres())
	}
}

// drag looks whether the nozzle passes through what is printed.
func (x *examiner) drag(line int64, a *gcode.Act, m *gcode.State, put bool) {
	if h := x.dragged(a, m, put, !put); h != nil {
		x.find(finding.Stop, "drag", line, "The nozzle would run through the part at X %.1f Y %.1f: it "+
			"passes at %.2f mm, the part is %.2f mm high there. Lift %.2f mm more, or go "+
			"round.", h[0], h[1], h[2], h[3], h[3]-h[2])
	}
}

// dragged returns where a way passes through what is printed, at which height,
// and how high that is; nil when it does not. The print's own moves run along edges,
// and what lies on the edge of the map is let pass; a way that was put in has no
// business there. own says that the move is one of the print's.
func (x *examiner) dragged(a *gcode.Act, m *gcode.State, put, own bool) *[4]float64 {
	from, to := x.tip(a.From), x.tip(m.Pos)
	low := min(from[2], to[2]).Millimetres()
	if x.lays == 0 || low >= x.topOf()-dragTolerance || m.Known != 7 || from == to {
		return nil
	}
	if x.w.marks.bond && a.Kind == gcode.Lay {
		return nil // it lies in the layer it melts
	}
	d := [3]float64{(to[0] - from[0]).Millimetres(), (to[1] - from[1]).Millimetres(),
		(to[2] - from[2]).Millimetres()}
	if d[0] == 0 && d[1] == 0 && (d[2] >= 0 || put && x.wasThere(m.Pos)) || !x.crossesBox(from, to) {
		return nil // straight up, or back down to where it was, or beside the part
	}
	h := x.heights()
	room := dragTolerance
	if own {
		room = x.room(a, m, d)
	}
	n := int(math.Min(math.Hypot(d[0], d[1])/0.5, 20000)) + 1
	first := 0
	if d[0] == 0 && d[1] == 0 {
		first = n // straight down: only where it ends
	}
	for k := first; k <= n; k++ {
		t := float64(k) / float64(n)
		px, py, pz := from[0].Millimetres()+d[0]*t, from[1].Millimetres()+d[1]*t,
			from[2].Millimetres()+d[2]*t
		if a.Arc.Turn != 0 {
			px, py = a.Arc.At(t)
		}
		under := h.Inside(px, py)
		if put {
			under = h.Under(px, py)
		}
		if under > pz+room {
			return &[4]float64{px, py, pz, under}
		}
	}
	return nil
}

// wasThere reports whether the nozzle stood at a place when it left the part: beside
// what it had just laid there may be something higher.
func (x *examiner) wasThere(p [3]gcode.Nano) bool {
	return p == x.last || !x.absolute && p == x.w.o.Pos
}

// room returns how much lower than what stands beside it one of the print's own moves may
// be: as much as it lies lower than its layer, and no more than that is thick. A wall that
// begins on a slope goes down to the layer below first and rises beside walls that are
// finished already; fill may lie half a layer lower. What lies at its layer's own height
// has no room.
func (x *examiner) room(a *gcode.Act, m *gcode.State, d [3]float64) float64 {
	w := x.w
	n := w.ix.At(w.oLine)
	down, on := d[0] == 0 && d[1] == 0, d[2] == 0 && a.From[2] == x.last[2]
	if n < 1 || !down && !on && a.Kind != gcode.Lay {
		return dragTolerance
	}
	low := min(a.From[2], m.Pos[2])
	if m != &w.o.State { // as the original has it
		low -= w.jump.Shift[2]
	}
	l := &w.ix.Layers[n-1]
	return max(0, min(l.Z-low, l.Height).Millimetres()) + dragTolerance
}

// graze looks whether a way that was put in crosses the part at its very top.
// The print's own travels may do so; with a stop between, the nozzle oozes and
// catches.
func (x *examiner) graze(line int64, a *gcode.Act) {
	w := x.w
	from, to := x.tip(a.From), x.tip(w.m.Pos)
	low, top := min(from[2], to[2]).Millimetres(), x.topOf()
	if a.Kind != gcode.Travel || !a.MoveX || x.lays == 0 || w.marks.bond || low >= top+0.1 ||
		low < top-dragTolerance || w.m.Known != 7 || !x.crossesBox(from, to) {
		return
	}
	h := x.heights()
	l := math.Hypot((to[0] - from[0]).Millimetres(), (to[1] - from[1]).Millimetres())
	over := 0.0
	for d := 0.5; d < math.Min(l, 10000); d += 0.5 {
		px, py := from[0].Millimetres()+(to[0]-from[0]).Millimetres()*d/l,
			from[1].Millimetres()+(to[1]-from[1]).Millimetres()*d/l
		if h.Inside(px, py) > low-0.1 {
			over += 0.5
		}
	}
	if over >= 2 {
		x.find(finding.Care, "drag", line, "The head crosses %.0f mm of the part at its very top, %.2f "+
			"mm. Lift it before it goes aside, and come back from above.", over, low)
	}
}

// headed looks whether the side of the head or the gantry, on a way that was put
// in, would hit what stands higher than the nozzle. Where the print's own moves
// go next the head has to go anyhow.
func (x *examiner) headed(line int64, a *gcode.Act) {
	if x.lays == 0 || !a.MoveX || x.w.m.Known != 7 {
		return
	}
	low := min(a.From[2], x.w.m.Pos[2]) - x.w.jump.Tip
	if low.Millimetres() >= x.topOf()-dragTolerance {
		return
	}
	if hit, ok := x.heights().Hits(x.w.m.Pos[0].Millimetres(), x.w.m.Pos[1].Millimetres(),
		low.Millimetres()); ok && hit.Missing > 0.2 && x.w.m.Pos != x.last {
		x.find(finding.Care, "drag", line,
			"The side of the nozzle comes within reach of what stands at X "+
				"%.0f Y %.0f; it passes %.1f mm too low. Lift it higher.", hit.X, hit.Y, hit.Missing)
	}
	x.shape(line, &x.w.m.State)
}

// shape looks whether the side of the head, or the gantry, would hit what is
// printed already. It matters where objects are printed one after another; only
// a printer that says its shapes is looked at.
func (x *examiner) shape(line int64, m *gcode.State) {
	if x.pr == nil || x.w.ix.Kind != layer.Sequential || x.lays == 0 {
		return
	}
	z := m.Pos[2].Millimetres()
	px, py := m.Pos[0].Millimetres(), m.Pos[1].Millimetres()
	if r, free := x.pr.Head[0], x.pr.Head[1]; r > 0 && x.topOf() > z+free {
		if h, hx, hy := x.heights().Highest(px, py, r, r); h > z+free {
			x.find(finding.Stop, "drag", line, "The side of the head would hit what stands at X %.0f Y "+
				"%.0f: it is %.1f mm high, and %.1f mm are free under the head here. Print that object last, "+
				"or further away.", hx, hy, h, z+free)
		}
	}
	if g := x.pr.Gantry; g > 0 && x.topOf() > z+g {
		if h, hx, hy := x.heights().Highest(px, py, 10000, math.Max(x.pr.Head[0], 5)); h > z+g {
			x.find(finding.Stop, "drag", line, "The gantry would hit what stands at X %.0f Y %.0f: it is "+
				"%.1f mm high, and %.1f mm are free under the gantry here.", hx, hy, h, z+g)
		}
	}
}

// found notes which axes a command finds or declares: of the original (0) or of
// the edited file (1).
func (x *examiner) found(c *gcode.Command, a *gcode.Act, who int) {
	given := func(l byte) bool { return c.Has(l) || c.Bare(l) }
	switch a.Kind {
	case gcode.Home:
		all := !given('X') && !given('Y') && !given('Z')
		for k := range 3 {
			if all || given(byte('X'+k)) {
				x.homed[who] |= 1 << k
			}
		}
		if who == 1 && (all || given('Z')) {
			x.homes = true
			if x.lays > 0 {
				x.low(0, x.overBox(a.From))
			}
		}
	case gcode.SetAxis:
		for k := range 3 {
			if c.Has(byte('X' + k)) {
				x.homed[who] |= 1 << k
			}
		}
	case gcode.Probe, gcode.Macro, gcode.Unknown:
		x.macro = true
	}
	if who == 0 && a.Kind == gcode.Home && len(x.early) > 0 {
		for _, line := range x.early[:1] {
			x.find(finding.Stop, "not-homed", line, "The head is moved here before the printer has found "+
				"its place; it homes only later (line %d of the original).", x.w.oLine)
		}
		x.early = nil
	}
}

// adrift notes a way put in that moves axes nobody has found yet.
func (x *examiner) adrift(line int64, a *gcode.Act) {
	w := x.w
	if x.silent && x.off == 0 {
		x.find(finding.Stop, "motors-off", line, "The head is moved here although the motors were let "+
			"go: nobody knows where it stands.")
	}
	if x.macro || x.kept || x.homed[1] == 7 || len(x.early) > 0 || w.m.Pos == a.From {
		return
	}
	for k := range 3 {
		if w.m.Pos[k] != a.From[k] && x.homed[1]&(1<<k) == 0 {
			if x.homed[0]&(1<<k) != 0 {
				x.find(finding.Stop, "not-homed", line,
					"The head is moved here, but the printer has not found "+
						"its place: the original homes before this.")
				return
			}
			x.early = append(x.early, line)
			return
		}
	}
}

// unhomed looks at a move of both files that the edited file makes without
// having homed.
func (x *examiner) unhomed(a *gcode.Act) {
	w := x.w
	if x.kept || x.homed[0]&^x.homed[1] == 0 {
		return
	}
	for k := range 3 {
		if w.m.Pos[k] != a.From[k] && x.homed[0]&^x.homed[1]&(1<<k) != 0 {
			x.find(finding.Stop, "not-homed", w.mLine,
				"The head is moved here, but the printer has not found its place: the original homes before "+
					"this.")
			x.homed[1] = 7
			return
		}
	}
}

// home looks at a line that homes or probes.
func (x *examiner) home(line int64, c *gcode.Command, a *gcode.Act) {
	if x.lays == 0 || a.Kind != gcode.Home && a.Kind != gcode.Probe || x.w.jump.Empty {
		return
	}
	w := x.w
	if w.oLine > w.ix.Layers[len(w.ix.Layers)-1].Last && !w.jump.Stands {
		return // behind the last layer it is the end code's
	}
	given := func(l byte) bool { return c.Has(l) || c.Bare(l) }
	onlyXY := a.Kind == gcode.Home && (given('X') || given('Y')) && !given('Z')
	onlyZ := a.Kind == gcode.Home && given('Z') && !given('X') && !given('Y')
	px, py := a.From[0].Millimetres(), a.From[1].Millimetres()
	switch {
	case onlyXY:
		if w.m.Known&gcode.KnowZ != 0 && a.From[2].Millimetres() < x.topOf()+0.2 {
			x.find(finding.Stop, "drag", line, "The sides are homed with the head at %s mm; the part is "+
				"%.2f mm high.", a.From[2], x.topOf())
		}
	case onlyZ && w.m.Known&3 == 3 && x.clear(px, py):
	default:
		x.find(finding.Stop, "homes-onto-part", line,
			"The printer would feel for the bed with the part on it.")
	}
}

// clear reports whether the head can come down to the bed at a place.
func (x *examiner) clear(px, py float64) bool {
	_, hit := x.heights().Hits(px, py, 0)
	return !hit
}

// lowestOf returns how low the nozzle comes, over the part and anywhere; no
// number where it never does.
func (x *examiner) lowestOf() (over, any *gcode.Nano) {
	for k, to := range []**gcode.Nano{&over, &any} {
		if v := x.lowest[k]; v != math.MaxInt64 {
			*to = &v
		}
	}
	return over, any
}

// near reports whether a place lies near what a print lays, or within 2 mm of it. The zero
// box is everywhere.
func near(box [4]gcode.Nano, p [3]gcode.Nano) bool {
	const m = 2 * gcode.MM
	return box == [4]gcode.Nano{} || p[0] > box[0]-m && p[0] < box[2]+m && p[1] > box[1]-m &&
		p[1] < box[3]+m
}
