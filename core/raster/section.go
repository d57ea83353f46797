package raster

import (
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Section is one layer on a grid.
type Section struct {
	Laid   *Grid // cells covered by what is laid
	Solid  *Grid // what is inside the outline, the gaps of sparse fill included
	Open   *Grid // enclosed empty places with a wall around them: holes, pockets
	Pieces int   // islands of Solid

	islands []Piece
}

// smallest opening and island that count, mm².
const smallest = 1.2

// An opening is at least so wide somewhere, mm, and so much of its border must
// be wall: gaps of sparse fill end at fill lines.
const (
	narrowest = 1.4
	wallShare = 0.88
)

// NewSection draws the moves of layer n. Skirts, prime lines and supports are
// left out.
func NewSection(f Frame, ix *layer.Index, n int, moves []layer.Move) *Section {
	s := &Section{Laid: NewGrid(f)}
	walls := NewGrid(f)
	h := ix.Layers[n-1].Height
	var part [4]gcode.Nano
	if n <= 2 {
		part = PartBox(ix)
	}
	for _, p := range layer.Paths(moves) {
		if p.Class == layer.Way || p.Class == layer.Skirt || p.Class == layer.Support || n <= 2 &&
			p.Closed && Surrounds(moves[p.From:p.To], part) {
			continue
		}
		wall := p.Class == layer.Outer || p.Class == layer.Inner || p.Closed
		for i := p.From; i < p.To; i++ {
			m := &moves[i]
			if m.Line <= ix.Prime.Last {
				continue
			}
			// A width that is a little generous closes the seams between
			// neighbouring lines; a drawn line is never wider than laid by half.
			w := min(m.Width(h, ix.Layers[n-1].Diameter), 1.2)
			on := s.Laid
			if wall {
				on = walls
			}
			eachPiece(m, func(x0, y0, x1, y1 float64) { on.Line(x0, y0, x1, y1, w) })
		}
	}
	s.Laid.Or(walls)
	s.Open = NewGrid(f)
	s.Solid = NewGrid(f)
	empty := s.Laid.Clone()
	empty.Not()
	least := int(smallest / (f.Cell * f.Cell))
	deep := int(narrowest/2/f.Cell + 0.5)
	for _, p := range empty.Pieces() {
		if p.Edge {
			p.Draw(s.Solid) // the outside, for now
			continue
		}
		if p.Cells < least || min(p.X1-p.X0, p.Y1-p.Y0) < 2*deep {
			continue
		}
		hole := p.Patch(f, deep+1)
		ring := Patch{hole.Clone(), hole.x, hole.y}
		ring.Dilate(1)
		ring.AndNot(hole.Grid)
		all := ring.Count()
		ring.and(walls)
		if float64(ring.Count()) < wallShare*float64(all) {
			continue
		}
		hole.Erode(deep)
		if hole.Count() > 0 { // else it is a seam between two lines
			p.Draw(s.Open)
		}
	}
	s.Solid.Or(s.Open)
	s.Solid.Not()
	for _, p := range s.Solid.Pieces() {
		if p.Cells >= least {
			s.Pieces++
			s.islands = append(s.islands, p)
		}
	}
	return s
}

// Ended returns how many islands of the layer below have nothing on them here, and how
// large they are together, mm². Those that stand on nothing of under, the layer below that
// one, are left out: what is one layer high is no part. under may be nil.
func (s *Section) Ended(below *Section, under *Grid) (n int, area float64) {
	for i := range below.islands {
		if p := &below.islands[i]; p.On(s.Solid) == 0 && (under == nil || p.On(under) > 0) {
			n++
			area += float64(p.Cells) * s.Solid.Cell * s.Solid.Cell
		}
	}
	return n, area
}

// eachPiece calls f for the straight pieces of a move, mm.
func eachPiece(m *layer.Move, f func(x0, y0, x1, y1 float64)) {
	x, y := m.From[0].Millimetres(), m.From[1].Millimetres()
	if m.Arc != nil {
		k := m.Arc.Pieces(0.02)
		for i := 1; i < k; i++ {
			x1, y1 := m.Arc.At(float64(i) / float64(k))
			f(x, y, x1, y1)
			x, y = x1, y1
		}
	}
	f(x, y, m.To[0].Millimetres(), m.To[1].Millimetres())
}

// NewHere returns what this layer lays over nothing: plastic with no plastic
// under it nor within a line's width beside it. below is nil for layer 1, where
// everything lies on the bed.
func (s *Section) NewHere(below *Section) *Grid {
	g := s.Laid.Clone()
	if below == nil {
		return NewGrid(g.Frame)
	}
	under := below.Solid.Clone()
	under.Dilate(max(1, int(0.45/g.Cell+0.5)))
	g.AndNot(under)
	return g
}

// CoveredHere returns where this layer closes an opening of the one below.
func (s *Section) CoveredHere(below *Section) *Grid {
	if below == nil {
		return NewGrid(s.Laid.Frame)
	}
	g := below.Open.Clone()
	g.And(s.Solid)
	return g
}

// FrameOf returns the frame for a print's grids.
func FrameOf(ix *layer.Index) Frame {
	var b [4]float64
	for k := range b {
		b[k] = gcode.Nano(ix.Box[k]).Millimetres()
	}
	return NewFrame(b, 1.5)
}

// OverNothing returns where layer n, not the first of its object, lies over
// nothing and nothing near.
func OverNothing(src layer.Source, ix *layer.Index, n int) (*Grid, error) {
	var s [2]*Section
	for k, l := range [2]int{n, n - 1} {
		moves, err := ix.Decode(src, l)
		if err != nil {
			return nil, err
		}
		s[k] = NewSection(FrameOf(ix), ix, l, moves)
	}
	return s[0].NewHere(s[1]), nil
}

// Share returns the share of straight pieces (x0, y0, x1, y1 of each, mm) that
// lies on the grid's cells, by their length.
func (g *Grid) Share(pieces []float32) float64 {
	all, on := 0.0, 0.0
	for i := 0; i+3 < len(pieces); i += 4 {
		x0, y0, x1, y1 := float64(pieces[i]), float64(pieces[i+1]), float64(pieces[i+2]),
			float64(pieces[i+3])
		d := math.Hypot(x1-x0, y1-y0)
		n := max(1, int(d/g.Cell))
		for k := range n {
			f := (float64(k) + 0.5) / float64(n)
			if g.At(x0+f*(x1-x0), y0+f*(y1-y0)) {
				on += d / float64(n)
			}
		}
		all += d
	}
	if all == 0 {
		return 0
	}
	return on / all
}
