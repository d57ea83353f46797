package pickup

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
	"dogear/core/routine"
)

// Pickup is a file that goes on, as edits of the original.
type Pickup struct {
	Start    Start
	Opening  []Entry
	Edits    []edit.Edit
	Findings []layer.Finding
	Lines    []routine.Line // of the opening, with the way the head takes
	Spot     [2]float64     // where it primes
	Landing  [3]float64     // where it comes down
	Refused  *raster.Hit    // where homing would hit the part
	Shift    [3]gcode.Nano  // by which everything is moved
	Length   int            // lines of the opening
}

// Feeds, mm/min, that printers of every size can do.
const (
	feedXY    = 6000
	feedZ     = 600
	feedDown  = 300
	feedPrime = 180
	feedPull  = 2100
)

// Usual amounts, mm.
const (
	usualPrime     = 12.0
	usualClearance = 10.0
	usualPull      = 0.4 // where the file draws nothing back itself
)

// Make writes a pick-up. Edits of a plan that is laid onto the file may be given
// in res; those in front of the start fall away.
func Make(src layer.Source, ix *layer.Index, pr *plan.Printer, c Choice, res *routine.Result) (*Pickup, error) {
	s, err := Find(src, ix, &c)
	if err != nil {
		return nil, err
	}
	if pr == nil {
		pr = bedOf(ix)
	}
	if c.Prime <= 0 {
		c.Prime = usualPrime
	}
	if c.Clearance <= 0 {
		c.Clearance = usualClearance
	}
	if res != nil {
		s.heats(res)
	}
	s.override(&c)
	w := &writer{src: src, ix: ix, pr: pr, c: &c, s: s, p: &Pickup{Start: *s}}
	w.sc = routine.NewScript(gcode.State{}, routine.Style{Lower: ix.Lower})
	if c.LooseTop {
		err = w.loose()
	} else {
		err = w.inPlace()
	}
	if err != nil {
		return nil, err
	}
	w.check()
	w.p.Start = *s
	w.p.Lines = w.sc.Lines()
	if err := w.edits(res); err != nil {
		return nil, err
	}
	for i := range w.p.Findings {
		f := &w.p.Findings[i]
		if f.Level == layer.Grave && slices.Contains(c.Accept, f.Code) {
			f.Level, f.Message = layer.Care, f.Message+" You have taken this upon yourself."
		}
	}
	return w.p, nil
}

// bedOf is a bed on which the print fits, when no printer is known: the generic
// one, or one with its origin in the middle when the print lies round that.
func bedOf(ix *layer.Index) *plan.Printer {
	p := plan.Generic()
	lo := math.Min(ix.Box[0].Millimetres(), ix.Box[1].Millimetres())
	hi := math.Max(ix.Box[2].Millimetres(), ix.Box[3].Millimetres())
	if lo < -2 {
		h := math.Max(110, math.Max(-lo, hi)+20)
		p.Bed = [4]float64{-h, -h, h, h}
	} else if hi > 215 {
		p.Bed[2], p.Bed[3] = hi+20, hi+20
	}
	p.Top = math.Max(p.Top, ix.Height().Millimetres()+60)
	return p
}

// heats follows the filament of the last colour ear in front of the start.
func (s *Start) heats(res *routine.Result) {
	warm := 0.0
	for i := range res.Blocks {
		if b := &res.Blocks[i]; b.Fold.Offset < s.Offset && b.Ear.Kind == plan.Colour && b.Ear.Filament != "" {
			warm = b.Warm
		}
	}
	if warm > 0 {
		s.At = s.At.WithNozzle(int64(math.Round(warm * 1e6)))
	}
}

// override puts temperatures in place of the file's.
func (s *Start) override(c *Choice) {
	if c.Nozzle > 0 {
		s.At = s.At.WithNozzle(int64(math.Round(c.Nozzle * 1e6)))
	}
	if c.Bed > 0 {
		s.At = s.At.WithBed(int64(math.Round(c.Bed * 1e6)))
	}
}

type writer struct {
	src layer.Source
	ix  *layer.Index
	pr  *plan.Printer
	c   *Choice
	s   *Start
	sc  *routine.Script
	p   *Pickup
	up  gcode.Nano    // the height at which the head crosses
	at  [3]gcode.Nano // where it comes down, corrections left out
}

