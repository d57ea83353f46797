package layer

import (
	"slices"

	"dogear/core/gcode"
)

func within(d, most int64) bool { return d <= most && d >= -most }

// partition returns which runs open a layer when a comment is taken for the mark of
// layers; nil when it does not fit what is laid. height says that its numbers must
// tell the height.
func (r *reader) partition(t *template, height bool) ([]bool, error) {
	layers := r.ix.Layers
	opens := make([]bool, len(layers))
	opens[0] = true
	for _, o := range t.occurs {
		opens[o.layer] = true
	}
	var heads []int // first run of each group
	for i, o := range opens {
		if o {
			heads = append(heads, i)
		}
	}
	mains := make([]gcode.Nano, len(heads))
	for g := range heads {
		mains[g] = r.mainHeight(heads[g], until(heads, g, len(layers)))
	}
	if height && !t.tells(heads, mains) {
		return nil, nil
	}
	p := parting{r: r, mains: mains, opens: opens}
	p.rare = r.severalHeights(heads)*2 < len(heads)
	falls := 0
	for g, from := range heads {
		low := gcode.Nano(0)
		if g > 0 {
			low = mains[g-1]
			if d := mains[g] - low; d <= eps && d >= -eps { // a mark inside a layer
				opens[from] = false
				falls++
				continue
			} else if d < 0 {
				low = 0
				falls++
			}
		}
		// Between a height and the next there is room for one layer.
		step := localStep(mains, g)
		to := until(heads, g, len(layers))
		if r.many(from, to, step) { // another file has been joined on, without marks
			if err := r.byHeights(from, to, opens); err != nil {
				return nil, err
			}
			continue
		}
		if p.rare && g > 0 && r.heightsIn(from, to) > 1 {
			r.setAside(from, to, low+step)
		}
		if err := p.group(g, from, to, low, step); err != nil {
			return nil, err
		}
	}
	// A comment that stands before every other layer is no mark of layers.
	if p.extra > len(heads) || falls*3 > len(heads) || p.wrong*2 > p.looked {
		return nil, nil
	}
	return opens, nil
}

// severalHeights returns how many groups have more than one height.
func (r *reader) severalHeights(heads []int) int {
	n := 0
	for g, from := range heads {
		if to := until(heads, g, len(r.ix.Layers)); r.heightsIn(from, to) > 1 {
			n++
		}
	}
	return n
}

// parting says which runs of groups open layers of their own.
type parting struct {
	r     *reader
	mains []gcode.Nano // of each group
	opens []bool       // of each run
	rare  bool         // few groups have more than one height: each of those is looked at

	checks, looked int // runs looked at
	extra          int // layers that no mark stands before
	wrong          int // runs that should open one, by their looks, and do not
}

// group looks at the runs of group g. low is the height of the group below, step that of a
// layer.
func (p *parting) group(g, from, to int, low, step gcode.Nano) error {
	r, base := p.r, gcode.Nano(-1)
	under := from // the run at that height
	for i := from; i < to; i++ {
		z := r.ix.Layers[i].Z
		if g > 0 && z <= low+eps || r.runs[i].ramp {
			continue
		}
		full := z*5 >= base*5+step*4
		own := base >= 0 && full
		if base >= 0 && z > base+alike && p.checks < maxChecks && (p.rare && !full || g == 0) {
			p.checks++
			var err error
			if own, err = r.stands(under, i, to); err != nil {
				return err
			}
		} else if base >= 0 && z > base+alike && !full && p.looked < 6 {
			p.looked++
			on, err := r.stands(under, i, to)
			if err != nil {
				return err
			}
			if on || r.alike(under, i) {
				p.wrong++
			}
		}
		if own {
			p.opens[i] = true
			p.extra++
		}
		if z > base {
			base, under = z, i
		}
	}
	return nil
}

