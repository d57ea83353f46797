package proof_test

import (
	"context"
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestBare examines lines on an empty bed.
func TestBare(t *testing.T) {
	pr := plan.Generic()
	pr.Assumed = false
	for text, want := range map[string]string{
		"G28\nG1 X50 Y50 Z5 F6000\nM0 look\nG1 Z9\n":          "",
		"G28\nG1 X5000 Y50 Z5 F6000\n":                        "outside-bed",
		"G28\nG1 X50 Y50 Z5 F6000\nG1 Z-0.5\n":                "below-bed",
		"G28\nG1 Z5 F600\nM104 S100\nG1 X50 Y50 F6000\nG1 E9": "cold-extrusion",
	} {
		r, err := proof.Bare(context.Background(), []byte(text), pr)
		if err != nil {
			t.Fatal(err)
		}
		found := ""
		for _, f := range r.Findings {
			if f.Code == want {
				found = want
			}
		}
		if found != want || r.Blocked() != (want != "") {
			t.Errorf("%q: want %q, found %+v", text, want, r.Findings)
		}
	}
}

// TestAlone examines lines that are run while a part stands on the bed.
func TestAlone(t *testing.T) {
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	ix := demotest.Index(t, file)
	top := 10 * gcode.Nano(gcode.MM)
	n := ix.Under(top)
	line := ix.Layers[n].Fold
	for text, want := range map[string]bool{
		"G90\nG1 Z30 F600\nG1 X110 Y110 F6000\nM0 look\n": false,
		"G90\nG1 Z3 F600\nG1 X110 Y110 F6000\n":           true, // through the wall
	} {
		r, err := proof.Alone(context.Background(), strings.NewReader(string(file)), ix, []byte(text),
			line, top, plan.Generic(), true)
		if err != nil {
			t.Fatal(err)
		}
		if r.Blocked() != want {
			t.Errorf("%q: %+v", text, r.Findings)
		}
	}
}
