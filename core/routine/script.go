package routine

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
)

// Line is one inserted line, without its line end, and why it is there.
type Line struct {
	Text     string
	Why      string
	Step     int     // of the routine that it belongs to; Frame for what stands around the steps
	Seconds  float64 // it takes, starts and stops of the axes left out; heating guessed
	From, To [3]gcode.Nano
	Filament gcode.Nano // it moves, mm
	Purge    bool       // it pushes out filament that is wiped off
	Mark     *mark.Mark // it is; nil for all other lines
}

// maxPieces bounds the lines that one movement of the filament becomes.
const maxPieces = 100

// Frame is the step of lines that belong to none.
const Frame = -1

// Style says how the file writes, so that inserted lines look like its own.
type Style struct {
	Lower bool // lower case letters
	Plain bool // no comments behind the lines
}

// Script is a run of lines being written. Every line is carried out on a machine
// of its own, so that what is written next knows where the machine stands.
type Script struct {
	m     gcode.Machine
	style Style
	lines []Line
	now   int // the step being written
	// Some printers let G90 and G91 switch the filament axis too, behind an M82 or M83
	// as well: one was written since the last of those.
	doubt bool
}

// NewScript returns an empty script that finds the machine in a state.
func NewScript(at gcode.State, st Style) *Script {
	s := &Script{style: st, now: Frame}
	s.m.State = at
	return s
}

// State returns the machine behind the lines written so far.
func (c *Script) State() *gcode.State { return &c.m.State }

// Lines returns the lines written so far.
func (c *Script) Lines() []Line { return c.lines }

// Note adds a line that no machine carries out.
func (c *Script) Note(text, why string) { c.note(text, why) }

// Put adds a line and carries it out; the reason stands behind it.
func (c *Script) Put(text, why string) { c.addLine(text, why) }

// Verbatim adds a line just as it is, and carries it out.
func (c *Script) Verbatim(text, why string) gcode.Act { return c.run(text, why, false) }

// Filament moves the filament by a length at a feed, mm/min, in pieces that
// firmware accepts. It must count in steps.
func (c *Script) Filament(by gcode.Nano, feed float64, why string) { c.filament(by, feed, why) }

// Word writes a letter and a length, mm.
func Word(letter byte, n gcode.Nano) string { return word(letter, n) }

func (c *Script) note(text, why string) {
	c.lines = append(c.lines, Line{Text: text, Why: why, Step: c.now, From: c.m.Pos, To: c.m.Pos})
}

// addLine adds a line of ours and carries it out; its reason stands behind it, and
// its letters are as small as the file's.
func (c *Script) addLine(text, why string) { c.run(text, why, true) }

// run carries a line out and keeps it.
func (c *Script) run(text, why string, ours bool) gcode.Act {
	var cmd gcode.Command
	var act gcode.Act
	cmd.Parse([]byte(text))
	from, nozzle := c.m.Pos, c.m.Nozzle()
	c.m.Exec(&cmd, &act)
	switch {
	case cmd.Is('G', 90) || cmd.Is('G', 91):
		c.doubt = true
	case cmd.Is('M', 82) || cmd.Is('M', 83):
		c.doubt = false
	}
	if ours && c.style.Lower && cmd.Text == nil && (cmd.Letter == 'G' || cmd.Letter == 'M') {
		text = strings.ToLower(text)
	}
	if ours && !c.style.Plain && cmd.Text == nil && why != "" {
		text += " ; " + why
	}
	c.lines = append(c.lines, Line{Text: text, Why: why, Step: c.now,
		Seconds: c.takes(&cmd, &act, from, nozzle), From: from, To: c.m.Pos, Filament: act.DE})
	return act
}

// takes says how long a line takes, s. Heating is guessed at 2 °C/s and cooling
// at 1 °C/s, about what a nozzle with its fan on does.
func (c *Script) takes(cmd *gcode.Command, act *gcode.Act, from [3]gcode.Nano,
	nozzle int64) float64 {
	switch {
	case cmd.Is('G', 4):
		return float64(cmd.Value('S'))/1e6 + float64(cmd.Value('P'))/1e9
	case cmd.Is('M', 300):
		return float64(cmd.Value('P')) / 1e9
	case cmd.Is('M', 109):
		if d := float64(c.m.Nozzle()-nozzle) / 1e6; d > 0 {
			return d / 2
		} else {
			return -d
		}
	}
	feed := c.m.Feed.Millimetres() / 60
	if feed <= 0 {
		return 0
	}
	var d [3]float64
	for k := range d {
		d[k] = (c.m.Pos[k] - from[k]).Millimetres()
	}
	if l := math.Sqrt(d[0]*d[0] + d[1]*d[1] + d[2]*d[2]); l > 0 {
		return l / feed
	}
	return math.Abs(act.DE.Millimetres()) / feed
}

