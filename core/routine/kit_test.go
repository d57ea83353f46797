package routine_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/plan"
)

// TestAwake stops a printer that falls asleep: what keeps it awake stands in front of each
// stop; a line that would let go of its motors, or one it was seen to go straight on at, is
// refused.
func TestAwake(t *testing.T) {
	pr := &plan.Printer{Bed: [4]float64{0, 0, 220, 220}, Top: 200,
		StayAwake: []string{"M84 S7200", "SET_IDLE_TIMEOUT TIMEOUT=7200"}, Ignores: []string{"m25 P1"}}
	p := &plan.Plan{Format: plan.Format, Printer: pr,
		Ears: []plan.Ear{{ID: "a", BeforeLayer: 4, Kind: plan.Insert}}}
	_, out := applytest.Lay(t, applytest.Tall(), p)
	if b := applytest.Block(out, "a"); !applytest.InOrder(b, "G1 X", "M84 S7200",
		"SET_IDLE_TIMEOUT", "\nM0") {
		t.Error(b)
	}
	p.Ears[0].Stop = "M25"
	src := strings.NewReader(applytest.Tall())
	ix, err := layer.Read(t.Context(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	res, err := apply.Plan(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	if !slices.ContainsFunc(res.Findings, func(f finding.Finding) bool {
		return f.Code == "stop-ignored" && f.Level == finding.Stop
	}) {
		t.Errorf("%v", res.Findings)
	}
	for _, l := range []string{"M84", "G28", "M104 S0", "G1 X1", "M0", "; nothing\\nM84"} {
		bad := fmt.Sprintf(`{"format":"dogear-plan/1","ears":[],"printer":{"stay_awake":["%s"]}}`, l)
		if _, err := plan.Parse(strings.NewReader(bad)); err == nil {
			t.Errorf("%q keeps a printer awake", l)
		}
	}
}

// TestPurgeByPair pushes through what each pair of filaments takes.
func TestPurgeByPair(t *testing.T) {
	fils := map[string]plan.Filament{"tar": {Purge: 20},
		"white": {Purge: 45, After: map[string]float64{"tar": 95}}}
	_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, Filaments: fils,
		First: "white",
		Ears: []plan.Ear{{ID: "a", BeforeLayer: 4, Kind: plan.Colour, Filament: "tar"},
			{ID: "b", BeforeLayer: 7, Kind: plan.Colour, Filament: "white"},
			{ID: "c", BeforeLayer: 8, Kind: plan.Colour, Filament: "white"}}})
	for id, want := range map[string]int{"a": 20, "b": 95, "c": 45} {
		sum := 0.0
		for l := range strings.Lines(applytest.Block(out, id)) {
			var mm float64
			if _, err := fmt.Sscanf(l, "G1 E%f F240", &mm); err == nil && mm > 0 {
				sum += mm
			}
		}
		if sum != float64(want) {
			t.Errorf("%s: %g mm, want %d:\n%s", id, sum, want, applytest.Block(out, id))
		}
	}
}

// TestHomesAfterSwap homes X and Y again once a nozzle was swapped, above the part, where the
// printer's entry asks for it; a swap is made hot, without filament in the nozzle.
func TestHomesAfterSwap(t *testing.T) {
	for _, homes := range []bool{false, true} {
		pr := plan.Generic()
		pr.HomesAfterSwap = homes
		res, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, Printer: pr,
			First:     "tar",
			Filaments: map[string]plan.Filament{"tar": {Unload: 60, Load: 80}},
			Ears:      []plan.Ear{{ID: "a", BeforeLayer: 4, Kind: plan.Nozzle, Nozzle: 0.6}}})
		got := applytest.Block(out, "a")
		if strings.Contains(got, "\nG28 X Y") != homes || strings.Contains(got, "M104") {
			t.Errorf("%v: %s", homes, got)
		}
		want := []string{"G1 Z4", "E-", "M0 Filament out, put in the 0.6 mm nozzle hot", "G1 E80"}
		if homes {
			want = []string{"G1 Z4", "E-", "M0 Filament", "G28 X Y", "G1 E80", "G1 X"}
		}
		if !applytest.InOrder(got, want...) {
			t.Errorf("%v: %s", homes, got)
		}
		for _, f := range res.Findings {
			if f.Level == finding.Stop {
				t.Error(f)
			}
		}
	}
}
