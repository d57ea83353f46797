package bind

import (
	"fmt"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Spread puts the joints of pieces at shared heights, so that each has about as much.
func Spread(pieces []Piece) {
	n := len(pieces)
	top := pieces[n-1].Ix.Height()
	for i := range pieces {
		pieces[i].From, pieces[i].To = 1, len(pieces[i].Ix.Layers)
	}
	for i := range n - 1 {
		MoveJoint(pieces, i, top*gcode.Nano(i+1)/gcode.Nano(n))
	}
}

// OnTop puts the last piece onto the others, half-way up what the one below it had.
func OnTop(pieces []Piece) {
	n := len(pieces)
	below, above := &pieces[n-2], &pieces[n-1]
	above.From, above.To = 1, len(above.Ix.Layers)
	below.To = len(below.Ix.Layers)
	low := below.Ix.Layers[max(below.From-2, 0)].Z
	MoveJoint(pieces, n-2, low+(below.Ix.Height()-low)/2)
}

// MoveJoint brings the joint above piece k to the shared height that is nearest to z, between its
// neighbours. Where they share none it stays.
func MoveJoint(pieces []Piece, k int, z gcode.Nano) {
	below, above := &pieces[k], &pieces[k+1]
	var all []Height
	for _, h := range Shared(below.Ix, above.Ix) {
		if h.A >= below.From && (h.B < above.To || above.To == 0) {
			all = append(all, h)
		}
	}
	if i := Nearest(all, z); i >= 0 {
		below.To, above.From = all[i].A, all[i].B+1
	}
}

// Meet says which neighbours share no height; nil when all do.
func Meet(pieces []Piece) error {
	for i := range pieces {
		if p := &pieces[i]; i > 0 && p.From == 1 && p.Ix.Kind == layer.Layered &&
			pieces[i-1].Ix.Kind == layer.Layered {
			return fmt.Errorf("%s and %s share no height at which they could be joined; slice one of them "+
				"with layers of another thickness", pieces[i-1].Name, p.Name)
		}
	}
	return nil
}
