package landmark

import (
	"fmt"
	"math"

	"dogear/core/raster"
)

// track is an opening followed from layer to layer.
type track struct {
	first  int
	last   int
	grid   *raster.Grid // on the newest layer
	middle *shape       // at the layer where it is widest
	areas  []float64
	floor  bool // plastic under most of it
}

// closedAt is the share of an opening that a layer must cover to close it.
const closedAt = 0.6

// track follows the openings into layer n.
func (f *Finder) track(n int, s *raster.Section) {
	var now []*track
	pieces := s.Open.Pieces()
	used := make([]bool, len(pieces))
	grids := make([]*raster.Grid, len(pieces))
	for i := range pieces {
		grids[i] = pieces[i].Grid(f.frame)
	}
	for _, t := range f.open {
		best, share := -1, 0.5
		for i, g := range grids {
			if used[i] {
				continue
			}
			c := g.Clone()
			c.And(t.grid)
			if k := float64(c.Count()) / float64(max(min(g.Count(), t.grid.Count()), 1)); k >= share {
				best, share = i, k
			}
		}
		covered := t.grid.Clone()
		covered.And(s.Solid)
		if best >= 0 && float64(covered.Count()) < closedAt*float64(t.grid.Count()) {
			used[best] = true
			t.step(n, grids[best])
			now = append(now, t)
			continue
		}
		if float64(covered.Count()) >= closedAt*float64(t.grid.Count()) {
			f.close(t, n)
		} else {
			f.close(t, 0)
		}
	}
	for i, g := range grids {
		if used[i] {
			continue
		}
		t := &track{first: n}
		if f.below != nil {
			under := g.Clone()
			under.And(f.below.Solid)
			t.floor = float64(under.Count()) >= 0.5*float64(g.Count())
		}
		t.step(n, g)
		now = append(now, t)
	}
	f.open = now
}

func (t *track) step(n int, g *raster.Grid) {
	t.last, t.grid = n, g
	a := g.Area()
	widest := true
	for _, o := range t.areas {
		widest = widest && a > o
	}
	t.areas = append(t.areas, a)
	if widest {
		t.middle = measure(g)
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
	p := Pocket{Shape: t.middle.name, Centre: [2]float64{hundredth(t.middle.cx), hundredth(t.middle.cy)}, Across: hundredth(t.middle.across), Size: [2]float64{hundredth(t.middle.w), hundredth(t.middle.h)},
		Turn: hundredth(t.middle.turn), Inscribed: hundredth(t.middle.inscribed), FirstOpen: t.first, LastOpen: t.last}
	first, last := &f.ix.Layers[t.first-1], &f.ix.Layers[t.last-1]
	p.FloorZ = hundredth((first.Z - first.Height).Millimetres())
	p.Depth = hundredth((last.Z - first.Z + first.Height).Millimetres())
	if at > 0 {
		p.Closes = &at
		what := fmt.Sprintf("An opening %.1f mm wide and %.1f mm deep", p.Across, p.Depth)
		sure := 0.75 + min(0.2, p.Depth/20)
		if !t.floor {
			sure -= 0.2
		}
		f.add(at, Closes, sure, what+" is covered by this layer")
		f.add(at, LastOpen, sure, what+" can still be reached")
	}
	f.pockets = append(f.pockets, p)
}

func hundredth(v float64) float64 { return math.Round(v*100) / 100 }
