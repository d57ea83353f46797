package apply

import (
	"math"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Fitted returns the printer to write for. What nobody has said of it is taken from
// the files: the bed is the one that a comment names, else what their moves reach;
// the park place is a corner of that, beside the part.
func Fitted(pr *plan.Printer, all ...*layer.Index) *plan.Printer {
	if !pr.Assumed || len(all) == 0 {
		return pr
	}
	q := *pr
	part, reach := all[0].Box, all[0].ReachOf()
	named, ok := all[0].NamedBed()
	for _, ix := range all[1:] {
		r := ix.ReachOf()
		reach = [4]float64{min(reach[0], r[0]), min(reach[1], r[1]), max(reach[2], r[2]),
			max(reach[3], r[3])}
		b := ix.Box
		part[0], part[1], part[2], part[3] = min(part[0], b[0]), min(part[1], b[1]), max(part[2],
			b[2]), max(part[3], b[3])
	}
	if q.Bed = reach; ok {
		q.Bed = named
	}
	box := [4]float64{part[0].Millimetres(), part[1].Millimetres(), part[2].Millimetres(),
		part[3].Millimetres()}
	over := func(x, y float64) bool {
		const m = 2
		return x > box[0]-m && x < box[2]+m && y > box[1]-m && y < box[3]+m
	}
	inside := func(x, y float64) bool {
		return x >= q.Bed[0] && x <= q.Bed[2] && y >= q.Bed[1] && y <= q.Bed[3]
	}
	if x, y := q.Park[0], q.Park[1]; inside(x, y) && !over(x, y) {
		return &q
	}
	for _, in := range []float64{5, 0.5} {
		for _, p := range routine.Corners([4]float64{q.Bed[0] + in - 5, q.Bed[1] + in - 5,
			q.Bed[2] - in + 5,
			q.Bed[3] - in + 5}) {
			if x, y := p[0].Millimetres(), p[1].Millimetres(); inside(x, y) && !over(x, y) {
				q.Park = [2]float64{x, y}
				return &q
			}
		}
	}
	// The file goes nowhere but over the part: a little beside it, then.
	const beside = 12
	cx := math.Round((box[0] + box[2]) / 2)
	cy := math.Round((box[1] + box[3]) / 2)
	for _, p := range [4][2]float64{{cx, box[3] + beside}, {box[2] + beside, cy},
		{box[0] - beside, cy}, {cx, box[1] - beside}} {
		if reach[0] > -0.5 && (p[0] < 0 || p[1] < 0) || over(p[0], p[1]) {
			continue
		}
		q.Park = [2]float64{math.Round(p[0]*10) / 10, math.Round(p[1]*10) / 10}
		break
	}
	q.Bed = [4]float64{min(q.Bed[0], q.Park[0]), min(q.Bed[1], q.Park[1]), max(q.Bed[2], q.Park[0]),
		max(q.Bed[3], q.Park[1])}
	return &q
}
