package pickup

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/mark"
	"dogear/core/raster"
	"dogear/core/routine"
)

func (w *writer) inPlace() error {
	c, s := w.c, w.s
	top := s.Top.Millimetres()
	if h := w.ix.Layers[s.Layer-1].Height.Millimetres(); c.DZ > h {
		w.find(finding.Care, "place-shifted", s.Line,
			fmt.Sprintf("Everything prints %g mm higher, and a layer is only %g mm thick: the first one "+
				"will not reach the part, unless the part is higher than it should be.", c.DZ, h))
	}
	w.up = min(gcode.FromMM(top+c.Clearance+max(c.DZ, 0)), gcode.FromMM(w.pr.Top))
	if w.up < s.Top+gcode.MM {
		w.find(finding.Stop, "lift-too-low", s.Line,
			fmt.Sprintf("There is no room above the part: it is %s mm high and the printer ends at %g "+
				"mm.", s.Top, w.pr.Top))
	}
	from := ""
	if s.Rest != nil {
		from = fmt.Sprintf(", after the rest of line %d", s.Rest.Line)
	}
	w.sc.Mark(mark.Mark{Kind: mark.PickUp, Title: fmt.Sprintf("goes on with layer %d, line %d of the "+
		"original%s", s.Layer, s.Line, from)}, "")
	b := w.ix.Box
	w.sc.Mark(mark.Mark{Kind: mark.Stands, Title: fmt.Sprintf("X%s Y%s to X%s Y%s, %s high", b[0],
		b[1],
		b[2], b[3], s.Top)}, "")
	w.addLine("G21", "millimetres")
	w.addLine("G90", "places count from the corner of the bed")
	w.addLine("M83", "filament counts in steps for a while")
	if c.Z == ByTouch || c.Z == "" {
		w.touched()
	}
	start, err := startup(w.src, w.ix, s, c)
	if err != nil {
		return err
	}
	w.opening(start)
	w.p.Findings = append(w.p.Findings, questions(start, len(c.Lines) > 0)...)
	w.apart()
	if bed := s.At.Bed(); bed > 0 && w.sc.State().Bed() != bed {
		w.addLine("M140 "+routine.Word('S', gcode.Nano(bed)),
			"the bed first, so that the part does not come off")
	}
	if w.sc.State().Fan != 0 {
		w.addLine("M107", "no fan while heating")
	}
	switch c.Z {
	case ByTouch, "":
		w.warmBed()
		w.addLine("G28 X Y", "home X and Y; the nozzle is above the part")
	case ByKept:
		w.addLine(fmt.Sprintf("M109 S%d", noOoze), "warm enough to come off the part: the motors were "+
			"held, "+
			"and the nozzle may be stuck in it")
		w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('Z', w.up), feedZ), "up first")
		w.warmBed()
	case ByClear:
		if err := w.homeClear(); err != nil {
			return err
		}
	default:
		return fmt.Errorf("the height %q is not known; there are kept, touch and clear", c.Z)
	}
	w.offsets()
	if err := w.ownLines(); err != nil {
		return err
	}
	w.prime()
	w.arrive(s.land(gcode.FromMM(c.DZ)), gcode.FromMM(c.DX), gcode.FromMM(c.DY), gcode.FromMM(c.DZ))
	return nil
}

// touched declares the height of a nozzle that somebody has brought down onto the
// part, and takes it up. A printer that refuses to move before it has homed is taken
// up by hand.
func (w *writer) touched() {
	c, s := w.c, w.s
	h := s.Lies + gcode.FromMM(c.Feeler)
	why := "you have brought the nozzle down onto the part: it stands here"
	if c.Feeler > 0 {
		why = fmt.Sprintf("you have brought the nozzle down onto the part, %g mm of paper between",
			c.Feeler)
	}
	if w.pr.HomesFirst {
		up := gcode.FromMM(c.Clearance)
		w.addLine("G92 "+routine.Word('Z', h+up), fmt.Sprintf("you have taken it up by hand by %s mm "+
			"from "+
			"where it touched", up))
		w.find(finding.Care, "lift-by-hand", s.Line,
			fmt.Sprintf("This printer refuses to move before it has homed. After the touch, take the "+
				"nozzle up by hand by exactly %s mm, then start the file.", up))
		return
	}
	w.addLine("G92 "+routine.Word('Z', h), why)
	w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('Z', w.up), feedZ), "up first")
}

