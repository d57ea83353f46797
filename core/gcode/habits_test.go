package gcode

import (
	"errors"
	"strings"
	"testing"
)

// after carries out lines and returns the machine behind them.
func after(text ...string) *Machine {
	var m Machine
	var c Command
	var a Act
	for _, l := range text {
		c.Parse([]byte(l))
		m.Exec(&c, &a)
	}
	return &m
}

// TestVolumes checks that filament is a length whatever its axis counts, and that the
// axis is restored in its own unit.
func TestVolumes(t *testing.T) {
	const area = 2.405281875 // mm², π/4 · 1.75²
	near := func(a Nano, mm float64) bool { d := a.Millimetres() - mm; return d < 2e-6 && d > -2e-6 }
	for _, c := range []struct {
		name        string
		lines       []string
		laid, debt  float64
		logicalE    float64
		diameter    float64
		volumetrics bool
	}{
		{"lengths", []string{"M83", "G1 X9 E2"}, 2, 0, 2, 1.75, false},
		{"volumes in steps", []string{"M200 D1.75", "M83", "G1 X9 E2.405281875"}, 1, 0, 2.405282, 1.75,
			true},
		{"volumes from the start", []string{"M200 D1.75", "G1 X9 E4.81056375", "G1 E2.405282"}, 2, 1,
			2.405282, 1.75, true},
		{"thick filament", []string{"M200 D2.85", "M83", "G1 X9 E6.379397"}, 1, 0, 6.379397, 2.85, true},
		{"switched off by D0", []string{"M200 D1.75", "M200 D0", "M83", "G1 X9 E3"}, 3, 0, 3, 1.75,
			false},
		{"switched by S", []string{"M200 D2.85 S0", "M83", "G1 X9 E3", "M200 S1", "G1 X1 E6.379397"}, 4,
			0, 9.379397, 2.85, true},
		{"asked only", []string{"M200", "M83", "G1 X9 E3"}, 3, 0, 3, 1.75, false},
		{"cubic inches", []string{"M200 D1.75", "G20", "M83", "G1 X1 E.001"}, 16.387064 / area, 0,
			16.387064, 1.75, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			m := after(c.lines...)
			if !near(m.Laid, c.laid) || !near(m.Debt, c.debt) || !near(m.LogicalE(), c.logicalE) {
				t.Errorf("laid %v, drawn back %v, axis at %v", m.Laid, m.Debt, m.LogicalE())
			}
			if m.Diameter() != c.diameter || m.Volumetric() != c.volumetrics {
				t.Errorf("%v mm, by volume %v", m.Diameter(), m.Volumetric())
			}
			for _, mm := range []Nano{MM, -3 * MM, 70 * MM} {
				if d := m.Filament(m.Step(mm)) - mm; d > 1 || d < -1 {
					t.Errorf("%v there and back is off by %d", mm, d)
				}
			}
		})
	}
	// What is drawn back and given back by the same step leaves nothing.
	if m := after("M200 D1.75", "M83", "G1 E-1.92423", "G1 E1.92423"); m.Debt != 0 || m.Laid != 0 {
		t.Errorf("drawn back %v, laid %v", m.Debt, m.Laid)
	}
}

// TestHeaters reads temperatures out of the parameters of start macros by the words in
// them, and takes nothing else for one.
func TestHeaters(t *testing.T) {
	for line, want := range map[string][2]int64{ // nozzle, bed; -1: not said
		"START_PRINT BED=60 EXTRUDER=210":                       {210, 60},
		"BEGIN BED_TEMPERATURE=65 NOZZLE=222":                   {222, 65},
		"PRINT_START TOOL_TEMP=230 BED_TEMP=90":                 {230, 90},
		"BEGIN HOTEND_TEMPERATURE=205.5 BEDTEMP=55":             {205, 55},
		"BEGIN INITIAL_BED_TEMP=70 FIRST_LAYER_NOZZLE_TEMP=215": {215, 70},
		"BEGIN bed_temp=50 extruder_temp=199":                   {199, 50},
		"BEGIN NOZZLE=0.4 NOZZLE_DIAMETER=0.6 BED_MESH=1 BED=1": {-1, -1},
		"BEGIN CHAMBER_TEMP=45 TOOL=1 BED_SIZE=220":             {-1, -1},
		"BEGIN EXTRUDER=hot BED=\"60\"":                         {-1, -1},
		"BEGIN EXTRUDER_TEMP=9999 BED_TEMP=-4":                  {-1, -1},
		"BEGIN EXTRUDER=0 BED=0":                                {0, 0},
		"BEGIN MATERIAL=220 SPEED=60":                           {-1, -1},
	} {
		m := after(line)
		got := [2]int64{-1, -1}
		if m.Stated() {
			got[0] = m.Nozzle() / 1e6
		}
		if m.BedStated() {
			got[1] = m.Bed() / 1e6
		}
		if got != want {
			t.Errorf("%s: %v, want %v", line, got, want)
		}
	}
}

