package routine

import (
	"fmt"
	"math"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Line is one inserted line, without its line end, and why it is there.
type Line struct {
	Text string
	Why  string
}

// Style says how the file writes, so that inserted lines look like its own.
type Style struct {
	Lower bool // lower case letters
	Plain bool // no comments behind the lines
}

// Fold is a place in a file where an ear sits.
type Fold struct {
	Line   int64 // the stop stands in front of this line
	Offset int64 // its byte offset
	Layer  int   // the layer that comes next, or in which the fold lies
	Inside bool  // the fold lies inside that layer
	At     gcode.State
	// Next is where the next path begins, when the way there is an absolute
	// travel; the head may then land there.
	Next    [2]gcode.Nano
	HasNext bool
	Seconds float64 // into the print
}

// Speeds of our own movements, mm/min: what small and large printers can do.
const (
	feedZ    = 600
	feedXY   = 7200
	feedE    = 2100
	feedLoad = 240
	piece    = 100 * gcode.MM // longest filament step firmware accepts
)

type compiler struct {
	m     gcode.Machine
	was   gcode.State // at the fold
	box   [4]gcode.Nano
	plan  *plan.Plan
	ear   *plan.Ear
	style Style
	lines []Line
	finds []layer.Finding
	fold  Fold

	pulled gcode.Nano // debt to have while away
	said   string     // message waiting for its stop
	told   bool       // the printer was told to stop
	all    bool       // the printer does it all
}

// Compile returns the lines of one ear. box is what the print lays, in machine
// coordinates.
func Compile(f Fold, box [4]gcode.Nano, p *plan.Plan, e *plan.Ear, st Style) ([]Line, []layer.Finding, error) {
	r, err := p.RoutineOf(e)
	if err != nil {
		return nil, nil, err
	}
	c := &compiler{was: f.At, box: box, plan: p, ear: e, style: st, fold: f}
	c.m.State = f.At
	c.m.StopWords = []string{strings.ToUpper(p.StopOf(e))}
	c.pulled = f.At.Debt
	c.all = len(r) > 0 && plan.DoesItAll(p.StopOf(e))
	c.note("; dogear ear "+e.ID+": "+c.title(), "ours begins here")
	if c.was.Inch {
		c.put("G21", "we count in millimetres")
	}
	if c.was.RelXYZ {
		c.put("G90", "places count from the corner of the bed while we are away")
	}
	c.put("M83", "filament counts in steps while we are away")
	for _, s := range r {
		if err := c.step(s); err != nil {
			return nil, nil, err
		}
	}
	c.note("; dogear ear "+e.ID+" ends", "ours ends here")
	c.check()
	return c.lines, c.finds, nil
}

// title says in words what the ear does.
func (c *compiler) title() string {
	place := fmt.Sprintf("before layer %d", c.fold.Layer)
	if c.fold.Inside {
		place = fmt.Sprintf("inside layer %d", c.fold.Layer)
	}
	switch c.ear.Kind {
	case plan.Colour:
		if c.ear.Filament == "" {
			return "stop " + place
		}
		return clean(c.plan.FilamentName(c.ear.Filament)) + " " + place
	case plan.Insert:
		return "something goes in " + place
	case plan.Nozzle:
		return "nozzle swap " + place
	}
	return "own lines " + place
}

// clean makes a text safe to stand in a comment or a message line.
func clean(s string) string {
	s = strings.Map(func(r rune) rune {
		switch {
		case r < ' ' || r == 0x7f:
			return ' '
		case r == ';' || r == '(' || r == ')' || r == '*' || r == '\u2028' || r == '\u2029':
			return ','
		}
		return r
	}, s)
	if len(s) > 120 {
		s = strings.ToValidUTF8(s[:120], "")
	}
	return strings.TrimSpace(s)
}

func (c *compiler) note(text, why string) { c.lines = append(c.lines, Line{text, why}) }

// put adds a line and carries it out.
func (c *compiler) put(text, why string) {
	var cmd gcode.Command
	var act gcode.Act
	cmd.Parse([]byte(text))
	c.m.Exec(&cmd, &act)
	if c.style.Lower && cmd.Text == nil && (cmd.Letter == 'G' || cmd.Letter == 'M') {
		text = strings.ToLower(text)
	}
	if !c.style.Plain && cmd.Text == nil && why != "" {
		text += " ; " + why
	}
	c.lines = append(c.lines, Line{text, why})
}

func (c *compiler) find(level, code, message string) {
	c.finds = append(c.finds, layer.Finding{Level: level, Code: code, Line: c.fold.Line, Message: message})
}

// word writes a letter and a length in the file's own coordinates.
func word(letter byte, n gcode.Nano) string {
	return string(gcode.AppendMM([]byte{letter}, n, 0))
}

func mmText(n gcode.Nano) string { return string(gcode.AppendMM(nil, n, 0)) }

// speedOr returns a feed in mm/min.
func speedOr(mms, otherwise float64) float64 {
	if mms > 0 {
		return math.Round(mms * 60)
	}
	return otherwise
}

// filament moves the filament by mm, in pieces the firmware accepts.
func (c *compiler) filament(by gcode.Nano, feed float64, why string) {
	for by != 0 {
		p := max(min(by, piece), -piece)
		c.put(fmt.Sprintf("G1 %s F%g", word('E', p), feed), why)
		by -= p
		why = "and on"
	}
}

func (c *compiler) step(s plan.Step) error {
	switch s.Do {
	case "say":
		c.say(s.Text)
	case "tone":
		for range max(s.Times, 1) {
			c.put(fmt.Sprintf("M300 S%g P%g", or(s.HZ, 880), or(s.MS, 200)), "tone")
		}
	case "retract":
		c.retract(s)
	case "lift":
		c.lift(s.MM)
	case "park":
		c.park(s)
	case "fan":
		if s.Percent != nil {
			p := max(0, min(100, *s.Percent))
			c.put(fmt.Sprintf("M106 S%d", int(math.Round(p*2.55))), fmt.Sprintf("fan at %g %%", p))
		} else {
			c.fan()
		}
	case "heat", "cool":
		t := s.Celsius
		if t == 0 {
			t = float64(c.was.Nozzle()) / 1e6
		}
		c.heat(t, s.Wait, s.Do)
	case "wait":
		c.tell()
		c.put(fmt.Sprintf("G4 S%g", s.Seconds), fmt.Sprintf("waits %g s", s.Seconds))
	case "stop":
		c.stop()
	case "unload":
		c.filament(-gcode.FromMM(s.MM), speedOr(s.Speed, feedE), fmt.Sprintf("draws %g mm out", s.MM))
	case "load":
		c.filament(gcode.FromMM(s.MM), speedOr(s.Speed, feedE), fmt.Sprintf("feeds %g mm in", s.MM))
	case "purge":
		c.purge(s)
	case "wipe":
		c.wipe()
	case "lines":
		c.own(s.Lines)
	case "bond":
		c.find(layer.Care, "bond-left-out", "The bond pass is not written yet; the ear works without it.")
	case "return":
		c.comeBack()
	case "restore":
		c.restore()
	default:
		return fmt.Errorf("there is no step %q", s.Do)
	}
	return nil
}

func or(v, otherwise float64) float64 {
	if v > 0 {
		return v
	}
	return otherwise
}

// say keeps a message; a stop that can carry it takes it along.
func (c *compiler) say(text string) {
	c.tell()
	note := c.ear.Note
	if note == "" {
		note = "Put it in"
	}
	text = strings.ReplaceAll(text, "{filament}", c.plan.FilamentName(c.ear.Filament))
	text = strings.ReplaceAll(text, "{note}", note)
	text = strings.ReplaceAll(text, "{layer}", fmt.Sprint(c.fold.Layer))
	c.said = clean(text)
}

// tell shows a message that is still waiting.
func (c *compiler) tell() {
	if c.said != "" {
		c.put("M117 "+c.said, "on the display")
		c.said = ""
	}
}

func (c *compiler) stop() {
	w := c.plan.StopOf(c.ear)
	for _, l := range c.plan.Printer.SettleBefore {
		c.ownLine(l, "so that this printer stops at once")
	}
	switch {
	case (w == "M0" || w == "M1") && c.said != "":
		c.put(w+" "+c.said, "waits for you")
		c.said = ""
	case c.all:
		c.tell()
		c.put(w, "the printer parks, changes and comes back by itself")
	default:
		c.tell()
		c.ownLine(w, "waits for you")
	}
	c.told = true
	for _, l := range c.plan.Printer.SettleAfter {
		c.ownLine(l, "so that this printer goes on from here")
	}
}

func (c *compiler) own(lines []string) {
	if len(c.ear.Lines) > 0 && len(lines) == 0 {
		lines = c.ear.Lines
	}
	c.tell()
	for _, l := range lines {
		c.ownLine(l, "your own line")
	}
}

// ownLine adds a line the user wrote; it must stay one line.
func (c *compiler) ownLine(l, why string) {
	l = strings.Map(func(r rune) rune {
		if r == '\n' || r == '\r' || r == 0 {
			return ' '
		}
		return r
	}, l)
	var cmd gcode.Command
	var act gcode.Act
	cmd.Parse([]byte(l))
	c.m.Exec(&cmd, &act)
	c.lines = append(c.lines, Line{l, why})
	switch act.Kind {
	case gcode.Home, gcode.Probe:
		c.find(layer.Grave, "homes-onto-part", fmt.Sprintf("The line %q would home or probe with the part on the bed.", l))
	case gcode.Lay:
		c.find(layer.Care, "lays", fmt.Sprintf("The line %q lays plastic that the original does not.", l))
	case gcode.Motors:
		c.find(layer.Grave, "position-not-restored", fmt.Sprintf("The line %q lets the motors go; the printer would not know where it stands.", l))
	}
}

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
		why = fmt.Sprintf("draws %s mm more back, %s in all", mmText(add), mmText(want))
	}
	c.filament(-add, speedOr(s.Speed, feedE), why)
	c.pulled = max(c.pulled, c.m.Debt)
}

