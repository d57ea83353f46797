package layer

import (
	"math"
	"slices"

	"dogear/core/gcode"
)

// level is a group of runs that may be a layer, or lie at a height in between.
type level struct {
	first   int // run
	body    int // first run at its height
	object  int
	z       gcode.Nano
	box     [4]gcode.Nano
	wall    gcode.Nano
	laid    gcode.Nano
	between bool
}

// byHeights says which of the runs from … to-1 open a layer where the file does not:
// those higher than all before them, and those that begin another object. What then
// turns out to lie between two heights that belong together opens none.
func (r *reader) byHeights(from, to int, opens []bool) error {
	layers := r.ix.Layers
	if r.turns.vase {
		for i := from + 1; i < to; i++ {
			d := layers[i].Z - layers[i-1].Z
			opens[i] = d > eps || d < -eps
		}
		return nil
	}
	ramps := 0
	for i := from; i < to; i++ {
		if r.runs[i].ramp {
			ramps++
		}
	}
	tilted := ramps*2 > to-from // layers that are not level: each is taken as it comes
	step := max(r.flatStep(), gcode.MM/20)
	var levels []level
	first, object, top, checks := from, 1, layers[from].Z, 0
	lead := -1 // a ramp above the top that has not reached its height: the next run may
	for i := from; i < to; i++ {
		z := layers[i].Z
		switch {
		case i == from:
		case r.runs[i].ramp && !tilted:
			if z > top+alike && lead < 0 {
				lead = i
			}
			continue
		case z > top+alike:
			// One far too high, from which the file comes back, is an error in it.
			if jump := z - top; jump > 10*step && jump > 3*gcode.MM && i+1 < to &&
				z-layers[i+1].Z > jump/2 && layers[i+1].Z > top-step {
				r.odd(i, "far-too-high", "lays plastic at "+z.String()+" mm, and then goes on much "+
					"lower. It is counted with the layer before it.")
				continue
			}
			// A ramp just before it that ended a little lower is the beginning of it.
			if lead >= 0 && layers[lead].Z < z {
				opens[lead], top = true, z
				levels = append(levels, r.levelOf(lead, object))
				levels[len(levels)-1].take(r, i)
				levels[len(levels)-1].z, levels[len(levels)-1].body = z, i
				lead = -1
				continue
			}
			opens[i], top = true, z
		case z < top-alike && checks < maxChecks:
			again, err := r.restarts(first, i, false)
			if err != nil {
				return err
			}
			if z <= 2*layers[first].Z+eps {
				checks++
			}
			if again {
				opens[i], top, first = true, z, i
				object++
			}
		}
		if to-from > maxLevels {
			continue
		}
		if opens[i] || i == from {
			levels, lead = append(levels, r.levelOf(i, object)), -1
			continue
		}
		levels[len(levels)-1].take(r, i)
		lead = -1
	}
	return r.inBetween(levels, opens)
}

// levelOf returns the level that begins with run i.
func (r *reader) levelOf(i, object int) level {
	l := &r.ix.Layers[i]
	return level{first: i, body: i, object: object, z: l.Z, box: l.Box, wall: r.runs[i].wall,
		laid: l.Filament}
}

// take adds run i to a level.
func (g *level) take(r *reader, i int) {
	g.box = union(g.box, r.ix.Layers[i].Box)
	g.wall += r.runs[i].wall
	g.laid += r.ix.Layers[i].Filament
}

// alike is how far two heights of one layer may lie apart: no layer is as thin.
const alike = 10_000

// maxLevels is how many runs are compared with their neighbours: a file of more has no
// heights in between.
const maxLevels = 200_000

// maxChecks bounds how many footprints are looked at for objects and for heights in
// between.
const maxChecks = 400

// inBetween finds the levels at heights in between and takes their opening away, or
// that of the level behind them when they are laid before it.
func (r *reader) inBetween(levels []level, opens []bool) error {
	n := len(levels)
	if n < 4 {
		return nil
	}
	odd := make([]bool, n)
	for i := 1; i+1 < n; i++ {
		odd[i] = sandwiched(&levels[i-1], &levels[i], &levels[i+1])
	}
	// How far the others lie apart.
	steps := make([]gcode.Nano, 0, n)
	for i, last := 1, 0; i < n; i++ {
		if odd[i] {
			continue
		}
		if d := levels[i].z - levels[last].z; d > 0 {
			steps = append(steps, d)
		}
		last = i
	}
	if len(steps) == 0 {
		return nil
	}
	slices.Sort(steps)
	step := steps[len(steps)/2]
	for a := 0; a < n; {
		if !odd[a] {
			a++
			continue
		}
		b := a
		for b+1 < n && odd[b+1] {
			b++
		}
		var err error
		if b-a >= 4 {
			err = r.alternating(levels, opens, a, b)
		} else {
			err = r.single(levels, opens, a, b, step)
		}
		if err != nil {
			return err
		}
		a = b + 1
	}
	return nil
}

