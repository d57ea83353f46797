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
	// Own is the nozzle temperature the file itself has here, °C, when a
	// filament with one of its own is in force; a filament that says nothing
	// goes back to it.
	Own float64
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

	warm   float64    // °C the new filament wants; 0 when it says nothing
	coming bool       // the nozzle is on its way there
	pulled gcode.Nano // debt to have while away
	said   string     // message waiting for its stop
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
	if c.warm = Wants(p, e, f.Layer); c.warm == 0 && e.Kind == plan.Colour && e.Filament != "" {
		c.warm = f.Own
	}
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

// Wants returns the nozzle temperature that the filament of a colour ear asks
// for, °C; 0 when it says nothing.
func Wants(p *plan.Plan, e *plan.Ear, layer int) float64 {
	f, ok := p.Filaments[e.Filament]
	if !ok || e.Kind != plan.Colour {
		return 0
	}
	if layer <= 1 && f.Nozzle[0] > 0 {
		return f.Nozzle[0]
	}
	if f.Nozzle[1] > 0 {
		return f.Nozzle[1]
	}
	return f.Nozzle[0]
}

// warmUp heats for the new filament, so that it is never loaded cold.
func (c *compiler) warmUp(wait bool) {
	t := int64(math.Round(c.warm * 1e6))
	if t <= 0 || c.m.Nozzle() == t && (!wait || c.m.Hot() && !c.coming) {
		return
	}
	c.heat(c.warm, wait, "heat")
	c.coming = !wait
}

func (c *compiler) stop() {
	w := c.plan.StopOf(c.ear)
	c.warmUp(c.all)
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
	c.warmUp(true)
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
