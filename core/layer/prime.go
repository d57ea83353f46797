package layer

import (
	"dogear/core/gcode"
)

// A prime line is laid beside the part to get the filament flowing: a few straight
// strokes beside each other, or, before the file's own first mark, one open line along
// the edge, with little filament. Nothing else touches it.
const (
	maxPrimes    = 6
	primeWidth   = 4 * gcode.MM  // of straight strokes beside each other
	primeLength  = 5 * gcode.MM  // at least, and five times their width
	primeStrokes = 8             // of one open line
	primeMost    = 60 * gcode.MM // filament
	primeAway    = gcode.MM      // from everything else
)

// primes returns how many of the first runs are prime lines. mark is where the
// file's own first mark stands, 0 when it has none.
func (r *reader) primes(mark int64) (int, error) {
	runs := r.ix.Layers
	for k := min(maxPrimes, r.firstOnes(mark), len(runs)-1); k > 0; k-- {
		box, laid, open, one := runs[0].Box, gcode.Nano(0), true, true
		for i := range k {
			one = one && runs[i].Z == runs[0].Z
			box = union(box, runs[i].Box)
			laid += runs[i].Filament
			open = open && runs[i].Moves <= primeStrokes && r.runs[i].wall == 0
		}
		if laid > primeMost || !one {
			continue
		}
		beside := true
		for i := k; i < len(runs) && beside; i++ {
			beside = apart(box, runs[i].Box, primeAway)
		}
		if !straight(box) && (!open || mark == 0) {
			continue
		}
		alone := beside
		if !beside {
			var err error
			if alone, err = r.alone(k); err != nil {
				return 0, err
			}
		}
		if alone {
			return k, nil
		}
	}
	return 0, nil
}

// firstOnes returns how many of the early runs stand before a line.
func (r *reader) firstOnes(mark int64) int {
	n := 0
	for n < len(r.starts) && (mark == 0 || r.ix.Layers[n].Last < mark) {
		n++
	}
	return n
}

func straight(b [4]gcode.Nano) bool {
	w, l := b[2]-b[0], b[3]-b[1]
	if w > l {
		w, l = l, w
	}
	return w <= primeWidth && l >= primeLength && l >= 5*w
}

// alone reports whether nothing is laid near the first k runs on the next heights:
// boxes may overlap where footprints do not.
func (r *reader) alone(k int) (bool, error) {
	const size = 1 // mm
	first := cells{}
	for i := range k {
		c, err := r.footprint(i, size)
		if err != nil {
			return false, err
		}
		first.add(c)
	}
	heights, z := 0, gcode.Nano(-1)
	for i := k; i < len(r.ix.Layers) && i < k+2*maxEarly; i++ {
		if l := &r.ix.Layers[i]; l.Z != z {
			if heights++; heights > 3 {
				break
			}
			z = l.Z
		}
		c, err := r.footprint(i, size)
		if err != nil || c.on(first) > 0 {
			return false, err
		}
	}
	return true, nil
}

// forget removes the first runs, which were prime lines.
func (r *reader) forget(drop int) {
	ix := r.ix
	ix.Prime = Span{ix.Layers[0].First, ix.Layers[drop-1].Last}
	ix.Layers, r.runs, r.begins = ix.Layers[drop:], r.runs[drop:], r.begins[drop:]
	r.starts = r.starts[min(drop, len(r.starts)):]
	for k := range r.l.templates {
		t := &r.l.templates[k]
		for i := range t.occurs {
			// A mark in the gap before a prime line belongs to the layer behind it.
			t.occurs[i].layer = max(t.occurs[i].layer-drop, 0)
		}
		// Of several before the first layer the last one counts.
		for len(t.occurs) > 1 && t.occurs[1].layer == 0 {
			t.occurs = t.occurs[1:]
		}
	}
}
