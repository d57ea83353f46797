package bind

import (
	"sort"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Height is a height that two slicings share: layer Below of the one ends where
// layer Below of the other does, so that either may go on from there.
type Height struct {
	Z    gcode.Nano
	A, B int // layers that end there
}

// within is how far apart two heights may be and still be one: 0.001 mm.
const within = gcode.MM / 1000

// Shared lists the heights that two slicings share, from below. The top of the
// last layer of either is left out: nothing of that file would go on there, or
// nothing of it would be laid.
func Shared(a, b *layer.Index) []Height {
	var out []Height
	i, j := 0, 0
	for i < len(a.Layers)-1 && j < len(b.Layers)-1 {
		switch d := a.Layers[i].Z - b.Layers[j].Z; {
		case d < -within:
			i++
		case d > within:
			j++
		default:
			out = append(out, Height{a.Layers[i].Z, i + 1, j + 1})
			i++
			j++
		}
	}
	return out
}

// Nearest returns the index of the shared height that is nearest to z; -1 when
// there is none.
func Nearest(all []Height, z gcode.Nano) int {
	i := sort.Search(len(all), func(i int) bool { return all[i].Z >= z })
	if i == len(all) || i > 0 && z-all[i-1].Z < all[i].Z-z {
		i--
	}
	return i
}
