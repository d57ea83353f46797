package pickup

import (
	"fmt"
	"math"
	"slices"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Paper is what just fits under the nozzle at each place of a touch check, mm, where nothing
// else was said.
const Paper = 0.1

// TouchCheck returns the lines of a file that brings the nozzle, cold and
// without moving any filament, close to three places of the outer wall that was
// laid last, so that one sees whether the place is right. It finds its height as the pick-up
// will, and stops as the printer does; pr may be nil.
func TouchCheck(src layer.Source, ix *layer.Index, pr *plan.Printer, c Choice) ([]routine.Line,
	[][2]float64, *Start, error) {
	s, err := Find(src, ix, &c)
	if err != nil {
		return nil, nil, nil, err
	}
	if pr == nil {
		pr = plan.Generic()
	}
	n := max(s.Kept, 1)
	if s.Lies > ix.Layers[n-1].Z {
		n = s.Layer // laid in part, or laid again
	}
	moves, points, err := touched(src, ix, s, n)
	if err != nil {
		return nil, nil, nil, err
	}
	if len(points) == 0 {
		return nil, nil, nil, fmt.Errorf("layer %d has no wall to touch", n)
	}
	z := ix.Layers[n-1].Z
	if c.Clearance <= 0 {
		c.Clearance = usualClearance
	}
	sc := routine.NewScript(gcode.State{}, routine.Style{Lower: ix.Lower})
	sc.Mark(mark.Mark{Kind: mark.Touch,
		Title: fmt.Sprintf("three places of layer %d, at %s mm", n, z)}, "")
	sc.Put("G21", "millimetres")
	sc.Put("G90", "places count from the corner of the bed")
	sc.Put("M83", "filament would count in steps; none is moved")
	up := s.Top + gcode.FromMM(c.Clearance)
	if err := checkFrom(sc, pr, &c, z, up); err != nil {
		return nil, nil, nil, err
	}
	gap := c.Feeler
	if gap <= 0 {
		gap = Paper
	}
	out := [][2]float64{}
	for i, p := range points {
		out = append(out, [2]float64{p[0].Millimetres(), p[1].Millimetres()})
		z := max(p[2], standsAt(moves, p)) // inner walls may be half a layer higher
		sc.Put(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', p[0]+gcode.FromMM(c.DX)),
			routine.Word('Y', p[1]+gcode.FromMM(c.DY)), feedXY), fmt.Sprintf("over place %d", i+1))
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', z+2*gcode.MM+gcode.FromMM(c.DZ)), feedZ),
			"down to 2 mm above the wall")
		ask(sc, pr, fmt.Sprintf("Place %d: is the nozzle above the outer wall?", i+1))
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', z+gcode.FromMM(gap+c.DZ)), feedDown/3),
			fmt.Sprintf("slowly down: %g mm of paper just fits under it", gap))
		ask(sc, pr, fmt.Sprintf("Place %d: do %g mm of paper just fit?", i+1, gap))
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', up), feedZ), "up")
	}
	sc.Mark(mark.Mark{Kind: mark.Touch, Ends: true}, "")
	return sc.Lines(), out, s, nil
}

// touched finds the places of a touch check on layer n, with what lies there. Of a layer that
// is laid in part only what lies by then counts; where that is no wall yet, places of the layer
// below are taken that are still free.
func touched(src layer.Source, ix *layer.Index, s *Start, n int) ([]layer.Move, [][3]gcode.Nano,
	error) {
	moves, err := ix.Decode(src, n)
	if err != nil || !s.Inside || n != s.Layer {
		return moves, corners(moves), err
	}
	until := s.Line
	if s.Rest != nil { // of a move that is cut, nobody touches either half
		until = s.Rest.Line
	}
	laid := slices.DeleteFunc(moves, func(m layer.Move) bool { return m.Line >= until })
	points := corners(laid)
	if n == 1 || len(points) == 3 && apart(points) {
		return laid, points, nil
	}
	below, err := ix.Decode(src, n-1)
	if err != nil {
		return nil, nil, err
	}
	free := slices.DeleteFunc(slices.Clone(below),
		func(m layer.Move) bool { return standsAt(laid, m.From) > 0 || standsAt(laid, m.To) > 0 })
	if b := corners(free); len(b) == 3 {
		points = b
	} else if len(points) == 0 {
		points = corners(below)
	}
	return append(laid, below...), points, nil
}

// apart reports whether places lie so far from one another that they tell of the whole part.
func apart(points [][3]gcode.Nano) bool {
	const least = 5.0 // mm
	for i, a := range points {
		b := points[(i+1)%len(points)]
		if math.Hypot((a[0]-b[0]).Millimetres(), (a[1]-b[1]).Millimetres()) < least {
			return false
		}
	}
	return true
}