func (w *writer) find(level, code string, line int64, message string) {
	w.p.Findings = append(w.p.Findings, layer.Finding{Level: level, Code: code, Line: line, Message: message})
}

// put adds a line of our own.
func (w *writer) put(text, why string) {
	n := len(w.sc.Lines())
	w.sc.Put(text, why)
	w.added(n, why)
}

// added books what the script has added since it had n lines.
func (w *writer) added(n int, why string) {
	for _, l := range w.sc.Lines()[n:] {
		reason := why
		if l.Why != "" {
			reason = l.Why
		}
		text, _, _ := strings.Cut(l.Text, " ; ")
		w.p.Opening = append(w.p.Opening, Entry{Verdict: Added, Now: text, Why: reason})
	}
}

func (w *writer) filament(by gcode.Nano, feed float64, why string) {
	n := len(w.sc.Lines())
	w.sc.Filament(by, feed, why)
	w.added(n, why)
}

// apart makes the script count places from the corner and filament in steps.
func (w *writer) apart() {
	m := w.sc.State()
	if m.Inch {
		w.put("G21", "we count in millimetres")
	}
	if m.RelXYZ {
		w.put("G90", "places count from the corner of the bed")
	}
	if !m.RelE {
		w.put("M83", "filament counts in steps for a while")
	}
}

func (w *writer) inPlace() error {
	c, s := w.c, w.s
	top := s.Top.Millimetres()
	w.up = min(gcode.FromMM(top+c.Clearance+max(c.DZ, 0)), gcode.FromMM(w.pr.Top))
	if w.up < s.Top+gcode.MM {
		w.find(layer.Grave, "lift-too-low", s.Line, fmt.Sprintf("There is no room above the part: it is %s mm high and the printer ends at %g mm.", s.Top, w.pr.Top))
	}
	w.sc.Note(fmt.Sprintf("; dogear pick-up: goes on with layer %d, line %d of the original", s.Layer, s.Line), "")
	b := w.ix.Box
	w.sc.Note(fmt.Sprintf("; dogear stands: X%s Y%s to X%s Y%s, %s high", b[0], b[1], b[2], b[3], s.Top), "")
	if c.Z == ByTouch || c.Z == "" {
		w.put("G90", "places count from the corner of the bed")
		h := s.Lies + gcode.FromMM(c.Feeler)
		why := "you have brought the nozzle down onto the part: it stands here"
		if c.Feeler > 0 {
			why = fmt.Sprintf("you have brought the nozzle down onto the part, %g mm of paper between", c.Feeler)
		}
		w.put("G92 "+routine.Word('Z', h), why)
		w.put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', w.up), feedZ), "up first")
	}
	start, err := startup(w.src, w.ix, s, c)
	if err != nil {
		return err
	}
	w.opening(start)
	w.p.Findings = append(w.p.Findings, questions(start)...)
	w.apart()
	if bed := s.At.Bed(); bed > 0 && !waited(start) {
		w.put("M190 "+routine.Word('S', gcode.Nano(bed)), "the bed first, so that the part does not let go")
	}
	if w.sc.State().Fan != 0 {
		w.put("M107", "no fan while heating")
	}
	switch c.Z {
	case ByTouch, "":
		w.put("G28 X Y", "find the sides; the nozzle is above the part")
	case ByKept:
		w.put(fmt.Sprintf("M109 S%d", noOoze), "warm enough to come off the part")
		w.put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', w.up), feedZ), "up first")
	case ByClear:
		if err := w.homeClear(); err != nil {
			return err
		}
	default:
		return fmt.Errorf("the height %q is not known; there are kept, touch and clear", c.Z)
	}
	w.prime()
	w.arrive(s.land(), gcode.FromMM(c.DX), gcode.FromMM(c.DY), gcode.FromMM(c.DZ))
	return nil
}

