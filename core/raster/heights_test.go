package raster

import (
	"fmt"
	"math"
	"math/rand/v2"
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

// TestHeightsFollow draws moves that follow on each other, straight and round, level and rising,
// and holds the map against the moves themselves: nowhere is it lower than what was laid, and away
// from it there is nothing.
func TestHeightsFollow(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 9))
	mm := gcode.FromMM
	for range 60 {
		h := NewHeights([4]gcode.Nano{mm(50), mm(50), mm(90), mm(90)})
		at := [3]gcode.Nano{mm(52 + 36*rnd.Float64()), mm(52 + 36*rnd.Float64()), mm(0.2)}
		var all []layer.Move
		for range 12 {
			m := layer.Move{From: at, To: [3]gcode.Nano{mm(52 + 36*rnd.Float64()),
				mm(52 + 36*rnd.Float64()), at[2] + mm(0.2*float64(rnd.IntN(2)))}}
			if rnd.IntN(4) == 0 { // a short one, which stays in its cell
				m.To = [3]gcode.Nano{at[0] + mm(0.1), at[1], at[2]}
			}
			if rnd.IntN(4) == 0 {
				cx, cy := (m.From[0]+m.To[0]).Millimetres()/2, (m.From[1]+m.To[1]).Millimetres()/2
				x, y := m.From[0].Millimetres()-cx, m.From[1].Millimetres()-cy
				m.Arc = &gcode.Arc{CX: cx, CY: cy, R0: math.Hypot(x, y), R1: math.Hypot(x, y),
					A0: math.Atan2(y, x), Turn: math.Pi}
			}
			h.Add(&m)
			all = append(all, m)
			at = m.To
		}
		type spot struct{ x, y, z float64 }
		var laid []spot
		for i := range all {
			m := &all[i]
			z := max(m.From[2], m.To[2]).Millimetres()
			for k := range 401 {
				s := float64(k) / 400
				x := m.From[0].Millimetres() + (m.To[0]-m.From[0]).Millimetres()*s
				y := m.From[1].Millimetres() + (m.To[1]-m.From[1]).Millimetres()*s
				if m.Arc != nil {
					x, y = m.Arc.At(s)
				}
				laid = append(laid, spot{x, y, z})
			}
		}
		for i := range all { // both ends of each move are drawn where they are
			m := &all[i]
			for _, p := range [2][3]gcode.Nano{m.From, m.To} {
				if z := h.Under(p[0].Millimetres(), p[1].Millimetres()); z < p[2].Millimetres()-1e-5 {
					t.Fatalf("at the end of a move, X%s Y%s, the map is %.2f mm high, not %s", p[0], p[1], z, p[2])
				}
			}
		}
		// A sample every half a millimetre, each drawn 0.4 mm wider: a place on the path lies at most
		// 0.25 mm from a sample, and no cell further off than that and its own size is touched.
		for _, p := range laid {
			if p.x < 50 || p.y < 50 || p.x > 90 || p.y > 90 {
				continue
			}
			high := max(h.Under(p.x, p.y), h.Under(p.x+0.25, p.y), h.Under(p.x-0.25, p.y),
				h.Under(p.x, p.y+0.25), h.Under(p.x, p.y-0.25))
			if high < p.z-1e-5 {
				t.Fatalf("at X%.2f Y%.2f the map is %.2f mm high, and %.2f mm were laid", p.x, p.y, high, p.z)
			}
		}
		for range 200 {
			x, y := 50+40*rnd.Float64(), 50+40*rnd.Float64()
			near, high := math.Inf(1), 0.0
			for _, p := range laid {
				d := math.Hypot(p.x-x, p.y-y)
				near = min(near, d)
				if d < 2.2 {
					high = max(high, p.z)
				}
			}
			if got := h.Under(x, y); near > 2.2 && got != 0 || got > high+1e-5 {
				t.Fatalf("at X%.2f Y%.2f the map is %.2f mm high, %.2f mm from what was laid", x, y, got,
					near)
			}
		}
		if top := at[2].Millimetres(); math.Abs(h.Top-top) > 1e-5 {
			t.Fatalf("the top is %g, not %g", h.Top, top)
		}
	}
}

// TestHeightsEdges asks at the borders of the map and of each shape of the head, on both sides.
func TestHeightsEdges(t *testing.T) {
	mm := gcode.FromMM
	h := NewHeights([4]gcode.Nano{mm(100), mm(100), mm(120), mm(120)})
	post := [3]gcode.Nano{mm(110.5), mm(110.5), mm(10)}
	h.Add(&layer.Move{From: post, To: post})
	for _, c := range []struct {
		x, y, z float64
		missing float64
	}{
		{110.5, 110.5, 10.01, 0}, {110.5, 110.5, 9.96, 0}, {110.5, 110.5, 9.94, 0.01}, // the tip
		{111.69, 110.5, 9.94, 0.01},                      // as far as half of it reaches
		{113.2, 110.5, 8.4, 0.1}, {113.2, 110.5, 8.6, 0}, // cone: 2 mm out of its edge
		{107.8, 110.5, 8.4, 0.1}, {110.5, 113.2, 8.4, 0.1}, // on all sides
		{120, 110.5, 3.9, 0.1}, {120, 110.5, 4.1, 0}, // block
		{130, 110.5, 3.9, 0.1}, {131.6, 110.5, 3.9, 0}, // as far as it reaches
		{90.6, 110.5, 3.9, 0.1}, {89.4, 110.5, 3.9, 0}, // to the other side
		{110.5, 130, 3.9, 0.1}, {110.5, 131.6, 3.9, 0}, // and along
		{110.5, 90.6, 3.9, 0.1}, {110.5, 89.4, 3.9, 0}, //
		{10, 10, 0, 0}, {1000, 1000, 0, 0}, {-1000, 110, 0, 0}, // off the map
	} {
		t.Run(fmt.Sprintf("X%g Y%g Z%g", c.x, c.y, c.z), func(t *testing.T) {
			hit, ok := h.Hits(c.x, c.y, c.z)
			if ok != (c.missing > 0) || math.Abs(hit.Missing-c.missing) > 1e-5 ||
				ok && (hit.X != 110.5 || hit.Y != 110.5) {
				t.Errorf("%+v %v, want %g", hit, ok, c.missing)
			}
		})
	}
	if z, x, y := h.Highest(115, 110.5, 4.6, 1); z != 10 || x != 110.5 || y != 110.5 {
		t.Error(z, x, y)
	}
	if z, _, _ := h.Highest(106, 110.5, 4.6, 1); z != 10 {
		t.Error("to the other side: ", z)
	}
	if z, _, _ := h.Highest(110.5, 106, 1, 4.6); z != 10 {
		t.Error("along, to the other side: ", z)
	}
	if z, _, _ := h.Highest(115, 110.5, 3, 1); z != 0 {
		t.Error("it reaches further than asked: ", z)
	}
	if z, _, _ := h.Highest(110.5, 115, 1, 4.6); z != 10 {
		t.Error("along: ", z)
	}
	if h.Inside(110.5, 110.5) != 0 { // a post alone lies on the edge of itself
		t.Error(h.Inside(110.5, 110.5))
	}
	for _, at := range [][2]float64{{-5, 110}, {110, -5}, {5000, 110}, {110, 5000}} {
		if v := h.Under(at[0], at[1]); v != 0 {
			t.Error(at, v)
		}
	}
	// A bed that no printer has takes no more room than the largest.
	NewHeights([4]gcode.Nano{0, 0, mm(1e6), mm(1e6)})
}