// lift goes up above the highest plastic, as far as the printer allows.
func (c *compiler) lift(mm float64) {
	top := max(c.was.Top, c.m.Pos[2])
	to := top + gcode.FromMM(mm)
	limit := gcode.FromMM(c.plan.Printer.Top)
	if to > limit {
		if limit < top+gcode.MM {
			c.find(layer.Care, "lift-too-low", fmt.Sprintf("There is no room to lift: the print is at %s mm and the printer ends at %g mm.", top, c.plan.Printer.Top))
		}
		to = limit
	}
	if to <= c.m.Pos[2] {
		return
	}
	c.put(fmt.Sprintf("G1 %s F%d", word('Z', to-c.m.Off[2]), feedZ), fmt.Sprintf("up, %s mm above the highest plastic", mmText(to-c.was.Top)))
}

// over reports whether a place lies over what the print lays.
func (c *compiler) over(x, y gcode.Nano) bool {
	const m = 2 * gcode.MM
	return x > c.box[0]-m && x < c.box[2]+m && y > c.box[1]-m && y < c.box[3]+m
}

func (c *compiler) park(s plan.Step) {
	if s.Keep {
		return
	}
	pr := c.plan.Printer
	x, y := gcode.FromMM(pr.Park[0]), gcode.FromMM(pr.Park[1])
	if s.X != nil {
		x = gcode.FromMM(*s.X)
	}
	if s.Y != nil {
		y = gcode.FromMM(*s.Y)
	}
	if c.m.Pos[2] < c.was.Top+gcode.MM/2 && !c.clear(x, y) {
		c.find(layer.Grave, "drag", "The head cannot be parked: there is no room to lift it over the part.")
		return
	}
	if c.over(x, y) {
		moved := false
		for _, p := range corners(pr.Bed) {
			if !c.over(p[0], p[1]) {
				c.find(layer.Note, "park-moved", fmt.Sprintf("The park place X%s Y%s lies over the part; X%s Y%s is used.", x, y, p[0], p[1]))
				x, y, moved = p[0], p[1], true
				break
			}
		}
		if !moved {
			c.find(layer.Care, "prime-on-part", "Every park place lies over the part, so what oozes or is purged falls on it.")
		}
	}
	c.put(fmt.Sprintf("G1 %s %s F%d", word('X', x-c.m.Off[0]), word('Y', y-c.m.Off[1]), feedXY), "aside")
}