// TestOddWords looks at words that printers read in different ways.
func TestOddWords(t *testing.T) {
	for _, c := range []struct {
		line string
		bad  string // word and cause
		x, e int64  // millionths; -1: not there
	}{
		{"G1 X1 E1e0", "E1e0 exponent", 1e6, -1},
		{"G1 X-1.2e-05 E1", "X-1.2e-05 exponent", -1, 1e6},
		{"G1 X1.2E-05 Y1", "X1.2E-05 exponent", -1, -1},
		{"g1x1e5", "", 1e6, 5e6},
		{"G1X1E5", "", 1e6, 5e6},
		{"G1 X1E5F100", "", 1e6, 5e6},
		{"G1 X1Y2E.5", "", 1e6, 5e5},
		{"G1 X1e5", "X1e5 exponent", -1, -1},
		{"G1 X1 E2 ; e5", "", 1e6, 2e6},
		{"G90 G1 X1", "G1 second", -1, -1},
		{"N-1 M110", "", -1, -1},
	} {
		t.Run(c.line, func(t *testing.T) {
			var cmd Command
			cmd.Parse([]byte(c.line))
			bad := ""
			if len(cmd.Bad) > 0 {
				b := cmd.Bad[0]
				switch {
				case errors.Is(b, ErrPower):
					bad = b.Word + " exponent"
				case errors.Is(b, ErrSecond):
					bad = b.Word + " second"
				default:
					bad = b.Error()
				}
			}
			got := [2]int64{-1, -1}
			for k, l := range []byte("XE") {
				if cmd.Has(l) {
					got[k] = cmd.Value(l)
				}
			}
			if bad != c.bad || got != [2]int64{c.x, c.e} {
				t.Errorf("bad %q, X and E %v", bad, got)
			}
		})
	}
}

// TestUnfollowed checks that a way that is not followed ends where it should, and that a
// move by the machine's own places leaves the place unknown.
func TestUnfollowed(t *testing.T) {
	var c Command
	var a Act
	for _, line := range []string{"G5 X9 Y8 I1 J1 P2 Q2 E3", "G5.1 X9 Y8 I1 J1 E3",
		"G2 X9 Y8 Z0 I3 K0 E3"} {
		m := after("G28", "M83", "G18")
		c.Parse([]byte(line))
		m.Exec(&c, &a)
		if !a.Curve || a.Kind != Lay || m.Pos != [3]Nano{9 * MM, 8 * MM, 0} || a.Laid != 3*MM ||
			a.Arc.Turn != 0 {
			t.Errorf("%s: %+v at %v", line, a, m.Pos)
		}
	}
	m := after("G28", "G53 G0 X9")
	if m.Known != 0 {
		t.Errorf("known %b behind G53", m.Known)
	}
	if m = after("G28", "G53 G0 X9", "G1 X1 Y1 Z1"); m.Known != 7 {
		t.Errorf("known %b behind an absolute move", m.Known)
	}
}

// TestBounds names more tools and settings than are remembered: what lies beyond counts
// as not said, and earlier snapshots stay what they were.
func TestBounds(t *testing.T) {
	m := after("T0", "M104 S200")
	was := m.State
	var c Command
	var a Act
	for k := range 500 {
		for _, l := range []string{"SET_THING" + strings.Repeat("X", k%7) + itoa(int64(k)) + " VALUE=1",
			"T" + itoa(int64(k)), "M104 S210", "M83", "G1 E-1"} {
			c.Parse([]byte(l))
			m.Exec(&c, &a)
		}
	}
	if n := len(m.Settings()); n != maxSettings {
		t.Errorf("%d settings", n)
	}
	if m.Target(3) != 210e6 || m.Stated() {
		t.Errorf("tool 3 %d, the last one stated %v", m.Target(3), m.Stated())
	}
	if was.Nozzle() != 200e6 || len(was.Settings()) != 0 || was.Target(3) != 0 {
		t.Error("an earlier snapshot has changed")
	}
}

// TestFanShare reads fans from 0 to 255 and from 0 to 1.
func TestFanShare(t *testing.T) {
	if m := after("M106 S127.5"); m.FanShare(m.Fan) != 50 {
		t.Error(m.FanShare(m.Fan))
	}
	if m := after("M106 S0.25", "M106 S1"); m.FanShare(m.Fan) != 100 {
		t.Error(m.FanShare(m.Fan))
	}
	if m := after("M106"); m.FanShare(m.Fan) != 100 {
		t.Error(m.FanShare(m.Fan))
	}
}
