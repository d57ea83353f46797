package gcode

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"strings"
	"testing"
)

func TestNumber(t *testing.T) {
	for _, c := range []struct {
		in   string
		want int64
		rest string
		ok   bool
	}{
		{"12.5 ", 12_500_000, " ", true},
		{"-.25", -250_000, "", true},
		{"+3.", 3_000_000, "", true},
		{"0.0000005", 0, "", true},  // half to even
		{"0.0000015", 2, "", true},  // half to even
		{"0.00000051", 1, "", true}, // more than half
		{"0.0000004999", 0, "", true},
		{"9000000", 9_000_000_000_000, "", true},
		{"9000000.1", 0, "", false},
		{"99999999999999999999999", 0, "", false},
		{"--1", 0, "--1", false},
		{".", 0, ".", false},
		{"-", 0, "-", false},
		{"nan", 0, "nan", false},
		{"00001.10", 1_100_000, "", true},
	} {
		t.Run(c.in, func(t *testing.T) {
			got, end, ok := number([]byte(c.in), 0)
			if got != c.want || c.in[end:] != c.rest || ok != c.ok {
				t.Errorf("number(%q) = %d, rest %q, %v; want %d, %q, %v", c.in, got, c.in[end:], ok, c.want,
					c.rest, c.ok)
			}
		})
	}
}

// TestInchIsExact compares with rational arithmetic.
func TestInchIsExact(t *testing.T) {
	for v := int64(-2_000_003); v < 2_000_000; v += 9_973 {
		r := new(big.Rat).Mul(big.NewRat(v, 1), big.NewRat(254, 10))
		f, _ := r.Float64()
		if got := inch(v); got != Nano(math.RoundToEven(f)) {
			t.Fatalf("inch(%d) = %d, want %v", v, got, f)
		}
	}
}

func TestAppendMM(t *testing.T) {
	for _, c := range []struct {
		n      Nano
		places int
		want   string
	}{{0, 0, "0"}, {0, 2, "0.00"}, {1_200_000, 0, "1.2"}, {-1, 0, "-0.000001"}, {7_400_000, 2, "7.40"},
		{7_412_340, 2, "7.41234"}, {-12 * MM, 0, "-12"}} {
		t.Run(c.want, func(t *testing.T) {
			if got := string(AppendMM(nil, c.n, c.places)); got != c.want {
				t.Errorf("AppendMM(%d, %d) = %q, want %q", c.n, c.places, got, c.want)
			}
			if v, _, _ := number([]byte(c.want), 0); Nano(v) != c.n {
				t.Errorf("%q reads back as %d", c.want, v)
			}
		})
	}
}

func TestParse(t *testing.T) {
	for _, c := range []struct{ in, word, words, text, comment string }{
		{"G1 X10.5 Y-.25 E.04 F1800 ; wall", "G1", "E0.04 F1800 X10.5 Y-0.25", "", " wall"},
		{"g1x10y2e.5", "G1", "E0.5 X10 Y2", "", ""},
		{"N12 G1 X1*57", "G1", "X1", "", ""},
		{"\tG92\tE0\r\n", "G92", "E0", "", ""},
		{"\xef\xbb\xbfG28 X Y", "G28", "X? Y?", "", ""},
		{"M117 Layer 3 of 9; shown", "M117", "", "Layer 3 of 9", " shown"},
		{"M0 Load (white)", "M0", "", "Load (white)", ""},
		{"START_PRINT BED=60 EXTRUDER=215", "START_PRINT", "", "BED=60 EXTRUDER=215", ""},
		{"@pause now", "@pause", "", "now", ""},
		{"G92.1", "G92.1", "", "", ""},
		{"(set up) G21 (mm)", "G21", "", "", "set up"},
		{"; only this", "", "", "", " only this"},
		{"G1 X1 M106 S255", "G1", "X1", "", ""}, // a second command is ignored
		{"G1 X 5 Y 6", "G1", "X5 Y6", "", ""},
		{"T1", "T1", "", "", ""},
		{"", "", "", "", ""},
		{"%", "%", "", "", ""},
	} {
		t.Run(c.in, func(t *testing.T) {
			var p Command
			p.Parse([]byte(c.in))
			var words []string
			for l := byte('A'); l <= 'Z'; l++ {
				if p.Has(l) {
					words = append(words, string(l)+string(AppendMM(nil, Nano(p.Value(l)), 0)))
				} else if p.Bare(l) {
					words = append(words, string(l)+"?")
				}
			}
			if p.Word() != c.word || strings.Join(words, " ") != c.words || string(p.Text) != c.text ||
				string(p.Comment) != c.comment {
				t.Errorf("%q words %q text %q comment %q", p.Word(), words, p.Text, p.Comment)
			}
		})
	}
}

