package routine

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/plan"
)

// states are places at which a routine may find the machine.
func states() map[string]gcode.State {
	base := gcode.State{Pos: [3]gcode.Nano{50 * gcode.MM, 60 * gcode.MM, 2 * gcode.MM},
		Top: 2 * gcode.MM, Feed: 1800 * gcode.MM, Fan: 127e6, Known: 7, ESet: true, E: 123_456_789,
		OffE: 23_000_001}
	base = base.WithNozzle(210e6)
	with := func(f func(*gcode.State)) gcode.State {
		s := base
		f(&s)
		return s
	}
	return map[string]gcode.State{
		"absolute":          base,
		"relative filament": with(func(s *gcode.State) { s.RelE = true }),
		"all in steps":      with(func(s *gcode.State) { s.RelE, s.RelXYZ = true, true }),
		"inches":            with(func(s *gcode.State) { s.Inch = true }),
		"drawn back":        with(func(s *gcode.State) { s.Debt = 800_000 }),
		"drawn back far":    with(func(s *gcode.State) { s.Debt = 5 * gcode.MM }),
		"held by firmware":  with(func(s *gcode.State) { s.Pulled = true }),
		"axes renamed": with(
			func(s *gcode.State) { s.Off = [3]gcode.Nano{3 * gcode.MM, -4 * gcode.MM, gcode.MM / 2} }),
		"in a hop":     with(func(s *gcode.State) { s.Pos[2] += gcode.MM }),
		"no feed said": with(func(s *gcode.State) { s.Feed = 0 }),
	}
}

// TestEveryStep runs every step, and every routine that ships, from every state:
// what the lines leave behind is the machine as it was, whatever they do.
func TestEveryStep(t *testing.T) {
	half := 50.0
	x := 30.0
	routines := plan.Builtin()
	for _, s := range []plan.Step{
		{Do: "say", Text: "Look"}, {Do: "tone"}, {Do: "retract", MM: 3}, {Do: "lift", MM: 5},
		{Do: "park", X: &x, Y: &x}, {Do: "park", Keep: true},
		{Do: "fan", Percent: &half}, {Do: "heat", Celsius: 240, Wait: true},
		{Do: "cool", Celsius: 120, Wait: true}, {Do: "cool", Celsius: 180},
		{Do: "wait", Seconds: 30}, {Do: "stop"}, {Do: "unload", MM: 250, Speed: 20}, {Do: "load", MM: 70},
		{Do: "purge", MM: 1}, {Do: "purge", MM: 45, Speed: 3},
		{Do: "wipe"},
		{Do: "lines", Lines: []string{"G91", "G1 Z3 E-4 F200", "M106 S3", "T1", "T0", "M83"}},
	} {
		routines[fmt.Sprintf("%s %g", s.Do, s.MM+s.Celsius)] = plan.Routine{{Do: "lift", MM: 4}, s,
			{Do: "return"}, {Do: "restore"}}
	}
	box := [4]gcode.Nano{40 * gcode.MM, 40 * gcode.MM, 80 * gcode.MM, 80 * gcode.MM}
	for name, was := range states() {
		for rname := range routines {
			p := &plan.Plan{Format: plan.Format, Routines: routines,
				Ears: []plan.Ear{{ID: "a", BeforeLayer: 2, Kind: plan.Insert,
					Routine: []byte(`"` + rname + `"`)}}}
			if err := p.Check(); err != nil {
				t.Fatal(rname, err)
			}
			lines, finds, err := Compile(Fold{Layer: 2, At: was}, box, p, &p.Ears[0], Style{})
			if err != nil {
				t.Fatal(rname, err)
			}
			for _, f := range finds {
				if f.Level == finding.Stop {
					t.Errorf("%s, %s: %s", name, rname, f.Message)
				}
			}
			m := gcode.Machine{State: was}
			var c gcode.Command
			var a gcode.Act
			for _, l := range lines {
				c.Parse([]byte(l.Text))
				m.Exec(&c, &a)
				if a.Kind == gcode.Lay {
					t.Errorf("%s, %s: %q lays", name, rname, l.Text)
				}
				if a.DE > 100*gcode.MM || a.DE < -100*gcode.MM {
					t.Errorf("%s, %s: %q is longer than firmware accepts", name, rname, l.Text)
				}
				if a.Kind == gcode.Travel && a.MoveX && m.Pos[2] < was.Top+gcode.MM &&
					!strings.HasPrefix(rname, "lines") {
					t.Errorf("%s, %s: %q crosses the part", name, rname, l.Text)
				}
			}
			if m.Pos != was.Pos || m.Off != was.Off || m.Debt != was.Debt || m.Pulled != was.Pulled ||
				m.RelXYZ != was.RelXYZ || m.RelE != was.RelE || m.Inch != was.Inch ||
				m.Fan != was.Fan || m.Nozzle() != was.Nozzle() || !m.Hot() || m.Tool != was.Tool ||
				was.Feed > 0 && m.Feed != was.Feed || !was.RelE && m.LogicalE() != was.LogicalE() {
				t.Errorf("%s, %s: the machine is left otherwise\nwas %+v\nis  %+v\n%+v", name, rname, was,
					m.State, lines)
			}
		}
	}
}
