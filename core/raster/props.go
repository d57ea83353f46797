package raster

import (
	"dogear/core/layer"
)

// A pocket's ceiling may be held up by a loop that stands free inside of the pocket's walls,
// and no comment says so. Then the pocket is the narrow gap round it together with all that
// the gap runs round. What stands there is a pin, and no support, when it has more than one
// wall, or its label calls it one, or the whole print has single walls only.

// thick is how thick the walls round a pocket may be, mm: behind them there is more of the
// part, while the walls of an island have nothing behind them.
const thick = 1.6

// propped returns the pocket that a narrow gap is the rim of, nil when it is the rim of none.
// outer is what lies outside of the part.
func (s *strokes) propped(gap *Piece, outer *Grid) *Patch {
	f := outer.Frame
	behind := int(thick/f.Cell + 0.5)
	pocket := gap.closed(f, behind+1)
	prop := Patch{pocket.Clone(), pocket.x, pocket.y}
	prop.AndNot(gap.Patch(f, behind+1).Grid)
	if prop.Area() < smallest {
		return nil
	}
	loops, double := 0, false
	for i := range s.paths {
		p := &s.paths[i]
		if !isWall(p) {
			continue
		}
		at := &s.moves[p.From].From
		switch inside := prop.At(at[0].Millimetres(), at[1].Millimetres()); {
		case inside && (p.Named || p.Class == layer.Inner):
			return nil
		case inside:
			loops++
		case p.Class == layer.Inner:
			double = true
		}
	}
	if loops != 1 || !double {
		return nil
	}
	near := Patch{pocket.Clone(), pocket.x, pocket.y}
	near.Dilate(behind - 1)
	ring := Patch{near.Clone(), pocket.x, pocket.y}
	ring.Dilate(1)
	ring.AndNot(near.Grid)
	all := ring.Count()
	ring.and(outer)
	if 2*ring.Count() > all {
		return nil
	}
	return pocket
}