func TestBadWords(t *testing.T) {
	for in, want := range map[string]int{"G1 X--1 Y2": 4, "G1 Xnan Y2": 4, "G1 X99999999 Y2": 4,
		"G1 Y2 $": 7, "G1 X1 Y2": 0} {
		var p Command
		p.Parse([]byte(in))
		if want == 0 {
			if len(p.Bad) > 0 {
				t.Errorf("%q: %v", in, p.Bad)
			}
			continue
		}
		if len(p.Bad) == 0 || p.Bad[0].Column != want ||
			!(errors.Is(p.Bad[0], ErrNumber) || errors.Is(p.Bad[0], ErrJunk)) {
			t.Errorf("%q: %v, want column %d", in, p.Bad, want)
		}
		if p.Value('Y') != 2_000_000 || p.Has('X') {
			t.Errorf("%q: the other words were not kept, or the bad one was", in)
		}
	}
}

func TestChecksum(t *testing.T) {
	for in, want := range map[string]bool{"N3 T0*57": true, "N4 G92 E0*67": true,
		"N4 G92 E0*68": false, "  N3 T0*57 ; x": true} {
		var p Command
		p.Parse([]byte(in))
		if !p.HasSum || p.SumOK != want {
			t.Errorf("%q: has %v ok %v, want ok %v", in, p.HasSum, p.SumOK, want)
		}
	}
}

// run carries out lines and returns the machine and the last act.
func run(lines ...string) (*Machine, Act) {
	var m Machine
	var c Command
	var a Act
	for _, l := range lines {
		c.Parse([]byte(l))
		m.Exec(&c, &a)
	}
	return &m, a
}

func TestMachine(t *testing.T) {
	for _, c := range []struct {
		name  string
		lines string
		want  string // x y z logical e, debt, kind of the last act, laid by it
	}{
		{"absolute", "G1 X1 Y2 Z3 E4", "1 2 3 4 debt 0 kind 2 laid 4"},
		{"relative filament", "M83|G1 X1 E1|G1 X2 E1", "2 0 0 2 debt 0 kind 2 laid 1"},
		{"debt is paid first", "M83|G1 E-0.8|G1 X1 E1", "1 0 0 0.2 debt 0 kind 2 laid 0.2"},
		{"debt not yet paid is travel", "M83|G1 E-2|G1 X1 E1", "1 0 0 -1 debt 1 kind 1 laid 0"},
		{"wipe", "M83|G1 X5 E1|G1 X3 E-0.5", "3 0 0 0.5 debt 0.5 kind 3 laid 0"},
		{"axis renamed", "G1 X5 E3|G92 E0 X1|G1 X2 E1", "2 0 0 1 debt 0 kind 2 laid 1"},
		{"bare renaming", "G1 X5 Y5 Z5 E3|G92", "0 0 0 0 debt 0 kind 9 laid 0"},
		{"G91 switches filament too", "G91|G1 X1 E1|G1 X1 E1", "2 0 0 2 debt 0 kind 2 laid 1"},
		{"but not behind M82", "M82|G91|G1 X1 E1|G1 X1 E1", "2 0 0 1 debt 0 kind 1 laid 0"},
		{"inches", "G20|G1 X1 E.1|G21|G1 X25.4", "25.4 0 0 2.54 debt 0 kind 0 laid 0"},
		{"homing forgets offsets", "G1 X5|G92 X0|G28 X", "0 0 0 0 debt 0 kind 6 laid 0"},
		{"tools have their own debt", "M83|G1 E-1|T1|G1 E-3|T0|G1 E1", "0 0 0 -3 debt 0 kind 4 laid 0"},
		{"two nanometres are no movement", "G1 X0.000001 E1", "0.000001 0 0 1 debt 0 kind 4 laid 1"},
		{"firmware retraction", "G10|G11", "0 0 0 0 debt 0 kind 4 laid 0"},
		{"tool offsets are not one", "G10 P1 X5", "0 0 0 0 debt 0 kind 13 laid 0"},
	} {
		t.Run(c.name, func(t *testing.T) {
			m, a := run(strings.Split(c.lines, "|")...)
			p := m.Logical()
			mm := func(n Nano) string { return string(AppendMM(nil, n, 0)) }
			got := fmt.Sprintf("%s %s %s %s debt %s kind %d laid %s", mm(p[0]), mm(p[1]), mm(p[2]),
				mm(m.LogicalE()), mm(m.Debt), a.Kind, mm(a.Laid))
			if got != c.want {
				t.Errorf("%s\n got %s\nwant %s", c.lines, got, c.want)
			}
		})
	}
}

func TestSettings(t *testing.T) {
	m, _ := run("M104 S215", "M109 R210", "M140 S60", "M106 S127", "M106 P2 S99", "M204 S500",
		"M205 X8 Y7", "M204 P800 T900", "SET_LIMIT ACCEL=3", "M220 S80", "G1 F1800")
	if m.Nozzle() != 210e6 || !m.Hot() || m.Bed() != 60e6 || m.Fan != 127e6 || m.Speed() != 0.8 ||
		m.Flow() != 1 || m.Feed != 1800*MM {
		t.Errorf("%+v %v %v", m.State, m.Nozzle(), m.Bed())
	}
	var got []string
	for _, s := range m.Settings() {
		got = append(got, s.Line)
	}
	want := "M106 P2 S99|M204 P800 T900|M205 X8 Y7|M220 S80|SET_LIMIT ACCEL=3"
	if strings.Join(got, "|") != want {
		t.Errorf("settings %q, want %q", got, want)
	}
	if m, _ := run("M109 S210", "M104 S0", "M104 S210"); m.Hot() {
		t.Error("a nozzle that went cold counts as waited for")
	}
}

