package routine

import (
	"testing"

	"dogear/core/finding"
	"dogear/core/plan"
)

// TestExamples runs every routine that ships on printers of every sort: the
// example compiles, nothing forbids writing it, and it says how long it takes.
func TestExamples(t *testing.T) {
	for name, pr := range map[string]plan.Printer{
		"generic": *plan.Generic(),
		"middle": {Bed: [4]float64{-150, -150, 150, 150}, Top: 330, Park: [2]float64{
			-140, 140}, Stop: map[string]string{"colour": "M600"}},
		"small, mute": {Bed: [4]float64{0, 0, 120, 120}, Top: 110, Park: [2]float64{
			5, 115}, Silent: true, Blank: true},
	} {
		for rname, steps := range plan.Builtin() {
			for _, kind := range plan.Kinds {
				p := &plan.Plan{Format: plan.Format, Printer: &pr, First: "red",
					Filaments: map[string]plan.Filament{"red": {Unload: 50},
						"white": {Load: 60, Nozzle: [2]float64{230, 225}}}}
				x, err := NewExample(p, kind, "white", steps)
				if err != nil {
					t.Fatalf("%s, %s, %s: %v", name, rname, kind, err)
				}
				for _, f := range x.Findings {
					if f.Level == finding.Stop {
						t.Errorf("%s, %s, %s: %s", name, rname, kind, f.Message)
					}
				}
				if len(x.Took) != len(steps) {
					t.Fatal(len(x.Took))
				}
				for _, l := range x.Lines {
					if l.Step >= len(steps) {
						t.Errorf("%q belongs to step %d of %d", l.Text, l.Step, len(steps))
					}
				}
				if rname == "timed window" && (x.Took[5] < 119 || x.Took[5] > 121) {
					t.Errorf("%s, %s: waiting takes %v s", name, kind, x.Took)
				}
			}
		}
	}
}