// word writes a letter and a length in the file's own coordinates.
func word(letter byte, n gcode.Nano) string {
	return string(gcode.AppendMM([]byte{letter}, n, 0))
}

func mmText(n gcode.Nano) string { return string(gcode.AppendMM(nil, n, 0)) }

// filament moves the filament by mm, in pieces the firmware accepts, in whichever
// way the axis is counted just then.
func (c *Script) filament(by gcode.Nano, feed float64, why string) {
	step := max(piece, by/maxPieces, -by/maxPieces) // an absurd length must not become a book
	for by != 0 {
		p := max(min(by, step), -step)
		c.addLine(fmt.Sprintf("G1 %s F%g", c.eWord(p), feed), why)
		by -= p
		why = "and on"
	}
}

// eWord is the word that moves the filament by a length: a step, or, where the axis
// counts from the start, the place it comes to.
func (c *Script) eWord(by gcode.Nano) string {
	by = c.m.Step(by)
	if c.m.RelE {
		return word('E', by)
	}
	return word('E', c.m.LogicalE()+by)
}

// metric makes sure that places are counted in millimetres from the corner of the
// bed.
func (c *Script) metric() {
	if c.m.Inch {
		c.addLine("G21", "we count in millimetres")
	}
	if c.m.RelXYZ {
		c.addLine("G90", "places count from the corner of the bed while we are away")
	}
}

// countSteps makes the filament count in steps, in a file that says itself how it counts
// it. In one that leaves that to G90 and G91 an M83 would hold for good, and the
// axis is named as the file names it.
func (c *Script) countSteps(why string) {
	if c.m.ESet && (!c.m.RelE || c.doubt) {
		c.addLine("M83", why)
	}
}

// Clean makes a text safe to stand in a comment or a message line.
func Clean(s string) string { return clean(s) }

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

// Numbered finds the number of a line.
var Numbered = regexp.MustCompile(`^\s*[Nn]\s*(\d+)`)

// Recount tells a printer that insists on line numbers where they go on: src
// continues at off.
func (c *Script) Recount(src layer.Source, off int64) error {
	buf := make([]byte, 4096)
	n, err := src.ReadAt(buf, off)
	if n == 0 {
		return err
	}
	for line := range strings.SplitSeq(string(buf[:n]), "\n") {
		if m := Numbered.FindStringSubmatch(line); m != nil {
			var k int64
			if _, err := fmt.Sscan(m[1], &k); err == nil && k > 0 {
				c.addLine(fmt.Sprintf("M110 N%d", k-1), "the rest of the file counts its lines from here")
			}
			return nil
		}
	}
	return nil
}

// Tools changes to the tool that is in force in a state.
func (c *Script) Tools(was *gcode.State) {
	if c.m.Tool != was.Tool {
		c.addLine(fmt.Sprintf("T%d", was.Tool), "tool as it was")
	}
}

// Heats brings the bed and, if asked, the nozzles to what they are in a state.
// What the state does not know cannot be brought back and is left alone.
func (c *Script) Heats(was *gcode.State, nozzle bool) {
	if c.m.Bed() != was.Bed() {
		c.addLine("M140 "+word('S', gcode.Nano(was.Bed())), "bed as it was")
	}
	if !nozzle {
		return
	}
	for _, t := range was.Tools() {
		if t != was.Tool && c.m.Target(t) != was.Target(t) {
			c.addLine(fmt.Sprintf("M104 T%d %s", t, word('S', gcode.Nano(was.Target(t)))),
				"the other nozzle as it was")
		}
	}
	is, want := c.m.Nozzle(), was.Nozzle()
	if is == want && c.m.Hot() == was.Hot() || want == 0 && !was.Stated() {
		return
	}
	switch {
	case !was.Hot():
		c.addLine("M104 "+word('S', gcode.Nano(want)), "nozzle as it was")
	case is > want && want > 0:
		c.addLine("M109 "+word('R', gcode.Nano(want)), "nozzle as it was")
	default:
		c.addLine("M109 "+word('S', gcode.Nano(want)), "nozzle as it was")
	}
}