// warmBed waits for the bed, with the head lifted.
func (w *writer) warmBed() {
	if bed := w.s.At.Bed(); bed > 0 {
		w.addLine("M190 "+routine.Word('S', gcode.Nano(bed)), "the bed, so that the part does not "+
			"come off")
	}
}

// homeClear homes Z at a place beside the part, if it is free there.
func (w *writer) homeClear() error {
	c := w.c
	if c.HomeAt == nil {
		return fmt.Errorf("say where Z is homed, clear of the part")
	}
	x, y := c.HomeAt[0], c.HomeAt[1]
	bed, err := w.heights()
	if err != nil {
		return err
	}
	if w.pr.HomesFirst {
		w.find(finding.Care, "lift-by-hand", w.s.Line,
			fmt.Sprintf("This printer refuses to move before it has homed. Take the head up by hand by %g "+
				"mm or more before you start the file.", c.Clearance))
	} else {
		w.addLine("G91", "steps")
		w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('Z', gcode.FromMM(c.Clearance)), feedZ),
			"up first, from wherever it stands")
		w.addLine("G90", "places count from the corner of the bed")
	}
	w.warmBed()
	w.addLine("G28 X Y", "home X and Y; the nozzle is above the part")
	w.addLine(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', gcode.FromMM(x)),
		routine.Word('Y', gcode.FromMM(y)), feedXY), "beside the part")
	w.addLine("G28 Z", "find the height, clear of the part")
	if h, hit := bed.Hits(x, y, 0); hit {
		w.p.Refused = &h
		w.find(finding.Stop, "homes-onto-part", w.s.Line,
			fmt.Sprintf("Z cannot be homed at X%g Y%g: the head would run into the part at X%.0f Y%.0f, "+
				"%.1f mm too low. Stay at least %.0f mm away from what is higher than %.0f "+
				"mm.", x, y, h.X, h.Y, h.Missing, raster.BlockHalf, raster.ConeHigh))
	}
	if b := w.pr.Bed; x < b[0] || x > b[2] || y < b[1] || y > b[3] {
		w.find(finding.Stop, "outside-bed", w.s.Line, fmt.Sprintf("X%g Y%g lies outside the bed.", x, y))
	}
	w.find(finding.Care, "home-where", w.s.Line, "Make sure that this printer homes Z where the head "+
		"stands, and not always in the middle of the bed.")
	w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('Z', w.up), feedZ), "up, above the part")
	return nil
}

// heights maps what lies on the bed when the print has come to the start.
func (w *writer) heights() (*raster.Heights, error) {
	s, b := w.s, raster.NewHeights(w.ix.Box)
	for n := 1; n <= max(s.Kept, min(s.Layer, w.ix.At(s.Line))); n++ {
		moves, err := w.ix.Decode(w.src, n)
		if err != nil {
			return nil, err
		}
		for i := range moves {
			if moves[i].Kind == gcode.Lay && (n <= s.Kept || moves[i].Line < s.Line) {
				b.Add(&moves[i])
			}
		}
	}
	return b, nil
}

