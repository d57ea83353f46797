package pickup

import (
	"fmt"
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/routine"
)

// loose prints the rest by itself, on the empty bed: the start-up as it was,
// and every height lowered by the same amount, by one G92 Z.
func (w *writer) loose() error {
	s, ix := w.s, w.ix
	if s.Inside {
		return fmt.Errorf("a loose top begins with a whole layer; choose redo or next")
	}
	w.sc.Note(fmt.Sprintf("; dogear loose top: layer %d and all above it, on the bed", s.Layer), "")
	err := ix.Walk(w.src, 0, ix.Layers[0].Fold, func(line int64, text []byte, cmd *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		t := strip(string(trimEnd(text)))
		why := ""
		if cmd.Letter != 0 {
			why = "the start-up as it was; the bed is empty"
			w.p.Opening = append(w.p.Opening, Entry{Line: line, Was: t, Verdict: Kept, Now: t, Why: why})
		}
		w.sc.Verbatim(t, "")
		return true
	})
	if err != nil {
		return err
	}
	l := &ix.Layers[s.Layer-1]
	from, err := w.firstZ()
	if err != nil {
		return err
	}
	down := l.Height - from // so that it lies as high above the bed as it is thick
	w.apart()
	w.up = max(w.sc.State().Pos[2], l.Height+5*gcode.MM)
	w.tools()
	n := len(w.sc.Lines())
	w.sc.Heats(&s.At, true)
	for _, t := range s.At.Tools() { // filament moves in a warm nozzle only
		if t != s.At.Tool && s.At.DebtOf(t) != 0 && s.At.Target(t) > 0 {
			w.sc.Put(fmt.Sprintf("M109 T%d %s", t, routine.Word('S', gcode.Nano(s.At.Target(t)))),
				"the other nozzle, to draw its filament back")
		}
	}
	w.sc.Debts(&s.At)
	w.added(n, "as hot as it was")
	at := s.At.Pos
	if s.HasNext {
		at[0], at[1] = s.Next[0], s.Next[1]
	}
	if s.AbsZ { // the head leaves from the layer below, which is not there
		at[2] = max(at[2], from)
	}
	w.arrive(at, 0, 0, down)
	top := ix.Height() - l.Z + l.Height
	w.find(layer.Note, "loose-top", s.Line, fmt.Sprintf("The loose top is %s mm high. Glue the face "+
		"that lay on the bed onto the top of layer %d, at %s mm; let both be flat, and mark which way "+
		"it faces before you take it off.", top, s.Kept, l.Z-l.Height))
	if s.Layer > 1 && ix.Layers[s.Layer-1].Box != ix.Layers[max(s.Kept, 1)-1].Box {
		w.find(layer.Note, "loose-top", s.Line, fmt.Sprintf("Layer %d reaches further than the layer "+
			"below it; parts of it that were to be carried lie on the bed now.", s.Layer))
	}
	return nil
}

// firstZ is the height at which the layer of the start is begun.
func (w *writer) firstZ() (gcode.Nano, error) {
	moves, err := w.ix.Decode(w.src, w.s.Layer)
	if err != nil {
		return 0, err
	}
	for i := range moves {
		if moves[i].Kind == gcode.Lay {
			return moves[i].From[2], nil
		}
	}
	return w.ix.Layers[w.s.Layer-1].Z, nil
}

func trimEnd(b []byte) []byte {
	for len(b) > 0 && (b[len(b)-1] == '\n' || b[len(b)-1] == '\r') {
		b = b[:len(b)-1]
	}
	return b
}

// TouchCheck returns the lines of a file that brings the nozzle, cold and
// without moving any filament, close to three places of the outer wall that was
// laid last, so that one sees whether the place is right.
func TouchCheck(src layer.Source, ix *layer.Index, c Choice) ([]routine.Line, [][2]float64, *Start,
	error) {
	s, err := Find(src, ix, &c)
	if err != nil {
		return nil, nil, nil, err
	}
	n := max(s.Kept, 1)
	if s.Lies > ix.Layers[n-1].Z {
		n = s.Layer // laid in part, or laid again
	}
	moves, err := ix.Decode(src, n)
	if err != nil {
		return nil, nil, nil, err
	}
	points := corners(moves)
	if len(points) == 0 {
		return nil, nil, nil, fmt.Errorf("layer %d has no wall to touch", n)
	}
	z := ix.Layers[n-1].Z
	clear := c.Clearance
	if clear <= 0 {
		clear = usualClearance
	}
	up := s.Top + gcode.FromMM(clear)
	sc := routine.NewScript(gcode.State{}, routine.Style{Lower: ix.Lower})
	sc.Note(fmt.Sprintf("; dogear touch check: three places of layer %d, at %s mm", n, z), "")
	sc.Put("G21", "millimetres")
	sc.Put("G90", "places count from the corner of the bed")
	sc.Put("M83", "filament would count in steps; none is moved")
	if c.Z == ByTouch || c.Z == "" {
		sc.Put("G92 "+routine.Word('Z', z+gcode.FromMM(c.Feeler)),
			"you have brought the nozzle down onto the part: it stands here")
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', up), feedZ), "up first")
		sc.Put("G28 X Y", "home X and Y; the nozzle is above the part")
	} else {
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', up), feedZ), "up first")
	}
	out := [][2]float64{}
	for i, p := range points {
		out = append(out, [2]float64{p[0].Millimetres(), p[1].Millimetres()})
		z := max(z, standsAt(moves, p)) // inner walls may be half a layer higher
		sc.Put(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', p[0]+gcode.FromMM(c.DX)),
			routine.Word('Y', p[1]+gcode.FromMM(c.DY)), feedXY), fmt.Sprintf("over place %d", i+1))
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', z+2*gcode.MM+gcode.FromMM(c.DZ)), feedZ),
			"down to 2 mm above the wall")
		sc.Put(fmt.Sprintf("M0 Place %d: is the nozzle above the outer wall?", i+1), "look, then resume")
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', z+gcode.MM/10+gcode.FromMM(c.DZ)), feedDown/3),
			"slowly down: a sheet of paper just fits under it")
		sc.Put(fmt.Sprintf("M0 Place %d: does a sheet of paper just fit?", i+1), "look, then resume")
		sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', up), feedZ), "up")
	}
	sc.Note("; dogear touch check ends", "")
	return sc.Lines(), out, s, nil
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
		if p.Class == layer.Way || p.Class == layer.Support || p.Class == layer.Skirt || outer && !is {
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
