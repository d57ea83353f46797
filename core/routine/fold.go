package routine

import "dogear/core/gcode"

// SameLevel is how far two heights of one layer may lie apart.
const SameLevel = gcode.MM / 100

// Last returns the layer that ends at the fold; inside a layer, that layer.
func (f *Fold) Last() int {
	if f.Inside {
		return f.Layer
	}
	return f.Layer - 1
}