// spot finds a place beside the part, near it: everything that is reached by
// the print is within reach there too. Where nobody has said how large the bed is, the head goes
// no further than the file itself does.
func (w *writer) spot() (x, y float64, ok bool) {
	b, bed := w.ix.Box, w.pr.Bed
	if _, named := w.ix.NamedBed(); w.pr.Assumed && !named {
		bed = w.ix.ReachOf()
	}
	const away, inset = 12.0, 2.0
	x0, y0, x1, y1 := b[0].Millimetres(), b[1].Millimetres(), b[2].Millimetres(), b[3].Millimetres()
	cx, cy := min(max((x0+x1)/2, bed[0]+inset), bed[2]-inset), min(max((y0+y1)/2, bed[1]+inset),
		bed[3]-inset)
	for _, gap := range []float64{away, 6, 3.5} {
		for _, p := range [4][2]float64{{x0 - gap, cy}, {cx, y0 - gap}, {x1 + gap, cy}, {cx, y1 + gap}} {
			if p[0] >= bed[0]+inset && p[0] <= bed[2]-inset && p[1] >= bed[1]+inset && p[1] <= bed[3]-inset {
				return p[0], p[1], true
			}
		}
	}
	return 0, 0, false
}

// prime goes beside the part, heats fully there, and pushes filament through in
// the air until it runs clean.
func (w *writer) prime() {
	c, s := w.c, w.s
	x, y, ok := w.spot()
	if c.PrimeAt != nil {
		x, y, ok = c.PrimeAt[0], c.PrimeAt[1], true
		if b := w.pr.Bed; x < b[0] || x > b[2] || y < b[1] || y > b[3] {
			w.find(finding.Stop, "outside-bed", s.Line, fmt.Sprintf("X%g Y%g, where it would prime, lies "+
				"outside the bed, as far as that is known.", x, y))
		}
		b := w.ix.Box
		if gcode.FromMM(x) > b[0]-2*gcode.MM && gcode.FromMM(x) < b[2]+2*gcode.MM &&
			gcode.FromMM(y) > b[1]-2*gcode.MM && gcode.FromMM(y) < b[3]+2*gcode.MM {
			w.find(finding.Stop, "prime-on-part", s.Line,
				fmt.Sprintf("X%g Y%g lies over the part: what is primed would fall onto it.", x, y))
		}
	}
	x, y = math.Round(x*1000)/1000, math.Round(y*1000)/1000
	if ok {
		w.addLine(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', gcode.FromMM(x)),
			routine.Word('Y', gcode.FromMM(y)), feedXY), "across, beside the part")
		w.p.Spot = [2]float64{x, y}
	}
	w.tools()
	n := len(w.sc.Lines())
	warm := s.At
	if warm.Nozzle() >= gcode.Cold { // it is waited for, whether the original did or not
		warm = warm.WithNozzle(warm.Nozzle())
	}
	if w.c.Ease.Layers > 0 && w.c.Ease.Hotter != 0 {
		warm = warm.WithNozzle(warm.Nozzle() + int64(math.Round(w.c.Ease.Hotter*1e6)))
	}
	w.sc.Heats(&warm, true)
	w.added(n, "as hot as it was")
	if !ok {
		w.find(finding.Care, "prime-on-part", s.Line,
			"There is no place beside the part to prime at, so the nozzle is not primed. Push filament "+
				"through by hand before you start.")
		return
	}
	w.filament(gcode.FromMM(c.Prime), feedPrime, fmt.Sprintf("purges %g mm", c.Prime))
	w.hold()
	if c.PrimeWait {
		n := len(w.sc.Lines())
		ask(w.sc, w.pr, "Take off what hangs, then resume")
		w.added(n, "what hangs is taken off")
	}
	side := -6.0 // away from the part
	if gcode.FromMM(x) > w.ix.Box[2] {
		side = 6
	}
	if x+side < w.pr.Bed[0] || x+side > w.pr.Bed[2] {
		return
	}
	w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('X', gcode.FromMM(x+side)), feedXY),
		"shakes off what hangs")
	w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('X', gcode.FromMM(x)), feedXY), "and back")
}

// hold draws the filament back for the way, as far as the file does or more.
func (w *writer) hold() {
	s := w.s
	pull := s.At.Debt
	if s.At.Pulled {
		if !w.sc.State().Pulled {
			w.addLine("G10", "the firmware holds the filament back, as it did")
		}
	} else if pull == 0 {
		pull = w.pulls()
	}
	if add := pull - w.sc.State().Debt; add > 0 {
		w.filament(-add, feedPull, "draws back for the way")
	}
}