// checkFrom finds the printer's place in front of a touch check, as the pick-up will.
func checkFrom(sc *routine.Script, pr *plan.Printer, c *Choice, z, up gcode.Nano) error {
	lift := gcode.FromMM(c.Clearance)
	switch {
	case c.Z == ByKept:
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', up), feedZ), "up first")
	case c.Z == ByClear:
		if c.HomeAt == nil {
			return fmt.Errorf("say where Z is homed, clear of the part")
		}
		if !pr.HomesFirst {
			sc.Put("G91", "steps")
			sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', lift), feedZ),
				"up first, from wherever it stands")
			sc.Put("G90", "places count from the corner of the bed")
		}
		sc.Put("G28 X Y", "home X and Y; the nozzle is above the part")
		sc.Put(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', gcode.FromMM(c.HomeAt[0])),
			routine.Word('Y', gcode.FromMM(c.HomeAt[1])), feedXY), "beside the part")
		sc.Put("G28 Z", "find the height, clear of the part")
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', up), feedZ), "up, above the part")
	case pr.HomesFirst:
		sc.Put("G92 "+routine.Word('Z', z+gcode.FromMM(c.Feeler)+lift),
			fmt.Sprintf("you have taken it up by hand by %s mm from where it touched", lift))
		sc.Put("G28 X Y", "home X and Y; the nozzle is above the part")
	default:
		sc.Put("G92 "+routine.Word('Z', z+gcode.FromMM(c.Feeler)),
			"you have brought the nozzle down onto the part: it stands here")
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', up), feedZ), "up first")
		sc.Put("G28 X Y", "home X and Y; the nozzle is above the part")
	}
	return nil
}

// timedLook waits where the printer was seen to go straight on at a word: every one waits for a
// time.
const timedLook = "G4 S30"

// ask waits for somebody to look, in the printer's own word; one that would do something
// else than wait is not used.
func ask(sc *routine.Script, pr *plan.Printer, question string) {
	word := pr.StopWord(plan.Insert)
	if plan.DoesItAll(word) {
		word = "M0"
	}
	if pr.IgnoresStop(word) {
		word = timedLook
	}
	told := word == "M0" || word == "M1"
	switch {
	case told:
	case pr.Blank:
		sc.Note("; "+question, "this printer shows no messages")
	default:
		sc.Put("M117 "+question, "on the display")
	}
	for _, l := range pr.StayAwake {
		sc.Put(l, "keeps it awake")
	}
	for _, l := range pr.SettleBefore {
		sc.Put(l, "so that it stops here, not later")
	}
	if told {
		word += " " + question
	}
	sc.Put(word, "waits for you")
}

// standsAt returns how high what a layer lays stands within a nozzle's tip of a place.
func standsAt(moves []layer.Move, p [3]gcode.Nano) gcode.Nano {
	const tip = 1.0 // mm
	x, y := p[0].Millimetres(), p[1].Millimetres()
	high := gcode.Nano(0)
	for i := range moves {
		m := &moves[i]
		if m.Kind != gcode.Lay {
			continue
		}
		x0, y0 := m.From[0].Millimetres(), m.From[1].Millimetres()
		dx, dy := m.To[0].Millimetres()-x0, m.To[1].Millimetres()-y0
		t := ((x-x0)*dx + (y-y0)*dy) / max(dx*dx+dy*dy, 1e-12)
		t = min(max(t, 0), 1)
		d := math.Hypot(x0+t*dx-x, y0+t*dy-y)
		if m.Arc != nil { // on its circle, be it on the arc or not: rather too high
			d = math.Abs(math.Hypot(x-m.Arc.CX, y-m.Arc.CY) - m.Arc.R0)
		}
		if d < tip {
			high = max(high, m.From[2], m.To[2])
		}
	}
	return high
}

// corners picks three places of the longest outer wall, far from one another.
func corners(moves []layer.Move) [][3]gcode.Nano {
	var wall []layer.Move
	longest, outer := 0.0, false
	for _, p := range layer.Paths(moves) {
		is := p.Class == layer.Outer
		if p.Class == layer.Travel || p.Class == layer.Support || p.Class == layer.Skirt || outer && !is {
			continue
		}
		if is && !outer || p.Length > longest {
			wall, longest, outer = moves[p.From:p.To], p.Length, outer || is
		}
	}
	var pts [][3]gcode.Nano
	step := max(len(wall)/240, 1)
	for i := 0; i < len(wall); i += step {
		pts = append(pts, wall[i].From)
		if wall[i].Arc != nil { // an arc may be the whole wall
			for _, t := range []float64{0.33, 0.67} {
				x, y := wall[i].Arc.At(t)
				pts = append(pts, [3]gcode.Nano{fine(x), fine(y), wall[i].From[2]})
			}
		}
	}
	if len(pts) < 3 {
		return pts
	}
	far := func(a, b [3]gcode.Nano) float64 {
		x, y := (a[0] - b[0]).Millimetres(), (a[1] - b[1]).Millimetres()
		return x*x + y*y
	}
	a, b, best := 0, 1, 0.0
	for i := range pts {
		for k := range i {
			if d := far(pts[i], pts[k]); d > best {
				a, b, best = k, i, d
			}
		}
	}
	c, best := a, 0.0
	for i := range pts {
		if d := min(far(pts[i], pts[a]), far(pts[i], pts[b])); d > best {
			c, best = i, d
		}
	}
	return [][3]gcode.Nano{pts[a], pts[b], pts[c]}
}

func fine(mm float64) gcode.Nano { return gcode.FromMM(float64(int64(mm*1000+0.5)) / 1000) }
