package insert

import (
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Afterwards seats a part in a pocket that stays open to the top, and reports whether the
// pocket looks made for it: of its shape, with a floor of plastic, as deep as the part is
// high, and no wider than it needs. Such a part is put in when the print is done.
func Afterwards(ix *layer.Index, p *landmark.Pocket, part *plan.InsertPart) (Seat, bool) {
	if p.Closes != nil || p.FirstOpen < 2 || !madeFor(p.Shape, part.Shape) {
		return Seat{}, false
	}
	s := SeatOf(ix, p, part, 1, p.LastOpen+1)
	return s, s.Narrow == 0 && s.Side >= -press && s.Side <= snug &&
		s.Top <= p.FloorZ+p.Depth+flush
}

// snug is how much free room at each side, mm, still looks meant for a part.
const snug = 0.3

// madeFor reports whether a pocket has the shape of a part.
func madeFor(pocket, part string) bool {
	switch part {
	case "disc":
		return pocket == "round"
	case "square", "block":
		return pocket == "rect"
	}
	return pocket == part
}
