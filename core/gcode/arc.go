package gcode

import "math"

// Arc is a movement on a circle in the XY plane, with Z running along evenly
// when the end is at another height. Lengths are mm, angles radians.
type Arc struct {
	CX, CY float64 // centre, machine coordinates
	R0, R1 float64 // radius at start and end; files round, so they differ a little
	A0     float64 // angle of the start
	Turn   float64 // swept angle, negative clockwise; 0 when this is no arc
}

// Length returns the way along the arc in the plane.
func (a *Arc) Length() float64 { return math.Abs(a.Turn) * (a.R0 + a.R1) / 2 }

// At returns the point at t in 0…1 along the arc.
func (a *Arc) At(t float64) (x, y float64) {
	r := a.R0 + (a.R1-a.R0)*t
	sin, cos := math.Sincos(a.A0 + a.Turn*t)
	return a.CX + r*cos, a.CY + r*sin
}

// Pieces returns into how many chords the arc must be cut so that none is
// further than tol from it.
func (a *Arc) Pieces(tol float64) int {
	r := max(a.R0, a.R1)
	if r <= tol {
		return 2
	}
	return max(1, int(math.Ceil(math.Abs(a.Turn)/(2*math.Acos(1-tol/r))-1e-9)))
}

// Bounds returns the box around the arc: min x, min y, max x, max y.
func (a *Arc) Bounds() [4]float64 {
	x, y := a.At(0)
	b := [4]float64{x, y, x, y}
	add := func(t float64) {
		x, y := a.At(t)
		b = [4]float64{min(b[0], x), min(b[1], y), max(b[2], x), max(b[3], y)}
	}
	add(1)
	// The circle's extremes that lie on the way.
	lo, hi := min(a.A0, a.A0+a.Turn), max(a.A0, a.A0+a.Turn)
	for k := math.Ceil(lo / (math.Pi / 2)); k*math.Pi/2 <= hi; k++ {
		add((k*math.Pi/2 - a.A0) / a.Turn)
	}
	return b
}

// arc carries out G2 and G3 by RS274/NGC 3.5.3: centre by I and J relative to
// the start, or by radius R (the long way round when R is negative). An arc
// that cannot be is a straight move, as firmware does it.
func (m *Machine) arc(c *Command, a *Act) {
	start := m.Pos
	x0, y0 := start[0].Millimetres(), start[1].Millimetres()
	i, j := m.length(c.Value('I')).Millimetres(), m.length(c.Value('J')).Millimetres()
	r := m.length(c.Value('R')).Millimetres()
	clockwise := c.Code == 2

	// The end point and the filament are read as for a straight move; only the
	// way between is new.
	var end Machine
	end.State = m.State
	end.linear(c, &Act{})
	x1, y1 := end.Pos[0].Millimetres(), end.Pos[1].Millimetres()
	dx, dy := x1-x0, y1-y0
	q := math.Hypot(dx, dy)
	var arc Arc
	ok := false
	switch {
	case c.Has('R'):
		if q > 1e-6 && q <= 2*math.Abs(r)+1e-3 {
			h := math.Sqrt(max(0, r*r-q*q/4))
			if clockwise == (r > 0) {
				h = -h
			}
			arc.CX, arc.CY = (x0+x1)/2-dy/q*h, (y0+y1)/2+dx/q*h
			ok = true
		}
	case i != 0 || j != 0:
		arc.CX, arc.CY = x0+i, y0+j
		ok = true
	}
	if ok {
		arc.R0, arc.R1 = math.Hypot(x0-arc.CX, y0-arc.CY), math.Hypot(x1-arc.CX, y1-arc.CY)
		arc.A0 = math.Atan2(y0-arc.CY, x0-arc.CX)
		a1 := math.Atan2(y1-arc.CY, x1-arc.CX)
		turn := a1 - arc.A0
		if clockwise {
			turn = -turn
		}
		turn = math.Mod(turn+4*math.Pi, 2*math.Pi)
		if q < 1e-6 {
			turn = 2 * math.Pi
		}
		if clockwise {
			turn = -turn
		}
		arc.Turn = turn
	}
	a.Arc = arc
	m.linear(c, a)
}
