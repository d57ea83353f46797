package apply_test

import (
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/plan"
)

// TestChangesMeet ends one change before the next begins, whatever their order, and
// keeps a change's factors through an ear.
func TestChangesMeet(t *testing.T) {
	a := plan.Change{ID: "a", BeforeLayer: 3, UntilLayer: 6, Speed: 50, Flow: 90}
	b := plan.Change{ID: "b", BeforeLayer: 6, UntilLayer: 9, Speed: 80}
	_, one := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format,
		Changes: []plan.Change{a, b}})
	_, other := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format,
		Changes: []plan.Change{b, a}})
	if one != other || !applytest.InOrder(one, "M220 S50", "; dogear back a", "M220 S100",
		"; dogear change b", "M220 S80", "; dogear back b", "M220 S100") {
		t.Error("the order in which changes stand in the plan matters")
	}
	_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format,
		Changes: []plan.Change{{ID: "c",
			BeforeLayer: 3, UntilLayer: 9, Flow: 80}},
		Ears: []plan.Ear{{ID: "e", BeforeLayer: 5, Kind: plan.Own, Lines: []string{"M221 S150"}}}})
	if got := applytest.Block(out, "e"); !applytest.InOrder(got, "M221 S150", "M221 S80") ||
		strings.Contains(got, "M221 S100") {
		t.Error(got)
	}
	// Where a filament rewrites the line with which the fold begins, a change may begin
	// or end as well.
	file := strings.Replace(applytest.Tall(), "; tier 5\n", "M104 S202\n; tier 5\n", 1)
	fils := map[string]plan.Filament{"h": {Name: "Kelp", Nozzle: [2]float64{240, 235}}}
	ears := []plan.Ear{{ID: "e", BeforeLayer: 5, Kind: plan.Colour, Filament: "h"}}
	for _, ch := range [][]plan.Change{{{ID: "a", BeforeLayer: 5, UntilLayer: 6, Speed: 50}},
		{{ID: "a", BeforeLayer: 3, UntilLayer: 5, Speed: 50}}, {{ID: "a", BeforeLayer: 5,
			UntilLayer: 6, Speed: 50}, {ID: "b", BeforeLayer: 5, UntilLayer: 8, Flow: 90}}} {
		applytest.Lay(t, file, &plan.Plan{Format: plan.Format, Filaments: fils, Ears: ears, Changes: ch})
	}
}

// TestChangesHold rewrites what the file itself says of fan and heat between the folds of a
// change, and knows what is in force where.
func TestChangesHold(t *testing.T) {
	file := strings.Replace(applytest.Tall(), "; tier 5\n", "M106 S255\nM104 S205\n; tier 5\n", 1)
	fan := 40.0
	res, out := applytest.Lay(t, file, &plan.Plan{Format: plan.Format, Changes: []plan.Change{{ID: "c",
		BeforeLayer: 3, UntilLayer: 9, Fan: &fan, Nozzle: 220, Speed: 50, Flow: 90}}})
	if !applytest.InOrder(out, "; dogear change c", "M106 S102", "M104 S220",
		"; dogear was", "M106 S102", "; dogear was", "M104 S220", "; dogear back c") {
		t.Error(out)
	}
	src, ix := applytest.Reading(t, file)
	for n, want := range map[int][2]float64{2: {1, 1}, 4: {0.5, 0.9}, 10: {1, 1}} {
		if speed, flow := res.Factors(ix.Layers[n-1].First); speed != want[0] || flow != want[1] {
			t.Errorf("layer %d: factors %g and %g, want %v", n, speed, flow, want)
		}
	}
	own, err := ix.Before(src, 4)
	if err != nil {
		t.Fatal(err)
	}
	s := res.InForce(ix.Layers[3].First, own)
	if s.Nozzle() != 220e6 || s.Fan != 102e6 {
		t.Errorf("in force: nozzle %d, fan %d", s.Nozzle(), s.Fan)
	}
	src, ix = applytest.Reading(t, applytest.Tall())
	f, err := apply.Behind(src, ix)
	if err != nil || f.Line <= ix.Layers[len(ix.Layers)-1].Last {
		t.Errorf("behind the last layer: %+v %v", f, err)
	}
}
