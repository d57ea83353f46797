package second

import (
	"context"
	"strings"
	"testing"

	"dogear/core/gcode"
)

const original = "M82\nM109 S210\nG1 Z.2 F600\nG1 X10 E1 F1500\nG1 X20 E2\nG1 E1.2 F2100\nG1 " +
	"Z.4\nG1 E2\nG1 X30 E3 F1500\n"

func compare(t *testing.T, edited string) Verdict {
	t.Helper()
	v, err := Compare(context.Background(), strings.NewReader(original), strings.NewReader(edited),
		Options{Box: [4]gcode.Nano{0, 0, 40 * gcode.MM, gcode.MM}})
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestSame(t *testing.T) {
	for name, edited := range map[string]string{
		"untouched": original,
		"a stop": strings.Replace(original, "G1 Z.4\n",
			"M83\nG1 E-1\nG1 Z9\nM0\nG1 Z.2\nG1 E1\nM82\nG92 E1.2\nG1 F2100\nG1 Z.4\n", 1),
		"a purge": strings.Replace(original, "G1 Z.4\n",
			"G0 X90\nG92 E0\nG1 E20.8\nG1 E20\nG92 E1.2\nG0 X20\nG1 Z.4\n", 1),
		"other text": strings.ReplaceAll(original, "G1 X10", "G1   X10.000"),
		"hotter":     strings.Replace(original, "G1 Z.4\n", "M104 S220\nG1 Z.4\n", 1),
	} {
		v := compare(t, edited)
		if !v.Same || v.Moves != 3 {
			t.Errorf("%s: %+v %+v", name, v, v.First)
		}
		if name == "hotter" && v.Heats != 1 {
			t.Errorf("%s: %d moves at another temperature", name, v.Heats)
		}
		if name == "a stop" && v.StopsNew != 1 {
			t.Errorf("%s: %d new stops", name, v.StopsNew)
		}
	}
}

func TestNotSame(t *testing.T) {
	for _, c := range []struct{ name, old, new, want string }{
		{"a blob", "G1 Z.4\n", "G92 E0\nG1 Z.4\n", "pushed out over the part"},
		{"axis jumps", "G1 X30 E3", "G92 E1\nG1 X30 E3", "another amount"},
		{"one nanometre", "X30", "X30.000001", "somewhere else"},
		{"starts elsewhere", "G1 Z.4\n", "G1 Z.4\nG1 Y1\n", "begins somewhere else"},
		{"height", "Z.4", "Z.5", "begins somewhere else"},
		{"speed", "E3 F1500", "E3 F1400", "another speed"},
		{"fan", "G1 Z.4\n", "M106 S9\nG1 Z.4\n", "fan"},
		{"flow", "G1 Z.4\n", "M221 S90\nG1 Z.4\n", "flow"},
		{"setting", "G1 Z.4\n", "M204 S90\nG1 Z.4\n", "lasting setting"},
		{"tool", "G1 Z.4\n", "T1\nG1 Z.4\n", "another tool"},
		{"cold", "G1 Z.4\n", "M104 S0\nM104 S210\nG1 Z.4\n", "waited"},
		{"shorter", "G1 X30 E3 F1500\n", "", "ends before"},
		{"longer", "E3 F1500\n", "E3 F1500\nG1 X40 E4\n", "lays more"},
	} {
		t.Run(c.name, func(t *testing.T) {
			edited := strings.Replace(original, c.old, c.new, 1)
			v := compare(t, edited)
			if v.Same || v.First == nil || !strings.Contains(v.First.What, c.want) {
				t.Errorf("%+v %+v", v, v.First)
			}
		})
	}
}
