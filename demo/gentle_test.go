package demo_test

import (
	"bytes"
	"context"
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/release"
	"dogear/demo"
)

// TestGentlePickups makes the first layers of pick-ups and loose tops gentler, in every dialect:
// what is examined is let through, and behind the gentle layers all is as the file has it.
func TestGentlePickups(t *testing.T) {
	for part, solid := range small() {
		for _, d := range demo.Dialects() {
			if !sampled(part, d) {
				continue
			}
			file, _ := demo.Slice(solid, d)
			src, ix := bytes.NewReader(file), index(t, file)
			random := rand.New(rand.NewPCG(4, uint64(len(file))))
			n := 1 + random.IntN(len(ix.Layers)-2)
			for _, c := range []pickup.Choice{
				{Start: pickup.Next, Layer: n, Ease: pickup.Ease{Layers: 1 + random.IntN(3)}},
				{Start: pickup.Next, Layer: n, LooseTop: true, Gentle: true},
				{Start: pickup.Next, Layer: n, LooseTop: true, Gentle: true,
					Ease: pickup.Ease{Layers: 2, Speed: 60}},
			} {
				r, err := release.Pickup(context.Background(), src, ix, &plan.Plan{Format: plan.Format}, nil, c,
					release.Asked{})
				if errors.Is(err, pickup.ErrBelowBed) {
					continue
				}
				if err != nil {
					t.Fatalf("%s, %s: %v", part, d.Name, err)
				}
				for _, f := range r.Findings {
					if part == "wiped" && c.LooseTop && f.Code == "drag" {
						continue // a tower beside it would be laid below the bed: refused
					}
					if f.Level == layer.Grave {
						t.Errorf("%s, %s, layer %d, %+v: %s: %s", part, d.Name, n, c, f.Code, f.Message)
					}
				}
				var out bytes.Buffer
				if _, err := edit.Write(&out, src, r.Edits); err != nil {
					t.Fatal(err)
				}
				eased := "M220 S"
				if c.LooseTop && ix.Layers[0].Fan < ix.Layers[n].Fan {
					eased = "fan as the file has it"
				}
				if !c.LooseTop && n+c.Ease.Layers < len(ix.Layers) &&
					!strings.Contains(out.String(), eased) {
					t.Errorf("%s, %s, layer %d: nothing is gentler", part, d.Name, n)
				}
			}
		}
	}
}
