package raster

import (
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Section is one layer on a grid.
type Section struct {
	Solid  *Grid // what is inside the outline, the gaps of sparse fill included
	Open   *Grid // enclosed empty places with a wall around them: holes, pockets
	Held   *Grid // what touches it has support in it
	Pieces int   // islands of Solid

	islands []Piece
	strokes strokes
	laid    *Grid // cells covered by what is laid, once somebody has asked
}

// smallest opening and island that count, mm².
const smallest = 1.2

// Narrowest is how wide an opening is at least somewhere, mm.
const Narrowest = 1.4

// wallShare is how much of an opening's border must be wall: gaps of sparse fill end at fill
// lines.
const wallShare = 0.88

// NewSection draws the moves of layer n. Skirts, prime lines and supports are
// left out.
func NewSection(f Frame, ix *layer.Index, n int, moves []layer.Move) *Section {
	return SectionOf(f, ix, n, moves, layer.Paths(moves))
}

// SectionOf is NewSection for moves whose paths are known.
func SectionOf(f Frame, ix *layer.Index, n int, moves []layer.Move, paths []layer.Path) *Section {
	s := &Section{strokes: strokesOf(ix, n, moves, paths)}
	walls := NewGrid(f)
	for i := range s.strokes.paths {
		if p := &s.strokes.paths[i]; isWall(p) {
			s.strokes.draw(walls, p, 0)
		}
	}
	edges, empty := walls, regionsOf(walls)
	fill, outside := s.strokes.fill(empty, walls)
	if len(outside) > 0 {
		edges = walls.Clone()
		for _, p := range outside {
			s.strokes.draw(edges, p, 0)
		}
		empty = regionsOf(edges)
		fill, _ = s.strokes.fill(empty, edges)
	}
	s.Open, s.Held = NewGrid(f), NewGrid(f)
	s.strokes.hold(s.Held)
	s.Solid = NewGrid(f)
	least := int(smallest / (f.Cell * f.Cell))
	deep := int(Narrowest/2/f.Cell + 0.5)
	outer := NewGrid(f)
	for i := range empty.pieces {
		if p := &empty.pieces[i]; p.Edge {
			p.Draw(outer)
		}
	}
	for i := range empty.pieces {
		p := &empty.pieces[i]
		if p.Edge || p.Cells < least || min(p.X1-p.X0, p.Y1-p.Y0) < 2*deep || fill[i].holds() {
			continue
		}
		if p.Beside(walls) < wallShare {
			continue
		}
		hole := p.Patch(f, deep+1)
		hole.Erode(deep)
		if hole.Count() > 0 {
			p.Draw(s.Open)
			if fill[i].seen > 0 {
				p.Draw(s.Held)
			}
		} else if round := s.strokes.propped(p, outer); round != nil {
			round.draw(s.Open)
			round.draw(s.Held)
		} // else it is a seam between two lines
	}
	s.Solid.Or(outer)
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

// Overhang returns where the section lies over nothing: with no plastic under it nor within a
// line's width beside it. below is nil for layer 1, where everything lies on the bed.
func (s *Section) Overhang(below *Section) *Grid {
	if below == nil {
		return NewGrid(s.Solid.Frame)
	}
	g := s.Solid.Clone()
	g.AndNot(below.Solid)
	g.andNotNear(below.Solid, max(1, int(0.45/g.Cell+0.5)))
	return g
}

// NewHere returns what this layer lays over nothing: of the Overhang what plastic covers, not
// the gaps of its fill.
func (s *Section) NewHere(below *Section) *Grid {
	g := s.Overhang(below)
	if g.Count() == 0 {
		return g
	}
	if s.laid == nil {
		s.laid = NewGrid(g.Frame)
		for i := range s.strokes.paths {
			s.strokes.draw(s.laid, &s.strokes.paths[i], 0)
		}
	}
	g.And(s.laid)
	return g
}

// Release lets go of the moves that the section was made of. NewHere must not be asked for
// behind it.
func (s *Section) Release() { s.strokes = strokes{} }

// CoveredHere returns where this layer closes an opening of the one below.
func (s *Section) CoveredHere(below *Section) *Grid {
	if below == nil {
		return NewGrid(s.Solid.Frame)
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

// Sections returns what layer n covers and what the one below it does; that is nil for the first
// layer of an object, which lies on the bed.
func Sections(src layer.Source, ix *layer.Index, n int) (here, below *Section, err error) {
	section := func(n int) (*Section, error) {
		moves, err := ix.Decode(src, n)
		if err != nil {
			return nil, err
		}
		return NewSection(FrameOf(ix), ix, n, moves), nil
	}
	if here, err = section(n); err != nil {
		return nil, nil, err
	}
	if n > 1 && ix.Layers[n-2].Object == ix.Layers[n-1].Object {
		below, err = section(n - 1)
	}
	return here, below, err
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
