package landmark

import (
	"fmt"
	"math"
	"sort"

	"dogear/core/layer"
	"dogear/core/raster"
)

// track is an opening followed from layer to layer.
type track struct {
	first  int
	last   int
	piece  *raster.Piece // on the newest layer
	middle *shape        // at the layer where it is widest
	widest int           // that layer
	area   float64       // and its area
	floor  bool          // plastic under most of it

	sections []Opening // wherever its size changes
	measured float64   // area of the last of them
	round    bool      // all of them are round, or nearly
	newest   float64   // area on the newest layer
	narrows  bool      // which is smaller than that on the one below
	side     bool      // it is open at the side too
	support  int       // the last layer on which support stands in it
}

// closedAt is the share of an opening that a layer must cover to close it. One
// that narrows layer by layer, as a dome does, is open for as long as anything of
// it is; one that narrows at once, to the hole of a screw, is closed.
const closedAt = 0.6

// track follows the openings into layer n.
func (f *Finder) track(n int, s *raster.Section) {
	var now []*track
	pieces := s.Open.Pieces()
	used := make([]bool, len(pieces))
	// Pieces stand in the order of their first rows: those that may lie on an opening
	// are found by theirs.
	tall := 0
	for i := range pieces {
		tall = max(tall, pieces[i].Y1-pieces[i].Y0)
	}
	for _, t := range f.open {
		best, share := -1, 0.5
		from := sort.Search(len(pieces), func(i int) bool { return pieces[i].Y0 >= t.piece.Y0-tall })
		for i := from; i < len(pieces) && pieces[i].Y0 <= t.piece.Y1; i++ {
			g := &pieces[i]
			if used[i] {
				continue
			}
			if k := float64(g.Common(t.piece)) / float64(max(min(g.Cells, t.piece.Cells), 1)); k >= share {
				best, share = i, k
			}
		}
		covered := float64(t.piece.On(s.Solid)) >= closedAt*float64(t.piece.Cells)
		if best >= 0 {
			switch by := t.grows(f.frame, &pieces[best]); {
			case by > suddenly: // a hole under a pocket: that is one of its own
				f.close(t, 0)
				continue
			case by < -suddenly:
				f.close(t, n)
				continue
			}
		}
		if best >= 0 && (!covered || t.narrows) {
			used[best] = true
			t.follow(n, f, &pieces[best])
			t.hold(n, s)
			now = append(now, t)
			continue
		}
		if covered {
			f.close(t, n)
		} else {
			f.close(t, 0)
		}
	}
	for i := range pieces {
		if used[i] {
			continue
		}
		g := &pieces[i]
		t := &track{first: n, round: true}
		if f.below != nil {
			t.floor = float64(g.On(f.below.Solid)) >= 0.5*float64(g.Cells)
		}
		t.follow(n, f, g)
		t.hold(n, s)
		now = append(now, t)
	}
	f.open = now
}

// suddenly is by how much half the width of an opening changes from one layer to the next
// when it is another one: more than any slope or hollow does, mm.
const suddenly = 0.9

// grows returns by how much half the width of an opening would grow with a piece; 0 for one
// that has just begun, as the pole of a ball does.
func (t *track) grows(f raster.Frame, p *raster.Piece) float64 {
	if t.last-t.first < 2 {
		return 0
	}
	half := func(cells int) float64 { return math.Sqrt(float64(cells)/math.Pi) * f.Cell }
	return half(p.Cells) - half(t.piece.Cells)
}

// measure measures an opening of layer n: by its wall, else by its cells.
func (f *Finder) measure(n int, p *raster.Piece) *shape {
	if f.ringsOf != n {
		f.rings, f.ringsOf = ringsOf(f.ix, n, f.moves, f.paths), n
	}
	if r := wallOf(f.rings, f.frame, p); r != nil {
		return measureEdge(r.edge())
	}
	return measure(p.Patch(f.frame, 1).Grid)
}

// sameArea is how much an opening's area may change before it is measured anew.
const sameArea = 0.01

func (t *track) follow(n int, f *Finder, p *raster.Piece) {
	t.last, t.piece = n, p
	a := float64(p.Cells) * f.frame.Cell * f.frame.Cell
	t.narrows, t.newest = a < 0.95*t.newest, a
	if len(t.sections) > 0 && math.Abs(a-t.measured) <= sameArea*t.measured {
		return
	}
	s := f.measure(n, p)
	t.measured = a
	t.sections = append(t.sections, s.opening(n))
	// Small circles are few cells, and look like anything.
	t.round = t.round && (s.name == "round" || math.Min(s.w, s.h) > 0.8*math.Max(s.w, s.h) &&
		s.inscribed > 0.85*s.across || s.across < 4)
	if a > t.area {
		t.area, t.widest, t.middle = a, n, s
	}
}

// hold notes that support stands in the opening on layer n.
func (t *track) hold(n int, s *raster.Section) {
	if t.piece.On(s.Held) > 0 {
		t.support = n
	}
}

