package demo_test

import (
	"bytes"
	"math"
	"math/rand/v2"
	"testing"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/demo/demotest"
)

// TestTouchInside checks by touch where plastic is, and at its height, when a print has failed
// in the middle of a layer: what the layer would still have laid is not there.
func TestTouchInside(t *testing.T) {
	inside := 0
	eachFile(t, 15, func(part, dialect string, file []byte, ix *layer.Index, random *rand.Rand) {
		src := bytes.NewReader(file)
		for range 4 {
			n := 2 + random.IntN(len(ix.Layers)-2)
			l := &ix.Layers[n-1]
			c := pickup.Choice{Start: pickup.Mid, Line: l.First + 1 + random.Int64N(max(l.Last-l.First, 1))}
			lines, at, s, err := pickup.TouchCheck(src, ix, nil, c)
			if err != nil {
				t.Fatalf("%s, %s, line %d: %v", part, dialect, c.Line, err)
			}
			if !s.Inside {
				continue
			}
			inside++
			laid, err := ix.Decode(src, s.Layer)
			if err != nil {
				t.Fatal(err)
			}
			below, err := ix.Decode(src, s.Layer-1)
			if err != nil {
				t.Fatal(err)
			}
			for _, p := range at {
				high := gcode.Nano(0) // of what lies there
				for _, m := range append(laid, below...) {
					if m.Kind != gcode.Lay || m.Line >= s.Line {
						continue
					}
					x, y := m.From[0].Millimetres(), m.From[1].Millimetres()
					dx, dy := m.To[0].Millimetres()-x, m.To[1].Millimetres()-y
					k := ((p[0]-x)*dx + (p[1]-y)*dy) / max(dx*dx+dy*dy, 1e-12)
					k = min(max(k, 0), 1)
					off := math.Hypot(x+k*dx-p[0], y+k*dy-p[1])
					if m.Arc != nil {
						off = math.Abs(math.Hypot(p[0]-m.Arc.CX, p[1]-m.Arc.CY) - m.Arc.R0)
					}
					if off < 1 { // the tip would touch it too
						high = max(high, m.From[2], m.To[2])
					}
				}
				low := gcode.Nano(1 << 62) // how far the nozzle comes down there
				for _, o := range lines {
					if o.To[0] == gcode.FromMM(p[0]) && o.To[1] == gcode.FromMM(p[1]) {
						low = min(low, o.To[2])
					}
				}
				if gap := low - high; gap < gcode.FromMM(0.05) || gap > gcode.FromMM(0.16) {
					t.Errorf("%s, %s, line %d of layer %d: at %v the nozzle comes down to %v, and %v lies there",
						part, dialect, c.Line, s.Layer, p, low, high)
				}
			}
		}
	})
	if inside < demotest.Least(20) {
		t.Error("only", inside, "inside a layer")
	}
}
