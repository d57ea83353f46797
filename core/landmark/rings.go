package landmark

import (
	"math"
	"sort"

	"dogear/core/layer"
	"dogear/core/raster"
)

// ring is a closed path, which may be the wall of an opening.
type ring struct {
	box  [4]float64
	pts  []point // of its middle line
	wide float64 // of the line, mm
}

// ringsOf returns the closed paths of layer n, the one that begins furthest left first.
func ringsOf(ix *layer.Index, n int, moves []layer.Move, paths []layer.Path) []ring {
	var out []ring
	l := &ix.Layers[n-1]
	for _, p := range paths {
		if !p.Closed || p.Class == layer.Travel || p.Class == layer.Skirt || p.Class == layer.Support ||
			p.Length <= 0 {
			continue
		}
		r := ring{}
		first := &moves[p.From]
		at := func(x, y float64) {
			if k := len(r.pts); k == 0 || math.Hypot(r.pts[k-1].x-x, r.pts[k-1].y-y) > 1e-3 {
				r.pts = append(r.pts, point{x, y})
			}
		}
		at(first.From[0].Millimetres(), first.From[1].Millimetres())
		sum := 0.0
		for i := p.From; i < p.To; i++ {
			m := &moves[i]
			if m.Arc != nil {
				k := m.Arc.Pieces(0.005)
				for j := 1; j < k; j++ {
					x, y := m.Arc.At(float64(j) / float64(k))
					at(x, y)
				}
			}
			at(m.To[0].Millimetres(), m.To[1].Millimetres())
			sum += m.Length() * m.Width(l.Height, l.Diameter)
		}
		// The end comes near the beginning, or on it.
		for k := len(r.pts) - 1; k > 2 &&
			math.Hypot(r.pts[k].x-r.pts[0].x, r.pts[k].y-r.pts[0].y) < 0.15; k-- {
			r.pts = r.pts[:k]
		}
		if len(r.pts) < 3 {
			continue
		}
		r.wide = sum / p.Length
		r.box = [4]float64{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
		for _, q := range r.pts {
			r.box = join(r.box, [4]float64{q.x, q.y, q.x, q.y})
		}
		out = append(out, r)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].box[0] < out[j].box[0] })
	return out
}

// ringSlack is how far a wall's edge may lie from the cells that it leaves empty, mm: a
// cell or two, and what a line is drawn wider than it is.
const ringSlack = 0.55

// wallOf returns the wall of an opening: of the closed paths round it the one whose inner
// edge comes nearest to it; nil when there is none.
func wallOf(rings []ring, f raster.Frame, p *raster.Piece) *ring {
	box := [4]float64{f.X0 + float64(p.X0)*f.Cell, f.Y0 + float64(p.Y0)*f.Cell,
		f.X0 + float64(p.X1+1)*f.Cell, f.Y0 + float64(p.Y1+1)*f.Cell}
	from := sort.Search(len(rings), func(i int) bool { return rings[i].box[0] >= box[0]-ringSlack-2 })
	var best *ring
	off := math.Inf(1)
	for i := from; i < len(rings) && rings[i].box[0] <= box[0]+ringSlack; i++ {
		r := &rings[i]
		sum, worst := 0.0, 0.0
		for k := range 4 {
			edge := r.box[k] + r.wide/2
			if k > 1 {
				edge = r.box[k] - r.wide/2
			}
			d := math.Abs(edge - box[k])
			sum, worst = sum+d, max(worst, d)
		}
		if worst <= ringSlack && sum < off {
			best, off = r, sum
		}
	}
	return best
}

// edge is the edge of the opening inside a wall: its middle line moved inward by half its
// width, each corner along the line that halves it.
func (r *ring) edge() []point {
	n, area := len(r.pts), 0.0
	for i, a := range r.pts {
		b := r.pts[(i+1)%n]
		area += a.x*b.y - b.x*a.y
	}
	side := math.Copysign(1, area) // to the left of the way it goes, or to the right
	normal := func(a, b point) point {
		d := math.Hypot(b.x-a.x, b.y-a.y)
		return point{-(b.y - a.y) / d * side, (b.x - a.x) / d * side}
	}
	out := make([]point, n)
	for i, p := range r.pts {
		u, v := normal(r.pts[(i+n-1)%n], p), normal(p, r.pts[(i+1)%n])
		k := 1 + u.x*v.x + u.y*v.y
		if k < 0.3 { // a corner so sharp that it comes from a seam
			u, k = v, 2
		}
		out[i] = point{p.x + (u.x+v.x)/k*r.wide/2, p.y + (u.y+v.y)/k*r.wide/2}
	}
	return out
}

// depth returns how far a place lies inside a polygon, 0 outside of it.
func depth(poly []point, x, y float64) float64 {
	in, d := false, math.Inf(1)
	for i, a := range poly {
		b := poly[(i+1)%len(poly)]
		if (a.y > y) != (b.y > y) && x < a.x+(y-a.y)/(b.y-a.y)*(b.x-a.x) {
			in = !in
		}
		dx, dy := b.x-a.x, b.y-a.y
		t := 0.0
		if l := dx*dx + dy*dy; l > 0 {
			t = max(0, min(1, ((x-a.x)*dx+(y-a.y)*dy)/l))
		}
		d = min(d, math.Hypot(x-a.x-t*dx, y-a.y-t*dy))
	}
	if !in {
		return 0
	}
	return d
}

// measureEdge measures an opening by its edge.
func measureEdge(edge []point) *shape {
	area, cx, cy := 0.0, 0.0, 0.0
	for i, a := range edge {
		b := edge[(i+1)%len(edge)]
		k := a.x*b.y - b.x*a.y
		area, cx, cy = area+k, cx+(a.x+b.x)*k, cy+(a.y+b.y)*k
	}
	cx, cy = cx/(3*area), cy/(3*area)
	s := &shape{cx: cx, cy: cy}
	s.call(convex(append([]point(nil), edge...)), math.Abs(area/2))
	s.inscribed = 2 * deepest(cx, cy, func(x, y float64) float64 { return depth(edge, x, y) })
	return s
}
