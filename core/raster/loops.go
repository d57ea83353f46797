package raster

import (
	"math"

	"dogear/core/layer"
)

// Loop is a closed line, x and y of its corners in mm; the last corner leads to the first.
type Loop [][2]float64

// Length returns how long the loop is, mm.
func (l Loop) Length() float64 {
	sum := 0.0
	for i, p := range l {
		q := l[(i+1)%len(l)]
		sum += math.Hypot(q[0]-p[0], q[1]-p[1])
	}
	return sum
}

// fineCell is how large the cells are on which loops are found, mm, and maxFine how many there
// may be.
const (
	fineCell = 0.05
	maxFine  = 40_000_000
)

// Round returns closed lines round what layer n lays: each group of them at one of the
// distances from the middle of what is laid, mm, in the order of the distances. Skirts, prime
// lines and supports are left out, and nothing is drawn inside a hole.
func Round(ix *layer.Index, n int, moves []layer.Move, distances []float64) [][]Loop {
	far := 0.0
	for _, d := range distances {
		far = max(far, d)
	}
	b := ix.Layers[n-1].Box
	f := Frame{X0: b[0].Millimetres() - far - 1, Y0: b[1].Millimetres() - far - 1, Cell: fineCell}
	w, h := b[2].Millimetres()+far+1-f.X0, b[3].Millimetres()+far+1-f.Y0
	if k := w / f.Cell * h / f.Cell; k > maxFine {
		f.Cell *= math.Sqrt(k / maxFine)
	}
	f.W, f.H = int(w/f.Cell)+2, int(h/f.Cell)+2
	laid := NewGrid(f)
	strokes := strokesOf(ix, n, moves, layer.Paths(moves))
	for _, p := range strokes.paths {
		for i := p.From; i < p.To; i++ {
			if moves[i].Line > ix.Prime.Last {
				eachPiece(&moves[i], func(x0, y0, x1, y1 float64) { laid.Line(x0, y0, x1, y1, 2*rim) })
			}
		}
	}
	edge := laid.Outlines()
	out := make([][]Loop, len(distances))
	for k, d := range distances {
		g := NewGrid(f)
		for _, l := range edge {
			for i, p := range l {
				q := l[(i+1)%len(l)]
				g.Line(p[0], p[1], q[0], q[1], 2*(d-rim))
			}
		}
		out[k] = g.Outlines()
	}
	return out
}

// rim is how far outside of the middle of what is laid the line lies that distances are drawn
// from, mm: nearer than that none may be asked for.
const rim = 0.2

// Outlines returns the outer border of each connected part of the set. What lies inside of one
// belongs to it.
func (g *Grid) Outlines() []Loop {
	whole := g.Clone()
	holes := g.Clone()
	holes.Not()
	for _, p := range holes.Pieces() {
		if !p.Edge {
			p.Draw(whole)
		}
	}
	var out []Loop
	for _, p := range whole.Pieces() {
		if l := whole.border(p.runs[0].x0, p.runs[0].y); len(l) > 2 {
			out = append(out, l)
		}
	}
	return out
}

// border follows the edge of a part from its lowest, leftmost cell, the set on the left
// hand. It goes through the middles of the cells' sides, so that a slope is no staircase, and
// leaves out what lies on a straight line.
func (g *Grid) border(x0, y0 int) Loop {
	step := [4][2]int{{1, 0}, {0, 1}, {-1, 0}, {0, -1}}
	// The cell to the left in front of a corner of cells, and the one to the right.
	left := [4][2]int{{0, 0}, {-1, 0}, {-1, -1}, {0, -1}}
	right := [4][2]int{{0, -1}, {0, 0}, {-1, 0}, {-1, -1}}
	var pts Loop
	x, y, d := x0, y0, 0
	for {
		if !g.Has(x+left[d][0], y+left[d][1]) {
			d = (d + 1) % 4
		} else if g.Has(x+right[d][0], y+right[d][1]) {
			d = (d + 3) % 4
		}
		pts = append(pts, [2]float64{g.X0 + g.Cell*(float64(x)+float64(step[d][0])/2),
			g.Y0 + g.Cell*(float64(y)+float64(step[d][1])/2)})
		x, y = x+step[d][0], y+step[d][1]
		if x == x0 && y == y0 {
			return plain(pts, 1.2*g.Cell)
		}
	}
}

// plain leaves out the corners of a closed line that lie within a tolerance of it.
func plain(l Loop, tolerance float64) Loop {
	if len(l) < 4 {
		return l
	}
	keep := make([]bool, len(l)+1)
	far, best := 0, -1.0
	for i, p := range l { // the corner farthest from the first one stays too
		if d := math.Hypot(p[0]-l[0][0], p[1]-l[0][1]); d > best {
			far, best = i, d
		}
	}
	ring := append(append(Loop{}, l...), l[0])
	keep[0], keep[far], keep[len(l)] = true, true, true
	spans := [][2]int{{0, far}, {far, len(l)}}
	for len(spans) > 0 {
		a, b := spans[len(spans)-1][0], spans[len(spans)-1][1]
		spans = spans[:len(spans)-1]
		at, most := -1, tolerance
		for i := a + 1; i < b; i++ {
			if d := FromSegment(ring[i], ring[a], ring[b]); d > most {
				at, most = i, d
			}
		}
		if at >= 0 {
			keep[at] = true
			spans = append(spans, [2]int{a, at}, [2]int{at, b})
		}
	}
	var out Loop
	for i, p := range l {
		if keep[i] {
			out = append(out, p)
		}
	}
	return out
}

// FromSegment is how far a place lies from a straight line between two others.
func FromSegment(p, a, b [2]float64) float64 {
	dx, dy := b[0]-a[0], b[1]-a[1]
	t := 0.0
	if l := dx*dx + dy*dy; l > 0 {
		t = max(0, min(1, ((p[0]-a[0])*dx+(p[1]-a[1])*dy)/l))
	}
	return math.Hypot(p[0]-a[0]-t*dx, p[1]-a[1]-t*dy)
}