// tools chooses the tool, and heats others that were hot.
func (w *writer) tools() {
	n := len(w.sc.Lines())
	w.sc.Tools(&w.s.At)
	w.added(n, "tool as it was")
	if w.s.At.Aux == nil {
		return
	}
	var others []int32
	for t, v := range w.s.At.Aux.Nozzle {
		if t != w.s.At.Tool && v > 0 {
			others = append(others, t)
		}
	}
	slices.Sort(others)
	for _, t := range others {
		word := "M104"
		if w.s.At.Aux.Hot[t] { // it prints later on, and nothing waits for it then
			word = "M109"
		}
		w.addLine(fmt.Sprintf(word+" T%d %s", t, routine.Word('S', gcode.Nano(w.s.At.Aux.Nozzle[t]))),
			"the other nozzle as it was")
	}
}

// arrive goes over the start high, comes down, and makes everything what it was.
func (w *writer) arrive(at [3]gcode.Nano, dx, dy, dz gcode.Nano) {
	s := w.s
	w.hold()
	w.at, w.p.Shift = at, [3]gcode.Nano{dx, dy, dz}
	to := [3]gcode.Nano{at[0] + dx, at[1] + dy, at[2] + dz}
	m := w.sc.State()
	if high := max(w.up, to[2]); m.Pos[2] < high {
		w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('Z', high-m.Off[2]), feedZ), "up")
	}
	w.addLine(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', to[0]-m.Off[0]),
		routine.Word('Y', to[1]-m.Off[1]), feedXY), "across, high above the part")
	if near := to[2] + 2*gcode.MM; m.Pos[2] > near {
		w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('Z', near-m.Off[2]), feedZ), "down")
	}
	w.addLine(fmt.Sprintf("G1 %s F%d", routine.Word('Z', to[2]-m.Off[2]), feedDown),
		"and the last bit slowly")
	w.p.Landing = [3]float64{to[0].Millimetres(), to[1].Millimetres(), to[2].Millimetres()}
	if back := w.sc.State().Debt - s.At.Debt; back != 0 {
		w.filament(back, feedPull, "gives back what we drew")
	}
	var words []string
	m = w.sc.State()
	for k, l := range "XYZ" {
		if want := at[k] - s.At.Off[k]; m.Pos[k]-m.Off[k] != want {
			words = append(words, routine.Word(byte(l), want))
		}
	}
	if len(words) > 0 {
		w.addLine("G92 "+strings.Join(words, " "), "from here on everything is moved by so much")
	}
	n := len(w.sc.Lines())
	w.sc.Settings(&s.At, func(st gcode.Setting) {
		w.find(finding.Care, "mode-not-restored", s.Line,
			fmt.Sprintf("%s stays in force; the file does not say what was before.", st.Line))
	})
	w.added(n, "as it was")
	if s.Rest != nil { // it is the first that is laid: as gentle as what follows
		w.eased()
		w.goOn()
	}
	n = len(w.sc.Lines())
	w.sc.Counting(&s.At)
	w.added(n, "as it was")
	if s.Rest == nil {
		w.eased()
	}
}

// pulls is how far the file draws back about here, where it has not just then.
func (w *writer) pulls() gcode.Nano {
	most := gcode.Nano(0)
	for n := max(w.s.Layer-1, 1); n <= min(w.s.Layer+1, len(w.ix.Layers)); n++ {
		moves, err := w.ix.Decode(w.src, n)
		if err != nil {
			break
		}
		sum := gcode.Nano(0)
		for i := range moves {
			if d := moves[i].DE; d < 0 {
				sum -= d
				most = max(most, sum)
			} else if d > 0 {
				sum = max(sum-d, 0)
			}
		}
	}
	if most == 0 {
		return gcode.FromMM(usualPull)
	}
	return min(most, 5*gcode.MM)
}