// many reports whether a group of runs holds several layers: it has four heights or
// more, and reaches higher than two steps.
func (r *reader) many(from, to int, step gcode.Nano) bool {
	top := r.ix.Layers[from].Z
	for i := from; i < to; i++ {
		top = max(top, r.ix.Layers[i].Z)
	}
	return r.heightsIn(from, to) >= 4 && (top-r.ix.Layers[from].Z)*2 > step*5
}

// heightsIn counts the heights that runs rise to one after another.
func (r *reader) heightsIn(from, to int) int {
	n, top := 0, gcode.Nano(-1)
	for i := from; i < to; i++ {
		if z := r.ix.Layers[i].Z; z > top+alike && !r.runs[i].ramp {
			n++
			top = z
		}
	}
	return n
}

// alike reports whether two runs look like layers of one thing: they reach as far, and
// as much of them is wall.
func (r *reader) alike(k, i int) bool {
	a, b := &r.ix.Layers[k], &r.ix.Layers[i]
	return differ(&level{box: a.Box, wall: r.runs[k].wall, laid: a.Filament},
		&level{box: b.Box, wall: r.runs[i].wall, laid: b.Filament}) <= gcode.MM/4
}

// setAside takes the runs whose heights are further from z than others are out of the
// choice of their layer's height.
func (r *reader) setAside(from, to int, z gcode.Nano) {
	off := func(i int) gcode.Nano { return max(r.ix.Layers[i].Z-z, z-r.ix.Layers[i].Z) }
	best := off(from)
	for i := from; i < to; i++ {
		best = min(best, off(i))
	}
	for i := from; i < to; i++ {
		r.runs[i].aside = off(i) > best+alike
	}
}

// onTop is the size of squares, mm, in which paths on top of each other meet and those
// beside each other do not: a third of a line.
const onTop = 0.15

// stands reports whether what is laid at the height of run i, from there on up to run to,
// lies on what is laid at that of run k, as a layer does, rather than beside it.
func (r *reader) stands(k, i, to int) (bool, error) {
	a, err := r.levelCells(k, i, onTop)
	if err != nil {
		return false, err
	}
	b, err := r.levelCells(i, to, onTop)
	// Solid fill lies on few paths of the sparse fill below it, but on all of them.
	return b.on(a) > 0.5 || a.on(b) > 0.5, err
}

// levelCells returns the squares in which run i and the runs behind it at its height, up
// to run to, lay plastic.
func (r *reader) levelCells(i, to int, size float64) (cells, error) {
	out := cells{}
	for end := min(r.sameHeight(i, 1), i+2*maxEarly, to); i < end; i++ {
		c, err := r.footprint(i, size)
		if err != nil {
			return nil, err
		}
		out.add(c)
	}
	return out, nil
}

func until(heads []int, g, n int) int {
	if g+1 < len(heads) {
		return heads[g+1]
	}
	return n
}

// mainHeight returns the height at which most of the wall, else most of the
// plastic, of some runs is laid.
func (r *reader) mainHeight(from, to int) gcode.Nano {
	z := r.ix.Layers[from].Z
	if to == from+1 {
		return z
	}
	sums := map[gcode.Nano]*summed{}
	var best *summed
	for i := from; i < to; i++ {
		l := &r.ix.Layers[i]
		s := sums[l.Z]
		if s == nil {
			s = &summed{run: run{ramp: r.runs[i].ramp}}
			sums[l.Z] = s
		}
		s.wall += r.runs[i].wall
		s.laid += l.Filament
		s.ramp = s.ramp && r.runs[i].ramp
		if best == nil || more(s, best) {
			best, z = s, l.Z
		}
	}
	return z
}

// localStep returns the layer height that is usual around group g.
func localStep(mains []gcode.Nano, g int) gcode.Nano {
	steps := make([]gcode.Nano, 0, 12)
	for i := max(g-5, 1); i <= min(g+6, len(mains)-1); i++ {
		if d := mains[i] - mains[i-1]; d > 0 {
			steps = append(steps, d)
		}
	}
	if len(steps) == 0 {
		return mains[g]
	}
	slices.Sort(steps)
	return steps[len(steps)/2]
}