// TestSnapshotsAreApart changes everything behind a snapshot.
func TestSnapshotsAreApart(t *testing.T) {
	m, _ := run("M109 S210", "M140 S60", "M204 S500")
	before := m.State
	var c Command
	var a Act
	for _, l := range []string{"M109 S250", "M140 S90", "M204 S900", "M205 X1", "T1"} {
		c.Parse([]byte(l))
		m.Exec(&c, &a)
	}
	if before.Nozzle() != 210e6 || before.Bed() != 60e6 || len(before.Settings()) != 1 ||
		before.Settings()[0].Line != "M204 S500" {
		t.Error("a snapshot changed when the machine went on")
	}
}

func TestArc(t *testing.T) {
	for _, c := range []struct {
		line         string
		length       float64
		cx, cy, turn float64
	}{
		{"G2 X10 Y0 I5 J0 E1", 5 * math.Pi, 5, 0, -math.Pi},
		{"G3 X10 Y0 I5 J0 E1", 5 * math.Pi, 5, 0, math.Pi},
		{"G3 X0 Y0 I5 J0 E1", 10 * math.Pi, 5, 0, 2 * math.Pi},
		{"G2 X10 Y0 R5 E1", 5 * math.Pi, 5, 0, -math.Pi},
		{"G3 X5 Y5 R5 E1", 2.5 * math.Pi, 0, 5, math.Pi / 2},
		{"G3 X5 Y5 R-5 E1", 7.5 * math.Pi, 5, 0, 1.5 * math.Pi},
	} {
		t.Run(c.line, func(t *testing.T) {
			m, a := run(c.line)
			arc := a.Arc
			if math.Abs(arc.Length()-c.length) > 1e-6 || math.Hypot(arc.CX-c.cx, arc.CY-c.cy) > 1e-6 ||
				math.Abs(arc.Turn-c.turn) > 1e-6 || a.Kind != Lay || m.LogicalE() != MM {
				t.Errorf("%+v length %v", arc, arc.Length())
			}
			if n := arc.Pieces(0.01); n > 1 {
				x0, y0 := arc.At(0)
				x1, y1 := arc.At(1 / float64(n))
				mx, my := arc.At(0.5 / float64(n))
				if d := math.Hypot((x0+x1)/2-mx, (y0+y1)/2-my); d > 0.0101 {
					t.Errorf("a chord lies %v from the arc", d)
				}
			}
			b := arc.Bounds()
			for k := range 200 {
				if x, y := arc.At(float64(k) / 199); x < b[0]-1e-9 || x > b[2]+1e-9 || y < b[1]-1e-9 ||
					y > b[3]+1e-9 {
					t.Errorf("the box %v misses %v, %v", b, x, y)
					break
				}
			}
		})
	}
	if _, a := run("G2 X10 R1 E1"); a.Arc.Turn != 0 || a.Kind != Lay {
		t.Error("an arc that cannot be should be a straight move")
	}
}

// FuzzParse checks that no bytes make the reader fail, and that reading twice
// or with another line end gives the same.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"G1 X1 Y2 E.5 F1800 ; a", "N1 G2 I1 J2*33", "g1x1e9", "START A=1",
		"M117 hi;x", "G92.1", "(", "T99999999999", "G1 X1.99999999999999999999"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, s []byte) {
		if strings.ContainsAny(string(s), "\n") {
			return
		}
		var m, n Machine
		var c, d Command
		var a, b Act
		c.Parse(s)
		m.Exec(&c, &a)
		d.Parse(append(append([]byte{}, s...), '\r', '\n'))
		n.Exec(&d, &b)
		if c.Word() != d.Word() || a.Kind != b.Kind || a.Laid != b.Laid || m.Pos != n.Pos || m.E != n.E ||
			m.Debt != n.Debt {
			t.Fatalf("%q reads differently with a line end: %+v %+v", s, a, b)
		}
		for k := range 3 {
			if m.Pos[k] > Limit*26 || m.Pos[k] < -Limit*26 {
				t.Fatalf("%q leads to %v", s, m.Pos)
			}
		}
	})
}

func ExampleMachine() {
	var m Machine
	var c Command
	var a Act
	for _, line := range []string{"M83", "G1 E-0.8 F2100", "G1 X10 E1"} {
		c.Parse([]byte(line))
		m.Exec(&c, &a)
	}
	fmt.Println(a.Kind == Lay, a.Laid, "mm laid, debt", m.Debt)
	// Output: true 0.20 mm laid, debt 0.00
}
