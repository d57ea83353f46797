package layer

import (
	"dogear/core/gcode"
)

// restarts reports whether layer (or run) i begins another object, printed beside
// what stands already: laying begins again near the bed and goes on from there, and
// nothing of the object before it stands there. first is where that began. number
// says that the file's own number starts again at i.
func (r *reader) restarts(first, i int, number bool) (bool, error) {
	layers := r.ix.Layers
	l, last := &layers[i], &layers[i-1]
	if l.Z >= last.Z-eps || l.Z > 2*max(layers[first].Z, 0)+eps {
		return false, nil
	}
	if number {
		return true, nil
	}
	next := r.sameHeight(i, 1)
	top := gcode.Nano(0)
	for k := first; k < i; k++ {
		top = max(top, layers[k].Z)
	}
	if next < len(layers) && layers[next].Z >= top-eps {
		on := r.boxOf(next, r.sameHeight(next, 1))
		if unlike(on, r.boxOf(r.sameHeight(i-1, -1)+1, i)) <= unlike(on, r.boxOf(i, next)) {
			return false, nil // something lower, or on the side, and on it goes above
		}
	}
	if apart(l.Box, r.boxOf(first, i), 0) {
		return true, nil
	}
	// Boxes overlap where footprints need not.
	const size = 1 // mm
	was := cells{}
	for k := first; k < i && k < first+2*maxEarly; k++ {
		if layers[k].Z > l.Z+eps && len(was) > 0 {
			break
		}
		c, err := r.footprint(k, size)
		if err != nil {
			return false, err
		}
		was.add(c)
	}
	is, err := r.footprint(i, size)
	if err != nil {
		return false, err
	}
	return is.in(was) < 0.05, nil
}

func (r *reader) boxOf(from, to int) [4]gcode.Nano {
	b := r.ix.Layers[from].Box
	for k := from; k < to; k++ {
		b = union(b, r.ix.Layers[k].Box)
	}
	return b
}

// sameHeight returns the next layer (or run) from i on, by steps of by, that lies at
// another height.
func (r *reader) sameHeight(i, by int) int {
	z := r.ix.Layers[i].Z
	for i >= 0 && i < len(r.ix.Layers) && r.ix.Layers[i].Z <= z+eps && r.ix.Layers[i].Z >= z-eps {
		i += by
	}
	return i
}

// unlike returns how far the sides of two boxes lie apart at most.
func unlike(a, b [4]gcode.Nano) gcode.Nano {
	d := gcode.Nano(0)
	for k := range 4 {
		d = max(d, a[k]-b[k], b[k]-a[k])
	}
	return d
}
