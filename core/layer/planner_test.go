package layer

import (
	"math"
	"math/rand/v2"
	"testing"

	"dogear/core/gcode"
)

// TestWayEqualsMoves adds the same way move by move and as a run.
func TestWayEqualsMoves(t *testing.T) {
	a, b := planner{limits: limits{1000, 1500, 8}}, planner{limits: limits{1000, 1500, 8}}
	r := rand.New(rand.NewPCG(7, 8))
	var x, y gcode.Nano
	for range 40 {
		var ends [][2]gcode.Nano
		speed := 10 + r.Float64()*100
		px, py := x, y
		for range r.IntN(700) {
			px, py = px+gcode.Nano(r.IntN(3e6)+10), py+gcode.Nano(r.IntN(6e6)-3e6)
			ends = append(ends, [2]gcode.Nano{px, py})
		}
		b.way(x, y, ends, speed)
		for _, e := range ends {
			dx, dy := (e[0] - x).Millimetres(), (e[1] - y).Millimetres()
			l := math.Hypot(dx, dy)
			a.move(l, dx/l, dy/l, 0, speed, a.print)
			x, y = e[0], e[1]
		}
		for _, p := range []*planner{&a, &b} {
			p.move(5, 0, 0, 1, 10, p.travel)
			p.open()
			p.move(5, 1, 0, 0, 150, p.travel)
			p.fold()
		}
		if r.IntN(4) == 0 {
			a.wait(2)
			b.wait(2)
		}
	}
	a.finish()
	b.finish()
	if math.Abs(a.clock-b.clock) > 1e-6 || a.clock < 100 {
		t.Errorf("%v s move by move, %v s as runs", a.clock, b.clock)
	}
	as, bs := a.begins.list(), b.begins.list()
	for i := range as {
		if math.Abs(as[i]-bs[i]) > 1e-6 || i > 0 && as[i] < as[i-1] {
			t.Errorf("fold %d at %v and %v s", i, as[i], bs[i])
		}
	}
}
