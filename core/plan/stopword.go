package plan

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"dogear/core/gcode"
)

// A stop word is the line that makes a printer wait. It is known by its first word, in any
// case: "m600 B3" is M600.

// stopName is the first word of a stop word, in upper case; "" when there is none.
func stopName(line string) string {
	c := parse(line)
	if c.Letter == 0 {
		return ""
	}
	return strings.ToUpper(c.Word())
}

// parse takes a line apart, which must outlive what is returned.
func parse(line string) *gcode.Command {
	var c gcode.Command
	c.Parse([]byte(strings.TrimSpace(line)))
	return &c
}

// DoesItAll reports whether a printer that is told so parks, changes and comes back itself.
func DoesItAll(word string) bool {
	return slices.Contains([]string{"M600", "M601", "PAUSE"}, stopName(word))
}

// DrawsOut reports whether a stop word makes the printer draw the filament out and push the
// new one by itself, which takes a hot nozzle.
func DrawsOut(word string) bool { return stopName(word) == "M600" }

// StopsFor returns how long a stop word waits before the printer goes on by itself, seconds;
// 0 when it waits for somebody.
func StopsFor(word string) float64 {
	var m gcode.Machine
	var a gcode.Act
	c := parse(word)
	m.Exec(c, &a)
	switch {
	case a.Kind == gcode.Dwell:
		return a.Dwell
	case c.Is('M', 0) || c.Is('M', 1):
		if m := timed.FindSubmatch(c.Text); m != nil {
			s, _ := strconv.ParseFloat(string(m[2]), 64)
			if strings.EqualFold(string(m[1]), "P") { // thousandths
				s /= 1000
			}
			return s
		}
	}
	return 0
}

// timed is what makes M0 and M1 go on by themselves: S and seconds, or P and thousandths.
var timed = regexp.MustCompile(`^\s*([SsPp])(\d+(?:\.\d+)?)\s*$`)

// CheckStop says why a line cannot be a stop word. An empty one is none: the usual one is
// used then.
func CheckStop(line string) error {
	if line == "" {
		return nil
	}
	if err := CheckLines("a stop word", line); err != nil {
		return err
	}
	var m gcode.Machine
	var a gcode.Act
	c := parse(line)
	m.Exec(c, &a)
	why := ""
	switch a.Kind {
	case gcode.Stop, gcode.Macro, gcode.Unknown:
	case gcode.Message:
		if c.Code != 118 { // that one goes to a host, which may stop the printer
			why = "only shows a message"
		}
	case gcode.Dwell:
		if a.Dwell <= 0 {
			why = "waits for no time at all"
		}
	case gcode.Lay, gcode.Travel, gcode.Push, gcode.Pull, gcode.Home, gcode.Probe:
		why = "moves the head"
	case gcode.Motors:
		why = "lets go of the motors: the print is lost"
	case gcode.Nothing:
		if c.Letter == 0 {
			return errors.New("a stop word is a line that makes the printer wait; this is none")
		}
		why = "does nothing that makes a printer wait"
	default:
		why = "does something else than wait"
	}
	if ends := []string{"M2", "M30", "M112", "M999", "M81"}; slices.Contains(ends, stopName(line)) {
		why = "ends the print"
	}
	if why != "" {
		return fmt.Errorf("“%s” is no stop word: it %s", line, why)
	}
	return nil
}

// checkAwake says why a line cannot keep a printer awake: it must neither move nor heat it,
// nor let go of its motors.
func checkAwake(line string) error {
	var m gcode.Machine
	var a gcode.Act
	c := parse(line)
	m.Exec(c, &a)
	switch a.Kind {
	case gcode.Motors:
		return fmt.Errorf("%q lets go of the motors at once; M84 with S and seconds keeps them on for "+
			"so long", line)
	case gcode.Nothing, gcode.Unknown, gcode.Macro:
		if !strings.ContainsAny(line, "\r\n") {
			return nil
		}
	}
	return fmt.Errorf("%q does not keep a printer awake: it moves, heats or stops it", line)
}