// Debts gives back, or draws back, what tools that are not active hold otherwise
// than in a state.
func (c *Script) Debts(was *gcode.State) {
	active := c.m.Tool
	tools := append(c.m.Tools(), was.Tools()...) // one that a state does not know holds nothing back
	slices.Sort(tools)
	for _, t := range slices.Compact(tools) {
		if t == was.Tool || c.m.DebtOf(t) == was.DebtOf(t) && c.m.PulledOf(t) == was.PulledOf(t) {
			continue
		}
		c.addLine(fmt.Sprintf("T%d", t), "the other tool")
		if is, want := c.m.Pulled, was.PulledOf(t); is != want {
			w := "G11"
			if want {
				w = "G10"
			}
			c.addLine(w, "its firmware retraction as it was")
		}
		c.filament(c.m.Debt-was.DebtOf(t), feedE, "its filament as it was")
	}
	if c.m.Tool != active {
		c.addLine(fmt.Sprintf("T%d", active), "back to the tool that prints")
	}
}

// Fan brings the part fan to what it is in a state.
func (c *Script) Fan(was *gcode.State) {
	if c.m.Fan == was.Fan {
		return
	}
	if was.Fan == 0 {
		c.addLine("M107", "fan off, as it was")
		return
	}
	c.addLine("M106 "+word('S', gcode.Nano(was.Fan)), "fan as it was")
}

// Settle brings everything but heat and place to what it is in a state: first [Script.Settings],
// then [Script.Counting].
func (c *Script) Settle(was *gcode.State, lost func(gcode.Setting)) {
	c.Settings(was, lost)
	c.Counting(was)
}

// Settings brings fan and lasting settings to what they are in a state. A setting that the
// state does not have, and that cannot be taken back, is handed to lost.
func (c *Script) Settings(was *gcode.State, lost func(gcode.Setting)) {
	c.Fan(was)
	old := map[string]string{}
	for _, s := range was.Settings() {
		old[s.Word] = s.Line
	}
	now := map[string]bool{}
	for _, s := range c.m.Settings() {
		now[s.Word] = true
	}
	for _, s := range was.Settings() {
		if !now[s.Word] { // muted: it must be in force all the same
			c.addLine(s.Line, "setting as the file made it")
		}
	}
	for _, s := range c.m.Settings() {
		line, had := old[s.Word]
		switch {
		case s.Word == "M290" && line != s.Line: // each one moves further
			if back := stepBack(s.Line, line); back != "" {
				c.addLine(back, "baby steps as they were")
			}
		case had && line != s.Line:
			c.addLine(line, "setting as it was")
		case !had && unset[s.Word] != "":
			if s.Line != unset[s.Word] {
				c.addLine(unset[s.Word], "setting as it was")
			}
		case !had:
			lost(s)
		}
	}
}

// Counting brings speed, the ways of counting and the filament axis to what they are in a state.
func (c *Script) Counting(was *gcode.State) {
	if was.Feed > 0 {
		c.addLine("G1 "+word('F', was.Feed), "speed as it was")
	}
	if !was.ESet && !c.m.ESet {
		if c.m.LogicalE() != was.LogicalE() {
			c.addLine("G92 "+word('E', was.LogicalE()), "the axis stands exactly where it stood")
		}
		if was.RelXYZ {
			c.addLine("G91", "places and filament count in steps, as the file had it")
		}
	} else {
		if was.RelXYZ {
			c.addLine("G91", "places count in steps, as the file had it")
		}
		if !was.RelE {
			c.addLine("M82", "filament counts from the start, as the file had it")
			c.addLine("G92 "+word('E', was.LogicalE()), "the axis stands exactly where it stood")
		} else if !c.m.RelE || c.doubt {
			c.addLine("M83", "filament counts in steps, as the file had it")
		}
	}
	if was.Inch {
		c.addLine("G20", "inches, as the file had it")
	}
}

// unset are settings with the line that takes each back.
var unset = map[string]string{"M200": "M200 D0", "M220": "M220 S100", "M221": "M221 S100",
	"M211":  "M211 S1",
	"plane": "G17", "workspace": "G54"}

// stepBack is the M290 that leads from one sum of baby steps to another.
func stepBack(from, to string) string {
	var a, b gcode.Command
	a.Parse([]byte(from))
	b.Parse([]byte(to))
	out := "M290"
	for _, l := range "XYZ" {
		if d := gcode.Nano(b.Value(byte(l)) - a.Value(byte(l))); d != 0 {
			out += " " + word(byte(l), d)
		}
	}
	if out == "M290" {
		return ""
	}
	return out
}
