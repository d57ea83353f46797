package routine

import (
	"fmt"
	"math"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/plan"
)

// gapMS is how long it is quiet between two tones, ms.
const gapMS = 150

// tone sounds, where the printer has something to sound with.
func (c *compiler) tone(s plan.Step) {
	if c.plan.Printer.Silent {
		return
	}
	for k := range max(s.Times, 1) {
		if k > 0 {
			c.addLine(fmt.Sprintf("G4 P%d", gapMS), "a gap, so that each tone is heard")
		}
		c.addLine(fmt.Sprintf("M300 S%g P%g", or(s.HZ, 880), or(s.MS, 200)), "tone")
	}
}

// wait waits, with a tone before the end when one is asked for.
func (c *compiler) wait(s plan.Step) {
	c.announce()
	if s.Seconds > 2 {
		c.offPart()
	}
	if s.Warn <= 0 || c.plan.Printer.Silent {
		c.addLine(fmt.Sprintf("G4 S%g", s.Seconds), fmt.Sprintf("waits %g s", s.Seconds))
		return
	}
	if s.Seconds > s.Warn {
		c.addLine(fmt.Sprintf("G4 S%g", s.Seconds-s.Warn), fmt.Sprintf("waits %g s", s.Seconds-s.Warn))
	}
	c.addLine("M300 S880 P200", "tone: the wait is nearly over")
	c.addLine(fmt.Sprintf("G4 S%g", s.Warn), fmt.Sprintf("waits %g s more", s.Warn))
}

// say keeps a message; a stop that can carry it takes it along.
func (c *compiler) say(text string) {
	c.announce()
	c.said = clean(strings.ReplaceAll(c.plan.Fill(text, c.ear), "{layer}", fmt.Sprint(c.fold.Layer)))
	c.join()
}

// join puts what the ears before want at this wait in front of the message.
func (c *compiler) join() {
	if len(c.carried) > 0 {
		c.said, c.carried = clean(joined(c.carried, c.said)), nil
	}
}

