package explain

import (
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// TestLine runs lines on one machine: what one does depends on those before.
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
		{"M9876", "unknown to Dogear; kept as it is"},
		{"BEGIN A=1", "a word only the printer knows"},
		{"; note", ""},
		{"M83", "filament counts in steps"},
		{"G91", "places count in steps"},
		{"G90", "places count from the corner of the bed"},
		{"G20", "inches"},
		{"G21", "millimetres"},
		{"G18", "plane for arcs"},
		{"M106 P2 S51", "fan 2 at 20 %"},
		{"M106 P2 S0", "fan 2 off"},
		{"M104 T1 S190", "nozzle of tool 1 to 190 °C"},
		{"M104", "nozzle without a temperature"},
		{"M204 S900", "how fast it may speed up"},
		{"M203 X200", "fastest it may go"},
		{"M205 X8", "how sharply it may turn"},
		{"M220 S80", "speed factor 80 %"},
		{"M900 K0.04", "pressure compensation"},
		{"M420 S1", "a lasting setting"},
	} {
		c.Parse([]byte(l.line))
		m.Exec(&c, &a)
		if got := Line(&c, &a, &m); got != l.want {
			t.Errorf("%s: %q, want %q", l.line, got, l.want)
		}
	}
}

// TestState checks the sentences of a machine that has just started, and of one that has
// been told everything.
func TestState(t *testing.T) {
	var m gcode.Machine
	if got := strings.Join(State(&m), "; "); !strings.Contains(got, "nozzle: nothing said yet") ||
		!strings.Contains(got, "bed: nothing said yet") {
		t.Error(got)
	}
	var c gcode.Command
	var a gcode.Act
	for _, l := range []string{"M140 S60", "M104 S210", "M200 D1.75", "M204 S900", "M106 S255",
		"G1 X5 Y6 Z.2 F1800", "G1 X9 E5", "G1 E-1", "G10", "G20", "G91"} {
		c.Parse([]byte(l))
		m.Exec(&c, &a)
	}
	got := strings.Join(State(&m), "; ")
	for _, want := range []string{"head at X 9, Y 6, Z 0.2 mm", "counted in steps, by volume",
		"1.75 mm thick", "drawn back", "the firmware holds filament back", "places count in steps",
		"the file writes inches", "fan at 100 %", "nozzle to 210 °C, bed to 60 °C",
		"in force: M204 S900"} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is not in %q", want, got)
		}
	}
}

// TestMark checks what is said of comments.
func TestMark(t *testing.T) {
	ix := &layer.Index{Layers: []layer.Layer{{HasNumber: true, Number: 1},
		{HasNumber: true, Number: 1}},
		Labels: []string{" wall"}}
	marks := layer.Marks{Layer: "; tier #", Height: "; at #", Clock: "; # s"}
	for text, want := range map[string]string{"; tier 1": "it counts layer 2 as 1",
		"; at 0.4": "height mark",
		"; 12 s":   "the file's clock", "; wall": "the file's own name for the paths",
		"; hello": "a comment"} {
		if got := Mark([]byte(text), marks, 2, ix); !strings.Contains(got, want) {
			t.Errorf("%s: %q, want %q", text, got, want)
		}
	}
	if got := Mark([]byte("; tier 1"), marks, 1, ix); got != "the file's own mark of the layer" {
		t.Error(got)
	}
}
