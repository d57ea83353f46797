package raster

import (
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// strokes are the paths of a layer that belong to the part.
type strokes struct {
	moves    []layer.Move
	paths    []layer.Path
	supports []layer.Path // what the file itself calls so
	height   gcode.Nano
	diameter float64
	prime    int64 // last line of the prime line
}

// strokesOf returns those of the paths of layer n that are no travel, skirts and supports.
func strokesOf(ix *layer.Index, n int, moves []layer.Move, paths []layer.Path) strokes {
	skirt := SkirtOf(ix, n, moves)
	kept := make([]layer.Path, 0, len(paths))
	var supports []layer.Path
	for _, p := range paths {
		switch {
		case p.Class == layer.Support:
			supports = append(supports, p)
		case p.Class == layer.Travel || skirt(&p):
		default:
			kept = append(kept, p)
		}
	}
	l := &ix.Layers[n-1]
	return strokes{moves, kept, supports, l.Height, l.Diameter, ix.Prime.Last}
}

// isWall reports whether a path is an edge of the part, or runs along one.
func isWall(p *layer.Path) bool {
	return p.Class == layer.Outer || p.Class == layer.Inner || p.Closed && p.Class != layer.Fill
}

// widest is how wide a line is drawn at most, mm.
const widest = 1.2

// draw draws a path, each line as wide as it is laid, but least at least, mm. A width that is
// a little generous closes the seams between neighbouring lines.
func (s *strokes) draw(g *Grid, p *layer.Path, least float64) {
	pen := pen{on: g}
	for i := p.From; i < p.To; i++ {
		m := &s.moves[i]
		if m.Line <= s.prime {
			continue
		}
		w := max(min(m.Width(s.height, s.diameter), widest), least)
		eachPiece(m, func(x0, y0, x1, y1 float64) { pen.line(x0, y0, x1, y1, w) })
	}
	pen.lift()
}

// pen draws lines on a grid; short ones that go on nearly straight it draws as one.
type pen struct {
	on             *Grid
	x0, y0, x1, y1 float64
	width          float64
	via            [8][2]float64 // places between the two ends
	vias           int
	down           bool
}

// How far a line may leave what is drawn for it, and by how much its width may differ, mm.
const (
	leaves  = 0.02
	differs = 0.03
)

// line draws a line, or takes it to the one before.
func (p *pen) line(x0, y0, x1, y1, width float64) {
	if p.down && x0 == p.x1 && y0 == p.y1 && math.Abs(width-p.width) <= differs && p.straight(x1, y1) {
		p.via[p.vias] = [2]float64{p.x1, p.y1}
		p.vias++
		p.x1, p.y1 = x1, y1
		return
	}
	p.lift()
	p.x0, p.y0, p.x1, p.y1, p.width, p.down = x0, y0, x1, y1, width, true
}

// straight reports whether the line may go on to a place as one.
func (p *pen) straight(x, y float64) bool {
	dx, dy := x-p.x0, y-p.y0
	if p.vias == len(p.via) || (p.x1-p.x0)*(x-p.x1)+(p.y1-p.y0)*(y-p.y1) <= 0 {
		return false
	}
	far := leaves * math.Sqrt(dx*dx+dy*dy)
	for _, v := range p.via[:p.vias] {
		if math.Abs(dx*(v[1]-p.y0)-dy*(v[0]-p.x0)) > far {
			return false
		}
	}
	return math.Abs(dx*(p.y1-p.y0)-dy*(p.x1-p.x0)) <= far
}

// lift draws what has not been drawn yet.
func (p *pen) lift() {
	if p.down {
		p.on.Line(p.x0, p.y0, p.x1, p.y1, p.width)
	}
	p.down, p.vias = false, 0
}

// regionsOf returns the empty places of a grid.
func regionsOf(walls *Grid) *regions {
	empty := walls.Clone()
	empty.Not()
	return empty.regions()
}

// filling says how a place between walls is filled: at how many places along the lines was
// looked, at how many of them a line touches a wall, and how many ends the lines have.
type filling struct{ seen, touching, ends int }

// holds reports whether a place is filled by the part itself: its lines end at its walls, or
// run along them now and then. What stands in a pocket to hold up its ceiling keeps away from
// the walls: it is support, whatever it is called, and the pocket is open.
func (f filling) holds() bool {
	return f.seen > 0 && (4*f.touching >= f.ends || 50*f.touching >= f.seen)
}

// looked is how far apart the places on a line of fill are at which it is looked where it
// lies, mm.
const looked = 1.5

// reach is how far from the edge of a wall the middle of a line lies that touches it, mm. In
// cells it may look one and a half further: the edge lies anywhere in its cell, and so does the
// place.
const reach = 0.25

// follower follows a line of fill.
type follower struct {
	empty *regions
	walls *Grid
	reach int // cells within which a line touches a wall
	fill  []filling
	left  float64 // mm to the next place at which it is looked
	in    int     // the piece in which the line was last, onWall, or begins
	first int     // piece that it was in, or begins
	last  int
	held  *Grid // when set, the places are marked here, and nothing else is done
	out   bool  // some of it lies outside of all walls
}

// A place that lies in no piece.
const (
	onWall = -1
	begins = -2 // a line that has not been followed yet
)

// look looks where a place lies, mm.
func (f *follower) look(x, y float64) {
	cx, cy := int((x-f.empty.X0)/f.empty.Cell), int((y-f.empty.Y0)/f.empty.Cell)
	if f.held != nil {
		f.held.span(cy, cx, cx)
		return
	}
	k := f.empty.at(cx, cy)
	switch {
	case k == onWall:
		if f.in >= 0 {
			f.fill[f.in].touching++
		}
		f.in = k
		return
	case f.empty.pieces[k].Edge:
		f.out = true
	default:
		f.fill[k].seen++
		if f.in == onWall || f.walls.near(cx, cy, f.reach) {
			f.fill[k].touching++
		}
	}
	if f.first == begins {
		f.first = k
	}
	f.in, f.last = k, k
}

// along goes along a straight piece.
func (f *follower) along(x0, y0, x1, y1 float64) {
	l := math.Hypot(x1-x0, y1-y0)
	for ; f.left < l; f.left += looked {
		t := f.left / l
		f.look(x0+t*(x1-x0), y0+t*(y1-y0))
	}
	f.left -= l
}

// follow follows a path and reports whether it could: one without length goes nowhere.
func (f *follower) follow(s *strokes, p *layer.Path) bool {
	if p.Length <= 0 || s.moves[p.To-1].Line <= s.prime {
		return false
	}
	f.left, f.in, f.first, f.last, f.out = 0, begins, begins, begins, false
	if each := float64(p.To-p.From) * looked / p.Length; each > 2 { // of short pieces a few
		for j := p.From; j < p.To; j += int(each) {
			from := &s.moves[j].From
			f.look(from[0].Millimetres(), from[1].Millimetres())
		}
	} else {
		for j := p.From; j < p.To; j++ {
			eachPiece(&s.moves[j], f.along)
		}
	}
	last := &s.moves[p.To-1]
	f.look(last.To[0].Millimetres(), last.To[1].Millimetres())
	if f.first >= 0 {
		f.fill[f.first].ends++
		f.fill[f.last].ends++
	}
	return true
}

// fill follows the lines that are no walls. It returns how each of the places between the
// walls is filled, and which lines lie outside of all walls. Fill is not drawn: it is most of
// what a print lays, and its pattern is no outline.
func (s *strokes) fill(empty *regions, walls *Grid) (fill []filling, outside []*layer.Path) {
	f := follower{empty: empty, walls: walls, reach: int(math.Ceil(reach/empty.Cell+1.5)) - 1,
		fill: make([]filling, len(empty.pieces))}
	for i := range s.paths {
		if p := &s.paths[i]; !isWall(p) && f.follow(s, p) && f.out {
			outside = append(outside, p)
		}
	}
	return f.fill, outside
}

// hold marks where support stands, as the file itself calls it: a cell here and there.
func (s *strokes) hold(held *Grid) {
	f := follower{empty: &regions{Frame: held.Frame}, held: held}
	for i := range s.supports {
		f.follow(s, &s.supports[i])
	}
}
