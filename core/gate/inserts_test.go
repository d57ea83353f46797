package gate

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"dogear/core/finding"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/demo"
)

// TestProudInsert lets nothing that was put in pass through what an ear before it has put into a
// pocket: the examination knows what stands there.
func TestProudInsert(t *testing.T) {
	file, _ := demo.Slice(demo.Hollows(0.25), demo.DialectNamed("plain"))
	src := strings.NewReader(string(file))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	marks, err := landmark.Find(context.Background(), src, ix, nil)
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		above float64 // mm over what is printed by then
		want  bool
	}{"through it": {0.3, true}, "over it": {6, false}} {
		t.Run(name, func(t *testing.T) {
			z := ix.Layers[26].Z.Millimetres() + c.above
			way, _ := json.Marshal([]plan.Step{{Do: "lines", Lines: []string{
				fmt.Sprintf("G1 Z%.2f F600", z), "G1 X120 Y116 F6000", "G1 X136 Y116", "G1 Z40 F600"}},
				{Do: "return"}, {Do: "restore"}})
			p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: 26,
				Kind: plan.Insert, At: [][2]float64{{128, 116}}, Insert: &plan.InsertPart{Shape: "disc",
					Across: 5, Height: 3.8, Steel: true}},
				{ID: "b", BeforeLayer: 28, Kind: plan.Own, Routine: way}}}
			if err := p.Check(); err != nil {
				t.Fatal(err)
			}
			r, err := Plan(context.Background(), src, ix, p, marks.Pockets, Asked{})
			if err != nil {
				t.Fatal(err)
			}
			later, err := Pickup(context.Background(), src, ix, p, marks.Pockets, pickup.Choice{
				Start: pickup.Next, Layer: 26}, Asked{})
			if err != nil {
				t.Fatal(err)
			}
			for what, r := range map[string]*Release{"plan": r, "pick-up behind it": later} {
				hit := false
				for _, f := range r.Findings() {
					hit = hit || f.Code == "insert-proud" && f.Level == finding.Stop && f.Ear == "b"
				}
				if hit != c.want {
					t.Errorf("%s: %v: %+v", what, hit, r.Findings())
				}
			}
		})
	}
}