// opening writes the start-up with its verdicts.
func (w *writer) opening(entries []Entry) {
	for _, e := range entries {
		said := e.Why != "" // comments pass without a word
		switch e.Verdict {
		case Muted:
			w.sc.Note("; dogear left out: "+e.Was, e.Why)
		case Changed:
			w.sc.Put(e.Now, e.Why)
		default:
			w.sc.Verbatim(e.Now, e.Why)
			// Where the head stands by then is another place than in the original.
			if m := w.sc.State(); e.Moves && e.Hurts == "" && m.Pos[2] < w.s.Top+gcode.MM && (m.Known&3 != 3 || crosses(w.ix.Box, m.Pos, m.Pos)) {
				e.Hurts = "drag"
			}
			if e.Hurts != "" {
				w.flipped(&e)
			}
		}
		if said {
			w.p.Opening = append(w.p.Opening, e)
		}
	}
}

// flipped says what a line does that somebody has turned on.
func (w *writer) flipped(e *Entry) {
	text := map[string]string{
		"homes-onto-part":       "Line %d (%s) is turned on; it may bring the nozzle down onto the part.",
		"prime-on-part":         "Line %d (%s) is turned on; it would lay plastic where the part stands.",
		"drag":                  "Line %d (%s) is turned on; the head would run into the part.",
		"position-not-restored": "Line %d (%s) is turned on; the printer would lose its place.",
	}[e.Hurts]
	w.find(layer.Grave, e.Hurts, e.Line, fmt.Sprintf(text, e.Line, strings.TrimSpace(e.Was)))
}

