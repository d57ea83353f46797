package landmark

import (
	"math"
	"sort"

	"dogear/core/raster"
)

// shape is what an opening looks like from above, mm and degrees.
type shape struct {
	name      string
	cx, cy    float64
	across    float64
	w, h      float64
	turn      float64
	inscribed float64
	rough     float64 // by how much across, w and h may be out; 0: by hardly anything
}

// opening returns the shape as that of an opening in layer n.
func (s *shape) opening(n int) Opening {
	return Opening{Layer: n, Across: hundredth(s.across), Size: [2]float64{hundredth(s.w),
		hundredth(s.h)}, Inscribed: hundredth(s.inscribed)}
}

type point struct{ x, y float64 }

// measure finds an opening's convex hull, the smallest box around it and the
// largest circle inside, and names it by how its area compares with those.
func measure(g *raster.Grid) *shape {
	runs := g.Runs()
	half := g.Cell / 2
	var pts []point
	s := &shape{rough: g.Cell}
	area, n := 0.0, 0.0
	for i := 0; i+2 < len(runs); i += 3 {
		y, x0, x1 := float64(runs[i]), float64(runs[i+1]), float64(runs[i+2])
		pts = append(pts, point{x0, y - half}, point{x0, y + half}, point{x1, y - half},
			point{x1, y + half})
		l := x1 - x0
		area += l * g.Cell
		s.cx += l * (x0 + x1) / 2
		s.cy += l * y
		n += l
	}
	s.cx, s.cy = s.cx/n, s.cy/n
	s.inscribed = 2 * clearance(g, s.cx, s.cy)
	s.call(convex(pts), area)
	return s
}

// call names a shape by its hull and its area, and says how wide it is and how it is
// turned.
func (s *shape) call(hull []point, area float64) {
	s.name = "other"
	best := math.Inf(1)
	for i := range hull {
		a, b := hull[i], hull[(i+1)%len(hull)]
		t := math.Atan2(b.y-a.y, b.x-a.x)
		w, h := extent(hull, t)
		if w*h < best-1e-9 {
			best, s.w, s.h, s.turn = w*h, w, h, t
		}
	}
	s.turn = math.Mod(math.Mod(s.turn*180/math.Pi, 90)+90, 90)
	lo, hi := math.Inf(1), 0.0
	for t := 0.0; t < 180; t += 3 {
		w, _ := extent(hull, t*math.Pi/180)
		lo, hi = min(lo, w), max(hi, w)
	}
	// A circle is as wide in all directions, a regular hexagon 2/√3 = 1.155
	// times as wide over its corners as over its flats, with an area of √3/2
	// times the square of the latter; a rectangle fills the box around it.
	full := area / (s.w * s.h)
	hex := area / (lo * lo * math.Sqrt(3) / 2)
	switch {
	case full > 0.93:
		s.name, s.across = "rect", min(s.w, s.h)
	case hi/lo < 1.085 && area > 0.74*lo*lo:
		s.name, s.across = "round", 2*math.Sqrt(area/math.Pi)
	case hi/lo < 1.22 && hex > 0.94 && hex < 1.06:
		s.name, s.across = "hex", math.Sqrt(2*area/math.Sqrt(3))
		s.turn = hexTurn(hull)
	default:
		s.across = min(s.w, s.h)
	}
	if s.name == "round" {
		s.turn = 0
	}
}

// extent is the size of the hull along and across a direction.
func extent(hull []point, t float64) (w, h float64) {
	sin, cos := math.Sincos(t)
	x0, x1, y0, y1 := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, p := range hull {
		u, v := p.x*cos+p.y*sin, -p.x*sin+p.y*cos
		x0, x1, y0, y1 = min(x0, u), max(x1, u), min(y0, v), max(y1, v)
	}
	return x1 - x0, y1 - y0
}

// hexTurn returns by how many degrees a hexagon is turned from lying with two
// flats along X: the direction in which it is narrowest, less a right angle.
func hexTurn(hull []point) float64 {
	best, at := math.Inf(1), 0.0
	for t := 0.0; t < 60; t += 0.5 {
		sum := 0.0
		for k := range 3 {
			_, h := extent(hull, (t+60*float64(k))*math.Pi/180)
			sum += h
		}
		if sum < best {
			best, at = sum, t
		}
	}
	return at
}

// convex returns the convex hull, counter-clockwise (Andrew's monotone chain).
func convex(p []point) []point {
	sort.Slice(p,
		func(i, j int) bool { return p[i].x < p[j].x || p[i].x == p[j].x && p[i].y < p[j].y })
	cross := func(o, a, b point) float64 { return (a.x-o.x)*(b.y-o.y) - (a.y-o.y)*(b.x-o.x) }
	half := func(p []point) []point {
		var h []point
		for _, q := range p {
			for len(h) > 1 && cross(h[len(h)-2], h[len(h)-1], q) <= 0 {
				h = h[:len(h)-1]
			}
			h = append(h, q)
		}
		return h[:len(h)-1]
	}
	low := half(p)
	for i, j := 0, len(p)-1; i < j; i, j = i+1, j-1 {
		p[i], p[j] = p[j], p[i]
	}
	return append(low, half(p)...)
}

// clearance returns the radius of the largest circle in the set, found by going
// from the middle to wherever there is more room.
func clearance(g *raster.Grid, cx, cy float64) float64 {
	var edge []point
	out := g.Clone()
	out.Dilate(1)
	out.AndNot(g)
	runs := out.Runs()
	for i := 0; i+2 < len(runs); i += 3 {
		for x := float64(runs[i+1]) + g.Cell/2; x < float64(runs[i+2]); x += g.Cell {
			edge = append(edge, point{x, float64(runs[i])})
		}
	}
	room := func(x, y float64) float64 {
		if !g.At(x, y) {
			return 0
		}
		d := math.Inf(1)
		for _, e := range edge {
			d = min(d, math.Hypot(e.x-x, e.y-y))
		}
		return d - g.Cell/2
	}
	return deepest(cx, cy, room)
}

// deepest returns the most room that there is anywhere, going from a place to wherever
// there is more.
func deepest(cx, cy float64, room func(x, y float64) float64) float64 {
	best := room(cx, cy)
	for step := 2.0; step > 0.002; {
		moved := false
		for _, d := range [4]point{{step, 0}, {-step, 0}, {0, step}, {0, -step}} {
			if r := room(cx+d.x, cy+d.y); r > best+1e-9 {
				best, cx, cy, moved = r, cx+d.x, cy+d.y, true
				break
			}
		}
		if !moved {
			step /= 2
		}
	}
	return best
}
