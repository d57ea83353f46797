package raster

import (
	"math"
	"math/rand/v2"
	"testing"
)

var frame = NewFrame([4]float64{0, 0, 40, 30}, 1)

// TestLine compares with the definition, cell by cell.
func TestLine(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 200 {
		x0, y0, x1, y1, w := r.Float64()*44-2, r.Float64()*34-2, r.Float64()*44-2, r.Float64()*34-2,
			0.3+r.Float64()*2
		if r.IntN(5) == 0 {
			y1 = y0
		}
		if r.IntN(5) == 0 {
			x1 = x0
		}
		g := NewGrid(frame)
		g.Line(x0, y0, x1, y1, w)
		for y := range g.H {
			for x := range g.W {
				px, py := g.X0+(float64(x)+0.5)*g.Cell, g.Y0+(float64(y)+0.5)*g.Cell
				d := distance(px, py, x0, y0, x1, y1)
				if math.Abs(d-w/2) > 1e-9 && (d < w/2) != g.Has(x, y) {
					t.Fatalf("%v,%v to %v,%v wide %v: cell %v,%v at %v is %v", x0, y0, x1, y1, w, px, py, d,
						g.Has(x, y))
				}
			}
		}
	}
}

func distance(px, py, x0, y0, x1, y1 float64) float64 {
	dx, dy := x1-x0, y1-y0
	t := 0.0
	if q := dx*dx + dy*dy; q > 0 {
		t = max(0, min(1, ((px-x0)*dx+(py-y0)*dy)/q))
	}
	return math.Hypot(px-x0-t*dx, py-y0-t*dy)
}

func box(x0, y0, x1, y1 int) *Grid {
	g := NewGrid(frame)
	for y := y0; y <= y1; y++ {
		g.span(y, x0, x1)
	}
	return g
}

func TestSets(t *testing.T) {
	a := box(10, 10, 99, 49)
	if a.Count() != 90*40 || math.Abs(a.Area()-90*40*a.Cell*a.Cell) > 1e-9 {
		t.Error(a.Count(), a.Area())
	}
	b := a.Clone()
	b.AndNot(box(20, 20, 89, 39))
	if b.Count() != 90*40-70*20 {
		t.Error(b.Count())
	}
	n := b.Clone()
	n.Not()
	p := n.Pieces()
	if n.Count()+b.Count() != n.W*n.H || len(p) != 2 {
		t.Fatal(n.Count(), len(p))
	}
	inner := p[1]
	if p[0].Edge == p[1].Edge || inner.Edge || inner.Cells != 70*20 || inner.X0 != 20 ||
		inner.Y1 != 39 {
		t.Errorf("%+v", inner)
	}
	d := box(63, 5, 64, 5) // across the seam between two words
	d.Dilate(2)
	if got := d.Count(); got != 2+4+6+4+2 {
		t.Error(got)
	}
	full := NewGrid(frame)
	full.Not()
	full.Dilate(1)
	if full.Count() != full.W*full.H {
		t.Error("growing left the grid")
	}
	if r := box(5, 7, 9, 8).Runs(); len(r) != 6 || r[0] != float32(frame.Y0+7.5*frame.Cell) {
		t.Error(r)
	}
}

func TestPiecesOfAComb(t *testing.T) {
	g := box(0, 0, 99, 0)
	for x := 0; x < 100; x += 2 {
		for y := 1; y < 20; y++ {
			g.span(y, x, x)
		}
	}
	if p := g.Pieces(); len(p) != 1 || p[0].Cells != 100+50*19 {
		t.Errorf("%d pieces", len(p))
	}
}
