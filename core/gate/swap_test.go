package gate

import (
	"strings"
	"testing"

	"dogear/core/finding"
	"dogear/core/plan"
)

// TestSwapHomes homes X and Y again once a nozzle was swapped: the head goes back to where it
// waited before anything is pushed through, a place that G92 has shifted is shifted again, and
// the mesh is switched on behind the homing, once.
func TestSwapHomes(t *testing.T) {
	for name, set := range map[string]string{"plain": "", "a mesh": "M420 S1 Z2\n",
		"no mesh": "M420 S0\n", "shifted": "G92 X5 Y-3\n", "lifted": "M290 Z0.05\n"} {
		for _, rel := range []bool{false, true} {
			file := strings.Replace(pier(12, rel), "G28\n", "G28\n"+set, 1)
			pr := plan.Generic()
			pr.HomesAfterSwap, pr.Assumed = true, false
			r, err := planned(t, file, &plan.Plan{Printer: pr,
				Ears: []plan.Ear{{ID: "a", BeforeLayer: 9, Kind: plan.Nozzle}}})
			if err != nil {
				t.Fatal(name, err)
			}
			for _, f := range r.findings {
				if f.Level != finding.Note {
					t.Errorf("%s, %v: %+v", name, rel, f)
				}
			}
			_, behind, ok := strings.Cut(written(t, r), "\nG28 X Y")
			home, push := strings.Index(behind, "\nG1 X"), strings.Index(behind, "\nG1 E20")
			if !ok || home < 0 || push < home {
				t.Errorf("%s: it pushes through at %d, and is back aside at %d: %s", name, push, home,
					behind[:min(len(behind), 400)])
			}
			again := strings.Contains(set, "M420 S1")
			if strings.Count(behind, "\nM420 S1 Z2") != map[bool]int{true: 1, false: 0}[again] ||
				strings.Contains(behind, "M290") {
				t.Errorf("%s: %s", name, behind[:400])
			}
		}
	}
}
