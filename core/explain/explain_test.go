package explain

import (
	"testing"

	"dogear/core/gcode"
)

func TestLine(t *testing.T) {
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	for _, l := range []struct{ line, want string }{
		{"M82", "filament counts from the start"},
		{"G28", "homes: drives to the end switches"},
		{"M109 S210", "nozzle to 210 °C, and waits for it"},
		{"M140 S60", "bed to 60 °C"},
		{"M106 S128", "part fan at 50 %"},
		{"G1 Z.2 F600", "up to 0.2 mm"},
		{"G1 X10 E.412345", "lays 0.412 mm of filament"},
		{"G1 E-.4", "draws back 0.812 mm"},
		{"G1 E0", "gives back 0.4 mm"},
		{"G0 X5 Z9", "goes across and to height 9 mm"},
		{"G92 E1.5", "filament axis is called 1.5 here"},
		{"G4 P1500", "waits 1.5 s"},
		{"G1 F3000", "speed 50 mm/s from here on"},
		{"M600", "the printer stops and waits for you"},
		{"M117 hello", "shows a message"},
		{"M221 S95", "flow factor 95 %"},
		{"M104 S0", "nozzle heater off"},
		{"M107", "part fan off"},
		{"G10", "the firmware draws the filament back"},
		{"M9876", "not known here; kept as it is"},
		{"BEGIN A=1", "a word only the printer knows"},
		{"; note", ""},
	} {
		c.Parse([]byte(l.line))
		m.Exec(&c, &a)
		if got := Line(&c, &a, &m); got != l.want {
			t.Errorf("%s: %q, want %q", l.line, got, l.want)
		}
	}
}
