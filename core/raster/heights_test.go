package raster

import (
	"fmt"
	"math"
	"testing"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// block is a map of a cube of 20 mm, drawn line by line.
func block() *Heights {
	mm := func(v float64) gcode.Nano { return gcode.FromMM(v) }
	h := NewHeights([4]gcode.Nano{mm(100), mm(100), mm(120), mm(120)})
	for y := 100.0; y <= 120; y += 0.5 {
		h.Add(&layer.Move{From: [3]gcode.Nano{mm(100), mm(y), mm(20)},
			To: [3]gcode.Nano{mm(120), mm(y), mm(20)}})
	}
	return h
}

func TestHeights(t *testing.T) {
	h := block()
	for _, c := range []struct {
		x, y, z float64
		hit     bool
	}{
		{110, 110, 20, false}, {110, 110, 19.9, true}, {110, 110, 25, false}, // on it, in it, above it
		{97, 110, 10, true}, {90, 110, 10, true}, {78, 110, 10, false}, // cone and block beside it
		{90, 110, 13.9, true}, {90, 110, 14.1, false}, // the block passes above
		{96.5, 110, 18.8, false}, {98, 110, 17, true}, // the cone at its edge
		{50, 50, 0, false},
	} {
		t.Run(fmt.Sprintf("X%g Y%g Z%g", c.x, c.y, c.z), func(t *testing.T) {
			if _, hit := h.Hits(c.x, c.y, c.z); hit != c.hit {
				t.Errorf("at X%g Y%g Z%g: %v", c.x, c.y, c.z, hit)
			}
		})
	}
	if w, hit := h.Hits(110, 110, 5); !hit || math.Abs(w.Missing-14.95) > 0.01 {
		t.Errorf("%+v", w)
	}
	if h.Top != 20 || h.Under(110, 110) != 20 || h.Under(50, 50) != 0 || h.Inside(110, 110) != 20 ||
		h.Inside(99.5, 110) != 0 {
		t.Errorf("top %v, under %v %v, inside %v %v", h.Top, h.Under(110, 110), h.Under(50, 50),
			h.Inside(110, 110), h.Inside(99.5, 110))
	}
	if z, x, y := h.Highest(90, 110, 15, 15); z != 20 || x < 99 || y < 95 {
		t.Error(z, x, y)
	}
	if z, _, _ := h.Highest(50, 50, 10, 10); z != 0 {
		t.Error(z)
	}
	// A way that no printer can go takes no time to draw.
	h.Add(&layer.Move{To: [3]gcode.Nano{1 << 60, 1 << 60, gcode.MM}})
}
