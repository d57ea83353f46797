package landmark

import "dogear/core/raster"

// A slot is a place that is open to the side as well as upward, until a layer covers it: what
// goes in from above lies in it as in a pocket.

// Of a slot: how large it is at least, mm², how much of its rim is plastic, on how much of it
// plastic may stand in a layer that it goes through, and how many layers those are.
const (
	slotArea   = 4.0
	slotHeld   = 0.55
	slotGrown  = 0.1
	slotLayers = 3
)

// remembered is for how many layers below one it is known where plastic lies: no slot is taken
// to be deeper.
const remembered = 150

// remember keeps what a layer covers.
func (f *Finder) remember(g *raster.Grid) {
	if len(f.floors) == remembered {
		copy(f.floors, f.floors[1:])
		f.floors = f.floors[:remembered-1]
	}
	f.floors = append(f.floors, g)
}

// slots finds the slots that layer n covers: grown is what it covers and the one below does
// not.
func (f *Finder) slots(n int, grown *raster.Grid) {
	if grown.Area() < slotArea {
		return
	}
	cell := grown.Cell * grown.Cell
	pieces := grown.Pieces()
	for i := range pieces {
		p := &pieces[i]
		cells := float64(p.Cells)
		if cells*cell < slotArea || float64(p.On(f.below.Open)) > slotGrown*cells ||
			p.Beside(f.below.Solid) < slotHeld {
			continue
		}
		deep := 0
		for k := len(f.floors) - 1; k >= 0 && float64(p.On(f.floors[k])) <= slotGrown*cells; k-- {
			deep++
		}
		if deep < slotLayers {
			continue
		}
		s := measure(p.Patch(f.frame, 1).Grid)
		if s.inscribed < raster.Narrowest {
			continue
		}
		t := &track{first: n - deep, last: n - 1, middle: s, widest: n - deep, side: true,
			floor: deep < len(f.floors)}
		t.sections = []Opening{s.opening(t.first)}
		if p.On(f.below.Held) > 0 {
			t.support = n - 1
		}
		f.close(t, n)
	}
}
