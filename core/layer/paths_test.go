package layer

import (
	"strings"
	"testing"

	"dogear/core/gcode"
)

func classes(t *testing.T, text string) string {
	t.Helper()
	file := "M83\nG1 Z.2\n" + text + "M104 S0\n"
	ix := read(t, file)
	moves, err := ix.Decode(strings.NewReader(file), 1)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, p := range Paths(moves) {
		if p.Class != Travel {
			out = append(out, p.Class.String())
		}
	}
	return strings.Join(out, ", ")
}

const (
	outer = "G0 X0 Y0\nG1 X20 E1\nG1 Y20 E1\nG1 X0 E1\nG1 Y0 E1\n"
	inner = "G0 X.4 Y.4\nG1 X19.6 E1\nG1 Y19.6 E1\nG1 X.4 E1\nG1 Y.4 E1\n"
	rows  = "G0 X1 Y1\nG1 X19 Y1 E1\nG0 X19 Y3\nG1 X1 Y3 E1\n"
)

// TestPaths groups and classes a layer with and without names in the file.
func TestPaths(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"by shape", outer + inner + rows, "outer wall, inner wall, fill, fill"},
		{"by shape, inner first", inner + outer, "inner wall, outer wall"},
		{"by the file's words", "; skirt\n" + outer + "; outside\n" + inner + "; top skin\n" + rows,
			"skirt or brim, outer wall, solid fill, solid fill"},
		{"two loops without a way between", "G0 X0 Y0\nG1 X9 E1\nG1 Y9 E1\nG1 X0 Y0 E1\nG1 X-9 E1\n" +
			"G1 Y-9 E1\nG1 X0 Y0 E1\n", "outer wall, outer wall"},
		{"an arc all round", "G0 X10 Y0\nG2 X10 Y0 I5 J0 E3\nG0 X30\n" + rows, "outer wall, fill, fill"},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := classes(t, c.text); got != c.want {
				t.Errorf("%s, want %s", got, c.want)
			}
		})
	}
}

func TestWidth(t *testing.T) {
	// V = e·π·d²/4 = 1·2.405 mm³ over 20 mm at 0.2 mm: 0.601 mm wide.
	m := Move{Kind: gcode.Lay, To: [3]gcode.Nano{20 * gcode.MM}, Laid: gcode.MM}
	if w := m.Width(gcode.MM/5, 1.75); w < 0.600 || w > 0.602 {
		t.Error(w)
	}
	m.Laid = 100 * gcode.MM
	if w := m.Width(gcode.MM/5, 1.75); w != 3 {
		t.Error("not kept within bounds:", w)
	}
	if w := (&Move{}).Width(gcode.MM, 1.75); w != 0.4 {
		t.Error("a move without length:", w)
	}
}

// TestStateAt compares the state at every line of a file with that of a machine
// that ran there from the front.
func TestStateAt(t *testing.T) {
	data := string(plate(60_000))
	src := strings.NewReader(data)
	ix := read(t, data)
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	line := int64(1)
	for s := range strings.Lines(data) {
		if line%37 == 0 {
			got, err := ix.StateAt(src, line)
			if err != nil || got.Pos != m.Pos || got.E != m.E || got.Feed != m.Feed || got.Debt != m.Debt ||
				got.Top != m.Top {
				t.Fatalf("line %d: %+v, want %+v (%v)", line, got, m.State, err)
			}
		}
		c.Parse([]byte(s))
		m.Exec(&c, &a)
		line++
	}
	for _, l := range []int64{0, ix.Lines + 2} {
		if _, err := ix.StateAt(src, l); err == nil {
			t.Errorf("line %d has a state", l)
		}
	}
}
