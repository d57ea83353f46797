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
)

// TestGentlePickups makes the first layers of pick-ups and loose tops gentler, in every dialect:
// what is examined is let through, and behind the gentle layers all is as the file has it.
func TestGentlePickups(t *testing.T) {
	less := 0
	eachFile(t, 4, func(part, dialect string, file []byte, ix *layer.Index, random *rand.Rand) {
		src := bytes.NewReader(file)
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
				t.Fatalf("%s, %s: %v", part, dialect, err)
			}
			for _, f := range r.Findings {
				if part == "wiped" && c.LooseTop && f.Code == "drag" {
					continue // a tower beside it would be laid below the bed: refused
				}
				if f.Level == layer.Grave {
					t.Errorf("%s, %s, layer %d, %+v: %s: %s", part, dialect, n, c, f.Code, f.Message)
				}
			}
			var out bytes.Buffer
			if _, err := edit.Write(&out, src, r.Edits); err != nil {
				t.Fatal(err)
			}
			at, err := ix.Before(src, n+1)
			if err != nil {
				t.Fatal(err)
			}
			eased, cooled := n+max(c.Ease.Layers, 1) < len(ix.Layers), 0
			if eased && c.LooseTop && ix.Layers[0].Fan < at.Fan {
				cooled = 1
			}
			if eased && !c.LooseTop && !strings.Contains(out.String(), "M220 S") ||
				eased && strings.Count(out.String(), "fan as the file has it") != cooled {
				t.Errorf("%s, %s, layer %d, %+v: not as gentle as it says", part, dialect, n, c)
			}
			less += cooled
		}
	})
	if less < 20 {
		t.Error("only", less, "loose tops have less fan")
	}
}
