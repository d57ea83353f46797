// Package explain says in plain words what a line of G-code does.
//
// In goes a command with what it did ([gcode.Act]) and the machine behind it;
// out comes one short sentence, lower case and without a full stop, as it
// stands beside the line. It never fails: what is not known is called so.
package explain

import (
	"fmt"
	"strings"

	"dogear/core/gcode"
)

// Line explains one command. m is the machine after it.
func Line(c *gcode.Command, a *gcode.Act, m *gcode.Machine) string {
	switch a.Kind {
	case gcode.Lay:
		how := ""
		if a.Arc.Turn != 0 {
			how = " along an arc"
		}
		return fmt.Sprintf("lays %s mm of filament%s", places(a.Laid, 3), how)
	case gcode.Travel:
		return travel(c, a, m)
	case gcode.Pull:
		if a.DE == 0 {
			return "the firmware draws the filament back"
		}
		if a.MoveX {
			return fmt.Sprintf("wipes, drawing back %s mm", places(-a.DE, 3))
		}
		return fmt.Sprintf("draws back %s mm", places(-a.DE, 3))
	case gcode.Push:
		switch {
		case a.DE == 0:
			return "the firmware gives the filament back"
		case a.Laid > 1:
			return fmt.Sprintf("pushes %s mm through on the spot", places(a.Laid, 3))
		}
		return fmt.Sprintf("gives back %s mm", places(a.DE, 3))
	case gcode.Stop:
		return "the printer stops and waits for you"
	case gcode.Home:
		return "homes: drives to the end switches"
	case gcode.Probe:
		return "probes the bed"
	case gcode.Dwell:
		return fmt.Sprintf("waits %g s", a.Dwell)
	case gcode.SetAxis:
		return setAxis(c, m)
	case gcode.Mode:
		return mode(c)
	case gcode.Heat:
		return heat(c, a, m)
	case gcode.FanSet:
		return fan(c, m)
	case gcode.Lasting:
		return setting(c)
	case gcode.ToolSet:
		return fmt.Sprintf("takes tool %d", m.Tool)
	case gcode.Motors:
		return "lets the motors go"
	case gcode.Progress:
		return "tells the display how far it is"
	case gcode.Message:
		return "shows a message"
	case gcode.Macro:
		return "a word only the printer knows"
	case gcode.Unknown:
		return "unknown to Dogear; kept as it is"
	}
	switch {
	case c.Letter == 0 && c.Comment != nil:
		return ""
	case c.Is('M', 300):
		return "tone"
	case c.Letter == 'G' && (c.Code == 0 || c.Code == 1) && c.Has('F'):
		return fmt.Sprintf("speed %s mm/s from here on", places(m.Feed/60, 1))
	case c.Letter == 'M' && c.Code == 400:
		return "waits until all moves are done"
	}
	return ""
}

func places(n gcode.Nano, most int) string {
	unit := gcode.MM
	for range most {
		unit /= 10
	}
	half := unit / 2
	if n < 0 {
		half = -half
	}
	return string(gcode.AppendMM(nil, (n+half)/unit*unit, 0))
}

func travel(c *gcode.Command, a *gcode.Act, m *gcode.Machine) string {
	var b strings.Builder
	dz := m.Pos[2] - a.From[2]
	switch {
	case a.MoveX && dz != 0:
		fmt.Fprintf(&b, "goes across and to height %s mm", places(m.Pos[2], 3))
	case a.MoveX:
		b.WriteString("goes across without laying")
	case dz > 0:
		fmt.Fprintf(&b, "up to %s mm", places(m.Pos[2], 3))
	default:
		fmt.Fprintf(&b, "down to %s mm", places(m.Pos[2], 3))
	}
	return b.String()
}

func setAxis(c *gcode.Command, m *gcode.Machine) string {
	var parts []string
	if c.Has('E') {
		parts = append(parts, "filament axis is called "+places(m.LogicalE(), 6)+" here")
	}
	for k, l := range []byte("XYZ") {
		if c.Has(l) {
			parts = append(parts, fmt.Sprintf("this place is called %c%s", l, places(m.Logical()[k], 3)))
		}
	}
	if len(parts) == 0 {
		return "all axes are called 0 here"
	}
	return strings.Join(parts, ", ")
}

func mode(c *gcode.Command) string {
	switch {
	case c.Letter == 'M' && c.Code == 82:
		return "filament counts from the start"
	case c.Letter == 'M':
		return "filament counts in steps"
	case c.Code == 90:
		return "places count from the corner of the bed"
	case c.Code == 91:
		return "places count in steps"
	case c.Code == 20:
		return "inches"
	case c.Code == 21:
		return "millimetres"
	}
	return "plane for arcs"
}

// fan says what M106 and M107 do: to the part fan, or to another one that they name.
func fan(c *gcode.Command, m *gcode.Machine) string {
	what, v := "part fan", m.Fan
	if p := c.Value('P') / 1_000_000; p != 0 {
		what, v = fmt.Sprintf("fan %d", p), 0
		if c.Code == 106 {
			v = 255_000_000
			if c.Has('S') {
				v = c.Value('S')
			}
		}
	}
	if v == 0 {
		return what + " off"
	}
	return fmt.Sprintf("%s at %.0f %%", what, m.FanShare(v))
}

func heat(c *gcode.Command, a *gcode.Act, m *gcode.Machine) string {
	what, t := "nozzle", m.Nozzle()
	if c.Code == 140 || c.Code == 190 {
		what, t = "bed", m.Bed()
	} else if n := int32(c.Value('T') / 1_000_000); c.Has('T') && n != m.Tool {
		what, t = fmt.Sprintf("nozzle of tool %d", n), m.Target(n)
	}
	if !c.Has('S') && !c.Has('R') {
		return what + " without a temperature"
	}
	if t == 0 {
		return what + " heater off"
	}
	s := fmt.Sprintf("%s to %s °C", what, places(gcode.Nano(t), 1))
	if a.Wait {
		s += ", and waits for it"
	}
	return s
}

func setting(c *gcode.Command) string {
	switch c.Code {
	case 201, 202, 204:
		return "how fast it may speed up"
	case 203:
		return "fastest it may go"
	case 205, 566:
		return "how sharply it may turn"
	case 220:
		return fmt.Sprintf("speed factor %d %%", c.Value('S')/1e6)
	case 221:
		return fmt.Sprintf("flow factor %d %%", c.Value('S')/1e6)
	case 572, 900:
		return "pressure compensation"
	}
	return "a lasting setting"
}