// sandwiched reports whether a level is unlike both its neighbours though those are
// alike.
func sandwiched(a, b, c *level) bool {
	if a.object != c.object {
		return false
	}
	d := min(differ(a, b), differ(b, c))
	return d > gcode.MM/4 && differ(a, c)*2 < d
}

// differ measures how unlike two levels are: how far their boxes are from each other, and
// one millimetre more when wall is a much larger share of one than of the other.
func differ(a, b *level) gcode.Nano {
	d := unlike(a.box, b.box)
	share := func(l *level) float64 { return float64(l.wall) / max(float64(l.laid), 1) }
	if math.Abs(share(a)-share(b)) > 0.2 {
		d += gcode.MM
	}
	return d
}

// single looks at a few levels that seem to lie in between: supports that have
// layers of their own.
func (r *reader) single(levels []level, opens []bool, a, b int, step gcode.Nano) error {
	for i := a; i <= b; i++ {
		prev, next := &levels[i-1], &levels[i+1]
		if prev.between || (next.z-prev.z)*2 >= step*3 {
			continue
		}
		yes, err := r.skipped(prev, &levels[i], next)
		if err != nil {
			return err
		}
		if yes {
			levels[i].between = true
			opens[levels[i].first] = false
			r.runs[levels[i].first].aside = true
		}
	}
	return nil
}

// alternating looks at a stretch of levels of which every second one is of one kind:
// walls half a layer higher than the rest, or fill half a layer lower.
func (r *reader) alternating(levels []level, opens []bool, a, b int) error {
	object := levels[a].object
	first, last := a, b
	for first > 0 && levels[first-1].object == object {
		first--
	}
	for last+1 < len(levels) && levels[last+1].object == object {
		last++
	}
	var sum [2]level
	for i := a; i <= b; i++ {
		sum[i&1].wall += levels[i].wall
		sum[i&1].laid += levels[i].laid
	}
	odd := 1
	if w := sum[0].wall - sum[1].wall; w < 0 || w == 0 && sum[0].laid < sum[1].laid {
		odd = 0
	}
	if between, err := r.maxSkipped(levels, a, b, odd); err != nil || !between {
		return err
	}
	// The stretch reaches as far as the levels go on alternating.
	lo, hi := a, b
	likeNext := func(i, next, other int) bool {
		return differ(&levels[i], &levels[next])*2 < differ(&levels[i], &levels[other])
	}
	if a-1 >= first && a+1 <= last && likeNext(a-1, a+1, a) {
		lo = a - 1
	}
	if b+1 <= last && b-1 >= first && likeNext(b+1, b-1, b) {
		hi = b + 1
	}
	// What lies in between belongs to the nearer of its neighbours where they are not
	// equally near; else it is laid behind its layer, unless the file begins with it, or
	// it is fill and the file ends without it.
	near, far := 0, 0
	for i := max(lo, first+1); i < hi && i < last; i++ {
		if i&1 != odd {
			continue
		}
		d := (levels[i+1].z - levels[i].z) - (levels[i].z - levels[i-1].z)
		if d < -alike {
			near++
		} else if d > alike {
			far++
		}
	}
	fill := sum[odd].wall*4 < sum[1-odd].wall
	leads := near > far
	if near == far {
		leads = !(hi == last && hi&1 == odd) && (lo == first && lo&1 == odd || fill && hi == last)
	}
	for i := lo; i <= hi; i++ {
		if i&1 != odd {
			continue
		}
		levels[i].between = true
		switch {
		case leads && i < last:
			opens[levels[i+1].first] = false
		case i > first:
			opens[levels[i].first] = false
		}
	}
	return nil
}

// maxSkipped looks at some levels of one parity, and reports whether most of them lie
// between two that belong together.
func (r *reader) maxSkipped(levels []level, a, b, odd int) (bool, error) {
	yes, looked := 0, 0
	for k := 0; k < 9; k++ {
		i := a + (b-a)*k/8
		if i&1 != odd {
			i++
		}
		if i < 1 || i+1 >= len(levels) || i > b {
			continue
		}
		ok, err := r.skipped(&levels[i-1], &levels[i], &levels[i+1])
		if err != nil {
			return false, err
		}
		looked++
		if ok {
			yes++
		}
	}
	return looked > 0 && yes*4 >= looked*3, nil
}

// skipped reports whether what is laid at c stands on what is laid at a, and not on
// what is laid at b between them.
func (r *reader) skipped(a, b, c *level) (bool, error) {
	var f [3]cells
	for k, l := range []*level{a, b, c} {
		var err error
		if f[k], err = r.levelCells(l.body, len(r.ix.Layers), onTop); err != nil {
			return false, err
		}
	}
	onA, onB := f[2].on(f[0]), f[2].on(f[1])
	return onA > 0.1 && onB*2 < onA, nil
}