func corners(bed [4]float64) [4][2]gcode.Nano {
	const in = 5
	x0, y0, x1, y1 := gcode.FromMM(bed[0]+in), gcode.FromMM(bed[1]+in), gcode.FromMM(bed[2]-in), gcode.FromMM(bed[3]-in)
	return [4][2]gcode.Nano{{x0, y1}, {x1, y1}, {x0, y0}, {x1, y0}}
}

// clear reports whether the straight way to a place passes beside the part.
func (c *compiler) clear(x, y gcode.Nano) bool {
	const steps = 200
	for k := range steps + 1 {
		px := c.m.Pos[0] + (x-c.m.Pos[0])*gcode.Nano(k)/steps
		py := c.m.Pos[1] + (y-c.m.Pos[1])*gcode.Nano(k)/steps
		if c.over(px, py) {
			return false
		}
	}
	return true
}

// purge pushes filament through and takes the pressure back, so that the books
// are as before.
func (c *compiler) purge(s plan.Step) {
	if f, ok := c.plan.Filaments[c.ear.Filament]; ok && f.Purge > 0 && c.ear.Kind == plan.Colour {
		s.MM = f.Purge
	}
	if s.MM <= 0 {
		return
	}
	if c.over(c.m.Pos[0], c.m.Pos[1]) {
		c.find(layer.Care, "prime-on-part", "What is purged falls onto the part: the head stands over it.")
	}
	debt, held := c.m.Debt, c.m.Pulled
	if held {
		c.put("G11", "gives back what the firmware held")
	}
	c.filament(gcode.FromMM(s.MM), speedOr(s.Speed, feedLoad), fmt.Sprintf("pushes %g mm through; wipe it off", s.MM))
	if held {
		c.put("G10", "the firmware holds it back again")
	}
	c.filament(c.m.Debt-debt, feedE, "draws back again")
}

// wipe brushes the nozzle along the edge of the bed by moving a little.
func (c *compiler) wipe() {
	p := c.m.Pos
	bed := c.plan.Printer.Bed
	to := p[0] + 20*gcode.MM
	if to > gcode.FromMM(bed[2]) {
		to = p[0] - 20*gcode.MM
	}
	if c.over(to, p[1]) {
		return
	}
	c.put(fmt.Sprintf("G1 %s F%d", word('X', to-c.m.Off[0]), feedXY), "wipes")
	c.put(fmt.Sprintf("G1 %s F%d", word('X', p[0]-c.m.Off[0]), feedXY), "and back")
}

func (c *compiler) heat(t float64, wait bool, do string) {
	w, why := "M104", fmt.Sprintf("nozzle to %g C", t)
	if wait {
		w, why = "M109", fmt.Sprintf("nozzle to %g C, and wait", t)
		if do == "cool" {
			c.put(fmt.Sprintf("M109 R%g", t), why)
			return
		}
	}
	c.put(fmt.Sprintf("%s S%g", w, t), why)
}
