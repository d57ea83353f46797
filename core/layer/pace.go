package layer

import (
	"math"

	"dogear/core/gcode"
)

// pace works out the speed in force.
func (r *reader) pace() {
	if r.m.Feed != r.feed || r.m.Aux != r.aux {
		r.feed, r.aux = r.m.Feed, r.m.Aux
		r.speed = float64(r.m.Feed) / 60e6 * r.m.Speed()
	}
	if r.speed <= 0 {
		r.speed = 25 // nothing said yet: what firmware starts with
	}
}

// time hands the present move to the planner.
func (r *reader) time() {
	a := &r.a
	r.pace()
	acc := r.p.travel
	if a.Kind == gcode.Lay {
		acc = r.p.print
	}
	dx, dy := float64(r.m.Pos[0]-a.From[0])*1e-6, float64(r.m.Pos[1]-a.From[1])*1e-6
	dz := 0.0
	if r.m.Pos[2] != a.From[2] {
		dz = float64(r.m.Pos[2]-a.From[2]) * 1e-6
	}
	if a.Arc.Turn != 0 {
		n := a.Arc.Length()
		s0, c0 := math.Sincos(a.Arc.A0)
		s1, c1 := math.Sincos(a.Arc.A0 + a.Arc.Turn)
		if a.Arc.Turn < 0 {
			s0, c0, s1, c1 = -s0, -c0, -s1, -c1
		}
		r.p.move(math.Hypot(n, dz), -s0, c0, 0, r.speed, acc)
		r.p.turned(-s1, c1)
		return
	}
	q := dx*dx + dy*dy + dz*dz
	if q > 0 {
		n := math.Sqrt(q)
		f := 1 / n
		r.p.move(n, dx*f, dy*f, dz*f, r.speed, acc)
		return
	}
	if a.DE != 0 {
		// The filament alone moves: from rest to rest.
		r.p.move(math.Abs(float64(a.DE))*1e-6, 0, 0, 0, r.speed, 3*acc)
	}
}