// closeAll ends all openings at the top of an object.
func (f *Finder) closeAll() {
	for _, t := range f.open {
		f.close(t, 0)
	}
	f.open = nil
}

// close ends an opening; at is the layer that covers it, 0 when it stays open.
func (f *Finder) close(t *track, at int) {
	if t.last == t.first { // one layer is a seam, not a pocket
		return
	}
	p := Pocket{Shape: t.middle.name, Centre: [2]float64{hundredth(t.middle.cx),
		hundredth(t.middle.cy)}, Across: hundredth(t.middle.across),
		Size: [2]float64{hundredth(t.middle.w), hundredth(t.middle.h)},
		Turn: hundredth(t.middle.turn), Inscribed: hundredth(t.middle.inscribed), FirstOpen: t.first,
		LastOpen: t.last, Widest: t.widest, Support: t.support, Side: t.side,
		Rough: t.middle.rough, Sections: t.sections}
	first, last := &f.ix.Layers[t.first-1], &f.ix.Layers[t.last-1]
	p.FloorZ = hundredth((first.Z - first.Height).Millimetres())
	p.Depth = hundredth((last.Z - first.Z + first.Height).Millimetres())
	if at > 0 {
		p.Closes = &at
	}
	if t.round {
		f.ball(&p)
	}
	if at > 0 {
		what := fmt.Sprintf("An opening %.1f mm wide and %.1f mm deep", p.Across, p.Depth)
		if t.side {
			what = fmt.Sprintf("A slot %.1f mm wide and %.1f mm deep, open at the side,", p.Across, p.Depth)
		}
		sure := 0.75 + min(0.2, p.Depth/20)
		if !t.floor && p.Shape != "ball" {
			sure -= 0.2
		}
		f.add(at, Closes, sure, what+" is covered by this layer")
		if p.Shape == "ball" {
			f.add(p.Widest+1, Widest, sure, fmt.Sprintf("A hollow for a ball, %.1f mm wide, is widest "+
				"below this layer", p.Across))
		}
		f.add(at, LastOpen, sure, what+" can still be reached")
	}
	f.pockets = append(f.pockets, p)
}

// A hollow is a ball's when its radii follow a sphere to within ballError, mm,
// and change by more than ballGrowth of the widest.
const (
	ballError  = 0.25
	ballGrowth = 0.15
)

// ball fits a sphere to the round sections of a pocket. For a sphere of radius R
// whose middle is at c, r² + z² = 2cz + (R² − c²): a straight line in z, fitted
// by least squares.
func (f *Finder) ball(p *Pocket) {
	var n, sz, sy, szz, szy float64
	low, high := math.Inf(1), 0.0
	eachLayer(f.ix, p, func(z, r float64) {
		y := r*r + z*z
		n, sz, sy, szz, szy = n+1, sz+z, sy+y, szz+z*z, szy+z*y
		low, high = math.Min(low, r), math.Max(high, r)
	})
	d := n*szz - sz*sz
	if n < 5 || d <= 0 || high-low < ballGrowth*high {
		return
	}
	c := (n*szy - sz*sy) / d / 2
	r2 := (sy-2*c*sz)/n + c*c
	// The middle lies inside, or what is seen is a cone or a dish.
	if r2 <= 0 || c < p.FloorZ+0.2*p.Depth || c > p.FloorZ+0.8*p.Depth {
		return
	}
	sum, wide := 0.0, 0.0
	eachLayer(f.ix, p, func(z, r float64) {
		e := r - math.Sqrt(math.Max(r2-(z-c)*(z-c), 0))
		if r > 1.2 { // the poles are drawn with few cells
			sum, wide = sum+e*e, wide+1
		}
	})
	if wide < 4 || math.Sqrt(sum/wide) > ballError {
		return
	}
	p.Shape, p.Turn = "ball", 0
	p.Across = hundredth(2 * math.Sqrt(r2))
	p.Inscribed = p.Across
	// The layer in which the middle lies is the widest, whatever the cells say.
	for k := p.FirstOpen; k <= p.LastOpen; k++ {
		if l := &f.ix.Layers[k-1]; (l.Z - l.Height).Millimetres() <= c+1e-6 {
			p.Widest = k
		}
	}
}

// eachLayer calls f for each open layer of a pocket, with the height of its
// middle and half the width of the opening, mm.
func eachLayer(ix *layer.Index, p *Pocket, f func(z, r float64)) {
	for k := p.FirstOpen; k <= p.LastOpen; k++ {
		l := &ix.Layers[k-1]
		f((l.Z - l.Height/2).Millimetres(), p.At(k).Across/2)
	}
}

// At returns what the opening measures on layer n, one of those at which it is
// open.
func (p *Pocket) At(n int) Opening {
	out := Opening{Across: p.Across, Size: p.Size, Inscribed: p.Inscribed}
	for _, s := range p.Sections {
		if s.Layer > n {
			break
		}
		out = s
	}
	out.Layer = n
	return out
}

func hundredth(v float64) float64 { return math.Round(v*100) / 100 }