// waited reports whether the start-up waits for the bed.
func waited(entries []Entry) bool {
	return slices.ContainsFunc(entries, func(e Entry) bool { return e.Verdict == Changed && strings.HasPrefix(e.Now, "M190") })
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
	w.put(fmt.Sprintf("M109 S%d", noOoze), "warm enough to come off the part")
	w.put("G91", "steps")
	w.put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', gcode.FromMM(c.Clearance)), feedZ), "up first, from wherever it stands")
	w.put("G90", "places count from the corner of the bed")
	w.put("G28 X Y", "find the sides; the nozzle is above the part")
	w.put(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', gcode.FromMM(x)), routine.Word('Y', gcode.FromMM(y)), feedXY), "beside the part")
	w.put("G28 Z", "find the height, clear of the part")
	if h, hit := bed.Hits(x, y, 0); hit {
		w.p.Refused = &h
		w.find(layer.Grave, "homes-onto-part", w.s.Line, fmt.Sprintf("Z cannot be homed at X%g Y%g: the head would run into the part at X%.0f Y%.0f, %.1f mm too low. Stay at least %.0f mm away from what is higher than %.0f mm.", x, y, h.X, h.Y, h.Missing, raster.BlockHalf, raster.ConeHigh))
	}
	if b := w.pr.Bed; x < b[0] || x > b[2] || y < b[1] || y > b[3] {
		w.find(layer.Grave, "outside-bed", w.s.Line, fmt.Sprintf("X%g Y%g lies outside the bed.", x, y))
	}
	w.find(layer.Care, "home-where", w.s.Line, "Make sure that this printer homes Z where the head stands, and not always in the middle of the bed.")
	w.put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', w.up), feedZ), "up, above the part")
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
// the print is within reach there too.
func (w *writer) spot() (x, y float64, ok bool) {
	b, bed := w.ix.Box, w.pr.Bed
	const away, inset = 12.0, 2.0
	x0, y0, x1, y1 := b[0].Millimetres(), b[1].Millimetres(), b[2].Millimetres(), b[3].Millimetres()
	cx, cy := min(max((x0+x1)/2, bed[0]+inset), bed[2]-inset), min(max((y0+y1)/2, bed[1]+inset), bed[3]-inset)
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
		b := w.ix.Box
		if gcode.FromMM(x) > b[0]-2*gcode.MM && gcode.FromMM(x) < b[2]+2*gcode.MM && gcode.FromMM(y) > b[1]-2*gcode.MM && gcode.FromMM(y) < b[3]+2*gcode.MM {
			w.find(layer.Grave, "prime-on-part", s.Line, fmt.Sprintf("X%g Y%g lies over the part: what is primed would fall onto it.", x, y))
		}
	}
	x, y = math.Round(x*1000)/1000, math.Round(y*1000)/1000
	if ok {
		w.put(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', gcode.FromMM(x)), routine.Word('Y', gcode.FromMM(y)), feedXY), "across, beside the part")
		w.p.Spot = [2]float64{x, y}
	}
	w.tools()
	n := len(w.sc.Lines())
	warm := s.At
	if w.c.Ease.Layers > 0 && w.c.Ease.Hotter != 0 {
		warm = warm.WithNozzle(warm.Nozzle() + int64(math.Round(w.c.Ease.Hotter*1e6)))
	}
	w.sc.Heats(&warm, true)
	w.added(n, "as hot as it was")
	if !ok {
		w.find(layer.Care, "prime-on-part", s.Line, "There is no place beside the part to prime at, so the nozzle is not primed. Push filament through by hand before you start.")
		return
	}
	w.filament(gcode.FromMM(c.Prime), feedPrime, fmt.Sprintf("pushes %g mm through; take it off", c.Prime))
	w.hold()
	side := -6.0 // away from the part
	if gcode.FromMM(x) > w.ix.Box[2] {
		side = 6
	}
	if x+side < w.pr.Bed[0] || x+side > w.pr.Bed[2] {
		return
	}
	w.put(fmt.Sprintf("G1 %s F%d", routine.Word('X', gcode.FromMM(x+side)), feedXY), "shakes off what hangs")
	w.put(fmt.Sprintf("G1 %s F%d", routine.Word('X', gcode.FromMM(x)), feedXY), "and back")
}

// hold draws the filament back for the way, as far as the file does or more.
func (w *writer) hold() {
	s := w.s
	pull := s.At.Debt
	if s.At.Pulled {
		if !w.sc.State().Pulled {
			w.put("G10", "the firmware holds the filament back, as it did")
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
		w.put(fmt.Sprintf("M104 T%d %s", t, routine.Word('S', gcode.Nano(w.s.At.Aux.Nozzle[t]))), "the other nozzle as it was")
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
		w.put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', high-m.Off[2]), feedZ), "up")
	}
	w.put(fmt.Sprintf("G1 %s %s F%d", routine.Word('X', to[0]-m.Off[0]), routine.Word('Y', to[1]-m.Off[1]), feedXY), "across, high above the part")
	if near := to[2] + 2*gcode.MM; m.Pos[2] > near {
		w.put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', near-m.Off[2]), feedZ), "down")
	}
	w.put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', to[2]-m.Off[2]), feedDown), "and the last bit slowly")
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
		w.put("G92 "+strings.Join(words, " "), "from here on everything is moved by so much")
	}
	n := len(w.sc.Lines())
	w.sc.Settle(&s.At, func(st gcode.Setting) {
		w.find(layer.Care, "mode-not-restored", s.Line, fmt.Sprintf("%s stays in force; the file does not say what was before.", st.Line))
	})
	w.added(n, "as it was")
	w.eased()
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

// eased begins what the first layers are spared, and books where it ends.
func (w *writer) eased() {
	e, s := w.c.Ease, w.s
	flow := w.c.Flow
	if e.Layers <= 0 {
		if flow > 0 && flow != 100 {
			w.put(fmt.Sprintf("M221 S%g", math.Round(flow*s.At.Flow()*10)/10), "more or less filament from here on")
		}
		return
	}
	if e.Speed > 0 && e.Speed != 100 {
		w.put(fmt.Sprintf("M220 S%g", math.Round(e.Speed*s.At.Speed()*10)/10), "slower for a while")
	}
	if flow > 0 && flow != 100 {
		w.put(fmt.Sprintf("M221 S%g", math.Round(flow*s.At.Flow()*10)/10), "more or less filament for a while")
	}
}

// easing returns the lines that end what the first layers were spared, and the
// layer they stand before; 0 when there is nothing to end.
func (w *writer) easing() (string, int) {
	e := w.c.Ease
	n := w.s.Layer + e.Layers
	if e.Layers <= 0 || n > len(w.ix.Layers) {
		return "", 0
	}
	l := &w.ix.Layers[n-1]
	var out []string
	if e.Speed > 0 && e.Speed != 100 {
		out = append(out, fmt.Sprintf("M220 S%g ; speed as the file has it", math.Round(l.At.Speed()*1000)/10))
	}
	if w.c.Flow > 0 && w.c.Flow != 100 {
		out = append(out, fmt.Sprintf("M221 S%g ; filament as the file has it", math.Round(l.At.Flow()*1000)/10))
	}
	if e.Hotter != 0 {
		v := l.At.Nozzle()
		if v == w.ix.Layers[w.s.Layer-1].At.Nozzle() {
			v = w.s.At.Nozzle() // nothing changed on the way: what was chosen stays
		}
		out = append(out, "M104 "+routine.Word('S', gcode.Nano(v))+" ; nozzle as it would be")
	}
	if len(out) == 0 {
		return "", 0
	}
	out = append([]string{"; dogear ease ends here"}, out...)
	return strings.Join(out, "\n"), n
}

// check compares the machine behind the opening with the one that the rest
// expects.
func (w *writer) check() {
	a, b := &w.s.At, w.sc.State()
	bad := func(code, what string) {
		w.find(layer.Grave, code, w.s.Line, "At the start "+what+" would not be as the rest of the file expects.")
	}
	at := w.at
	for k := range at {
		at[k] -= a.Off[k]
	}
	switch {
	case b.Logical() != at:
		bad("position-not-restored", "the place")
	case a.LogicalE() != b.LogicalE() && !a.RelE || a.Debt != b.Debt || a.Pulled != b.Pulled:
		bad("filament-jump", "the filament axis")
	case a.RelXYZ != b.RelXYZ || a.RelE != b.RelE || a.Inch != b.Inch:
		bad("mode-not-restored", "the way of counting")
	case a.Feed != b.Feed && a.Feed > 0:
		bad("feed-not-restored", "the speed")
	case a.Fan != b.Fan:
		bad("fan-not-restored", "the fan")
	case a.Bed() != b.Bed() || a.Nozzle() != b.Nozzle() && w.c.Ease.Layers == 0:
		bad("temperature-not-restored", "the temperature")
	case !b.Hot() && a.Hot():
		bad("cold-extrusion", "the nozzle")
	}
	if a.Nozzle() < 170e6 && w.c.Nozzle == 0 {
		w.find(layer.Grave, "cold-extrusion", w.s.Line, "The file does not say how hot the nozzle is here. Give its temperature.")
	}
}

// edits turns opening and rest into edits of the original.
func (w *writer) edits(res *routine.Result) error {
	end := "\n"
	if w.ix.LineEnds == "crlf" {
		end = "\r\n"
	}
	if w.ix.Numbered {
		if err := w.sc.Recount(w.src, w.s.Offset); err != nil {
			return err
		}
	}
	w.sc.Note("; dogear pick-up ends: from here on the original", "")
	var text []byte
	for _, l := range w.sc.Lines() {
		text = append(append(text, l.Text...), end...)
	}
	w.p.Lines, w.p.Length = w.sc.Lines(), len(w.sc.Lines())
	w.p.Edits = append(w.p.Edits, edit.Edit{Cut: w.s.Offset, Text: text})
	if t, n := w.easing(); n > 0 {
		w.p.Edits = append(w.p.Edits, edit.Edit{Offset: w.ix.Layers[n-1].Offset, Text: []byte(strings.ReplaceAll(t, "\n", end) + end)})
	}
	if res != nil {
		for _, e := range res.Edits {
			if e.Offset >= w.s.Offset {
				w.p.Edits = append(w.p.Edits, e)
			}
		}
	}
	for _, f := range w.ix.Findings {
		switch f.Code {
		case "rubbish-at-end":
			off, err := w.ix.OffsetOf(w.src, f.Line)
			if err != nil {
				return err
			}
			if off > w.s.Offset {
				w.p.Edits = append(w.p.Edits, edit.Edit{Offset: off, Cut: w.ix.Bytes - off})
				w.find(layer.Note, f.Code, f.Line, f.Message+" It is left out of the pick-up.")
			}
		case "cut-short":
			w.find(layer.Care, f.Code, f.Line, f.Message+" So does the pick-up: nothing switches the heaters off at its end.")
		}
	}
	edit.Sort(w.p.Edits)
	return nil
}
