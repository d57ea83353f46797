package demo_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"dogear/core/gate"
	"dogear/core/plan"
)

// TestSeveralAtOneFold puts two to four ears of random kinds, routines and stop words on the
// same folds of every part in every dialect: what is laid stays equal, the gate lets it
// through, there is one way back, and each ear comes back by its id.
func TestSeveralAtOneFold(t *testing.T) {
	names := routines()
	eachSliced(t, func(t *testing.T, s *sliced) {
		file, ix := s.file, s.ix
		src := bytes.NewReader(file)
		rng := rand.New(rand.NewPCG(uint64(len(file)), 19))
		p := &plan.Plan{Format: plan.Format, First: "red", Filaments: map[string]plan.Filament{
			"red":   {Name: "Signal red", Unload: 60, Nozzle: [2]float64{215, 205}},
			"white": {Name: "Gull white", Load: 70, Purge: 40, Nozzle: [2]float64{230, 220}}}}
		next := map[string]string{"red": "white", "white": "red"}
		last := "red"
		for n := 1 + rng.IntN(3); n <= len(ix.Layers); n += 2 + rng.IntN(3) {
			kinds := []string{plan.Insert, plan.Insert, plan.Own, plan.Nozzle, plan.Colour}
			for len(kinds) > 4 || len(kinds) > 2 && rng.IntN(2) == 0 {
				k := rng.IntN(len(kinds))
				kinds = slices.Delete(kinds, k, k+1)
			}
			for _, kind := range kinds {
				e := plan.Ear{ID: fmt.Sprintf("e%d", len(p.Ears)), BeforeLayer: n, Kind: kind}
				switch kind {
				case plan.Colour:
					last = next[last]
					e.Filament = last
				case plan.Insert:
					e.Note = "a nut"
				case plan.Own:
					e.Lines = []string{"M117 low water"}
				}
				if kind != plan.Own && rng.IntN(2) == 0 {
					e.Routine, _ = json.Marshal(names[rng.IntN(len(names))])
				}
				if rng.IntN(3) == 0 {
					e.Stop = []string{"M25", "M600", "G4 S90"}[rng.IntN(3)]
				}
				if rng.IntN(5) == 0 {
					e.BondPass = &plan.BondPass{Flow: 0.3}
				}
				p.Ears = append(p.Ears, e)
			}
		}
		res, _ := holds(t, file, ix, p)
		for i := range res.Blocks {
			b := &res.Blocks[i]
			ends := i+1 == len(res.Blocks) || res.Blocks[i+1].Fold.Line != b.Fold.Line
			if got := slices.ContainsFunc(b.Steps, func(s plan.Step) bool {
				return s.Do == "return"
			}); got != ends {
				t.Errorf("ear %s comes back: %v", b.Ear.ID, got)
			}
		}
		r, err := gate.Plan(context.Background(), src, ix, p, nil, gate.Asked{})
		if err != nil {
			t.Fatal(err)
		}
		if f := r.Stopped(); f != nil {
			t.Errorf("%s on line %d: %s", f.Code, f.Line, f.Message)
		}
		if !r.Report().Same {
			t.Error("not the same plastic")
		}
	})
}
