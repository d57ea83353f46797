package raster

import (
	"math/bits"
)

// Patch is a part of a grid, as a grid of its own: what is small is worked on where it is.
// Its columns begin at a multiple of 64 of the whole, so that rows are copied by words.
type Patch struct {
	*Grid
	x, y int // of the whole, in cells
}

// newPatch is an empty patch of a frame that covers some cells and a margin.
func newPatch(f Frame, x0, y0, x1, y1, margin int) *Patch {
	x0, y0 = max(x0-margin, 0)&^63, max(y0-margin, 0)
	x1, y1 = min(x1+margin, f.W-1), min(y1+margin, f.H-1)
	part := f
	part.X0, part.Y0 = f.X0+float64(x0)*f.Cell, f.Y0+float64(y0)*f.Cell
	part.W, part.H = x1-x0+1, y1-y0+1
	return &Patch{NewGrid(part), x0, y0}
}

// Patch returns a piece of a frame with a margin round it, cells.
func (p *Piece) Patch(f Frame, margin int) *Patch {
	t := newPatch(f, p.X0, p.Y0, p.X1, p.Y1, margin)
	for _, r := range p.runs {
		t.span(r.y-t.y, r.x0-t.x, r.x1-t.x)
	}
	return t
}

// and keeps what is in a grid of the whole too.
func (t *Patch) and(g *Grid) {
	for y := range t.H {
		from := g.rows[(y+t.y)*g.stride+t.x>>6:]
		row := t.rows[y*t.stride : (y+1)*t.stride]
		for i := range row {
			row[i] &= from[i]
		}
	}
}

// draw adds a patch to a grid of the whole.
func (t *Patch) draw(g *Grid) {
	for y := range t.H {
		to := g.rows[(y+t.y)*g.stride+t.x>>6:]
		for i, v := range t.rows[y*t.stride : (y+1)*t.stride] {
			to[i] |= v
		}
	}
}

// closed returns a piece with what it runs round.
func (p *Piece) closed(f Frame, margin int) *Patch {
	t := p.Patch(f, margin)
	gaps := t.Clone()
	gaps.Not()
	for _, q := range gaps.Pieces() {
		if !q.Edge {
			q.Draw(t.Grid)
		}
	}
	return t
}

// Draw adds a piece to a grid.
func (p *Piece) Draw(g *Grid) {
	for _, r := range p.runs {
		g.span(r.y, r.x0, r.x1)
	}
}

// On returns how many cells of a piece are in a grid.
func (p *Piece) On(g *Grid) int {
	n := 0
	for _, r := range p.runs {
		row := g.rows[r.y*g.stride : (r.y+1)*g.stride]
		a, b := r.x0>>6, r.x1>>6
		lo, hi := ^uint64(0)<<(r.x0&63), ^uint64(0)>>(63-r.x1&63)
		if a == b {
			n += bits.OnesCount64(row[a] & lo & hi)
			continue
		}
		n += bits.OnesCount64(row[a]&lo) + bits.OnesCount64(row[b]&hi)
		for i := a + 1; i < b; i++ {
			n += bits.OnesCount64(row[i])
		}
	}
	return n
}

// Beside returns how much of the border of a piece lies on a grid, 0 … 1.
func (p *Piece) Beside(g *Grid) float64 {
	t := p.Patch(g.Frame, 1)
	ring := Patch{t.Clone(), t.x, t.y}
	ring.Dilate(1)
	ring.AndNot(t.Grid)
	all := ring.Count()
	ring.and(g)
	return float64(ring.Count()) / float64(max(all, 1))
}

// Inside reports whether all within k cells of a piece is in a grid of the frame that the
// piece was found in.
func (p *Piece) Inside(g *Grid, k int) bool {
	t := p.Patch(g.Frame, k)
	t.Dilate(k)
	n := t.Count()
	t.and(g)
	return t.Count() == n
}

// Common returns how many cells two pieces share.
func (p *Piece) Common(q *Piece) int {
	if p.X1 < q.X0 || q.X1 < p.X0 || p.Y1 < q.Y0 || q.Y1 < p.Y0 {
		return 0
	}
	n := 0
	for i, j := 0, 0; i < len(p.runs) && j < len(q.runs); {
		a, b := &p.runs[i], &q.runs[j]
		switch {
		case a.y < b.y || a.y == b.y && a.x1 < b.x0:
			i++
			continue
		case b.y < a.y || b.x1 < a.x0:
			j++
			continue
		}
		n += min(a.x1, b.x1) - max(a.x0, b.x0) + 1
		if a.x1 < b.x1 {
			i++
		} else {
			j++
		}
	}
	return n
}