// announce shows a message that is still waiting.
func (c *compiler) announce() {
	switch {
	case c.said == "":
	case c.plan.Printer.Blank:
		c.note("; "+c.said, "a message; this printer shows none")
	default:
		c.addLine("M117 "+c.said, "on the display")
	}
	c.said = ""
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

func (c *compiler) stop() {
	c.join()
	w := c.plan.StopOf(c.ear)
	if want := c.hotter(); c.all && (c.warm > 0 && c.m.Nozzle() != want ||
		plan.DrawsOut(w) && c.m.Nozzle() < want) {
		c.setHeat(want, false) // the printer waits for it where it parks
	}
	if !c.all {
		c.offPart()
	}
	for _, l := range c.plan.Printer.StayAwake {
		c.ownLine(l, "so that this printer keeps its place while it waits")
	}
	for _, l := range c.plan.Printer.SettleBefore {
		c.ownLine(l, "so that this printer stops at once")
	}
	switch {
	case (w == "M0" || w == "M1") && c.said != "" && !c.plan.Printer.Blank:
		c.addLine(w+" "+c.said, "waits for you")
		c.said = ""
	case c.all:
		c.announce()
		c.addLine(w, "the printer parks, changes and comes back by itself")
	case plan.StopsFor(w) > 0:
		c.timedStop(w, plan.StopsFor(w))
	default:
		c.announce()
		c.ownLine(w, "waits for you")
	}
	for _, l := range c.plan.Printer.SettleAfter {
		c.ownLine(l, "so that this printer goes on from here")
	}
	if c.ear.Kind == plan.Nozzle && c.plan.Printer.HomesAfterSwap && !c.all {
		c.homeAgain()
	}
}

// homeAgain finds X and Y anew, above the part, and goes back to where it waited. What homing
// undoes is put back: the mesh, and a place that G92 has shifted.
func (c *compiler) homeAgain() {
	was := c.m.State
	c.addLine("G28 X Y", "a wrench may have moved the head; it is above the part")
	if mesh := was.Mesh(); mesh != "" {
		c.addLine(mesh, "the mesh: many printers switch it off when they home")
	}
	if was.Known&(gcode.KnowX|gcode.KnowY) != gcode.KnowX|gcode.KnowY {
		return
	}
	c.addLine(fmt.Sprintf("G1 %s %s F%d", word('X', was.Pos[0]-c.m.Off[0]),
		word('Y', was.Pos[1]-c.m.Off[1]), feedXY), "back to where it waited")
	if was.Off[0] != 0 || was.Off[1] != 0 {
		c.addLine(fmt.Sprintf("G92 %s %s", word('X', was.Pos[0]-was.Off[0]),
			word('Y', was.Pos[1]-was.Off[1])), "places count as the file has it")
	}
}

// resumes ends the messages of waits that a person ends.
const resumes = ", then resume"

// warnBefore is how many seconds before the end of a timed stop a tone is heard.
const warnBefore = 10

// timedStop waits for so many seconds, and tells that the printer goes on by itself.
func (c *compiler) timedStop(word string, seconds float64) {
	said := fmt.Sprintf("%g s, then it goes on by itself", seconds)
	if c.said != "" {
		said = strings.TrimSuffix(c.said, resumes) + ": " + said
	}
	c.said = clean(said)
	var cmd gcode.Command
	if cmd.Parse([]byte(word)); !cmd.Is('G', 4) { // it waits in its own way
		c.announce()
		c.ownLine(word, fmt.Sprintf("waits %g s", seconds))
		return
	}
	warn := 0.0
	if seconds > 2*warnBefore {
		warn = warnBefore
	}
	c.wait(plan.Step{Seconds: seconds, Warn: warn})
}

func (c *compiler) own(lines []string) {
	if len(c.ear.Lines) > 0 && len(lines) == 0 {
		lines = c.ear.Lines
	}
	c.announce()
	for _, l := range lines {
		if waits(l, c.m.StopWords) {
			c.offPart()
		}
		if c.plan.Printer.IgnoresStop(l) {
			c.find(finding.Stop, "stop-ignored", fmt.Sprintf("When it was asked, %s went straight "+
				"on at your own line %s.", clean(c.plan.Printer.Called()), clean(l)))
		}
		c.ownLine(l, "your own line")
	}
}

// waits reports whether a line makes the printer wait where it stands.
func waits(l string, stops []string) bool {
	m := gcode.Machine{StopWords: stops}
	var cmd gcode.Command
	var a gcode.Act
	cmd.Parse([]byte(l))
	m.Exec(&cmd, &a)
	switch a.Kind {
	case gcode.Stop:
		return !plan.DoesItAll(strings.ToUpper(cmd.Word()))
	case gcode.Dwell:
		return a.Dwell > 2
	}
	return a.Kind == gcode.Heat && a.Wait
}

// ownLine adds a line the user wrote; it must stay one line.
func (c *compiler) ownLine(l, why string) {
	l = strings.Map(func(r rune) rune {
		if r == '\n' || r == '\r' || r == 0 {
			return ' '
		}
		return r
	}, l)
	act := c.run(l, why, false)
	switch act.Kind {
	case gcode.Home, gcode.Probe:
		c.find(finding.Stop, "homes-onto-part", fmt.Sprintf("The line %q would home or probe with the "+
			"part on the bed.", l))
	case gcode.Lay:
		c.find(finding.Care, "lays", fmt.Sprintf("The line %q lays plastic that the original does not.",
			l))
	case gcode.Motors:
		c.find(finding.Stop, "position-not-restored", fmt.Sprintf("The line %q lets the motors go; the "+
			"printer would not know where it stands.", l))
	}
}

// next is the key of the filament that is laid behind the ear.
func (c *compiler) next() string {
	if c.ear.Kind == plan.Colour && c.ear.Filament != "" {
		return c.ear.Filament
	}
	return c.fold.Before
}

// Seconds that a person needs at a stop, at the least: the shortest that we
// would set ourselves.
var needs = map[string]float64{plan.Colour: 60, plan.Insert: 15, plan.Nozzle: 180}

// foresee says what can be known to go wrong before anything runs: a window of
// time in which nobody can do what is to be done, a stop word that the printer
// may not know, and a bed temperature that is not followed.
func (c *compiler) foresee() {
	w := c.plan.StopOf(c.ear)
	window, stops, handles := 0.0, c.merged, false
	for _, s := range c.steps {
		switch s.Do {
		case "stop":
			stops = true
		case "wait":
			window += s.Seconds
		case "purge", "load", "say":
			handles = true
		}
	}
	if stops && strings.HasPrefix(strings.ToUpper(w), "G4") {
		stops = false
		var cmd gcode.Command
		cmd.Parse([]byte(w))
		window += float64(cmd.Value('S'))/1e6 + float64(cmd.Value('P'))/1e9
	}
	if need := needs[c.ear.Kind]; !stops && handles && window < need {
		c.find(finding.Care, "window-too-short", fmt.Sprintf("The printer waits %g s at ear %s and then "+
			"goes on by itself; %s takes about %g s. Let it wait longer, or let it stop.", window, c.ear.ID,
			doing[c.ear.Kind], need))
	}
	if stops && c.plan.Printer.IgnoresStop(w) {
		c.find(finding.Stop, "stop-ignored", fmt.Sprintf("When it was asked, %s went straight on at "+
			"%s. Choose a stop word it waits at.", clean(c.plan.Printer.Called()), clean(w)))
	} else if stops && !c.plan.Printer.KnowsStop(w) {
		c.find(finding.Care, "unknown-command", fmt.Sprintf("Nothing says that %s knows the stop "+
			"word %s. A printer that does not know it goes on printing; try it once, then note it in the "+
			"Kit.", clean(c.plan.Printer.Called()), clean(w)))
	}
	if f, ok := c.plan.Filaments[c.ear.Filament]; ok && c.ear.Kind == plan.Colour {
		bed := math.Max(f.Bed[1], 0)
		if now := float64(c.was.Bed()) / 1e6; bed > 0 && now > 0 && math.Abs(bed-now) >= 10 {
			c.find(finding.Note, "bed-kept", fmt.Sprintf("%s would like the bed at %g °C; it stays at %g "+
				"°C, so that the part does not come off.", clean(f.Name), bed, now))
		}
	}
}

var doing = map[string]string{plan.Colour: "changing the filament",
	plan.Insert: "putting something in", plan.Nozzle: "changing the nozzle"}
