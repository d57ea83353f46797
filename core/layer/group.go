package layer

import (
	"fmt"
	"slices"

	"dogear/core/gcode"
)

// group makes layers of runs. A layer is what is laid between one plateau and the
// next; runs at heights in between, ramps, and what is laid lower on the side belong
// to one and open none. The file's own marks say which when they fit what is laid;
// else the heights and the footprints do.
func (r *reader) group() error {
	if len(r.ix.Layers) == 0 {
		return nil
	}
	mark, opens, err := r.byMarks()
	if err != nil {
		return err
	}
	first := int64(0)
	if mark != nil {
		first = mark.occurs[0].line
	}
	drop, err := r.primes(first)
	if err != nil {
		return err
	}
	if drop > 0 {
		r.forget(drop)
		if mark != nil {
			if mark, opens, err = r.byMarks(); err != nil {
				return err
			}
		}
	}
	// Where the first layer begins was noted with its first path.
	if len(r.starts) > 0 {
		r.stand(0, r.starts[0])
		r.runs[0].gap = nil
	}
	if mark == nil {
		opens = make([]bool, len(r.ix.Layers))
		opens[0] = true
		if err := r.byHeights(0, len(opens), opens); err != nil {
			return err
		}
	}
	r.merge(opens)
	return nil
}

// merge joins each run that opens no layer with those before it.
func (r *reader) merge(opens []bool) {
	layers, runs := r.ix.Layers, r.runs
	keep, begins := layers[:0], r.begins[:0]
	gaps := make(map[int]*gap)       // by layer, from 0
	to := make([]int32, len(layers)) // layer of each run, from 0
	var main summed
	aside := 0 // layers that lay something at other heights too
	last := -1
	for i := range layers {
		if opens[i] || i == 0 {
			keep = append(keep, layers[i])
			if runs[i].gap != nil {
				gaps[len(keep)-1] = runs[i].gap
			}
			begins = append(begins, r.begins[i])
			main = summed{runs[i], layers[i].Filament}
			to[i] = int32(len(keep) - 1)
			continue
		}
		l, t := &keep[len(keep)-1], &layers[i]
		if d := t.Z - l.Z; (d > alike || d < -alike) && last != len(keep) && !r.vase {
			aside, last = aside+1, len(keep)
		}
		// Several runs at one height count together.
		same := t.Z <= l.Z+eps && t.Z >= l.Z-eps
		if same {
			main.wall += runs[i].wall
			main.laid += t.Filament
		} else if s := (summed{runs[i], t.Filament}); more(&s, &main) {
			l.Z = t.Z
			main = s
		}
		l.Last = max(l.Last, t.Last)
		l.Moves += t.Moves
		l.Filament += t.Filament
		l.Box = union(l.Box, t.Box)
		to[i] = int32(len(keep) - 1)
	}
	r.ix.Layers, r.gaps, r.begins = keep, gaps, begins
	if aside > 0 {
		which := "In one layer"
		if aside > 1 {
			which = fmt.Sprintf("In %d layers", aside)
		}
		r.note(Note, "heights-in-between", keep[0].First, which+" something is laid at other heights "+
			"too (fill, inner walls or supports in between, ironing, a tower): it belongs to them.")
	}
	for k := range r.l.templates {
		t := &r.l.templates[k]
		rest := t.occurs[:0]
		for _, o := range t.occurs {
			if o.layer > 0 && o.layer < len(to) && !opens[o.layer] {
				t.inner++ // it stands inside a layer now
				continue
			}
			o.layer = int(to[o.layer])
			rest = append(rest, o)
		}
		t.occurs = rest
	}
}

// summed is what several runs at one height come to together.
type summed struct {
	run
	laid gcode.Nano
}

// more reports whether a says better than b at which height their layer lies: where
// more of the wall is laid, else more of the plastic.
func more(a, b *summed) bool {
	switch {
	case a.ramp != b.ramp:
		return b.ramp
	case a.aside != b.aside:
		return b.aside
	case a.wall != b.wall:
		return a.wall > b.wall
	}
	return a.laid > b.laid
}

// byMarks looks for a comment of the file that stands before each layer and fits
// what is laid. It returns nil when there is none; else also which runs open one.
func (r *reader) byMarks() (*template, []bool, error) {
	if r.vase {
		return nil, nil, nil
	}
	var best *template
	var opens []bool
	rank := 0
	for k := range r.l.templates {
		t := &r.l.templates[k]
		if len(t.occurs) < 3 || t.inner*20 > len(t.occurs) || t.tail > max(1, t.total/20) {
			continue
		}
		kind := r.l.kind(t, r.ix.Layers)
		if kind == 0 || kind < rank || kind == rank && len(t.occurs) <= len(best.occurs) {
			continue
		}
		o, err := r.partition(t, kind == 1)
		if err != nil {
			return nil, nil, err
		}
		if o != nil {
			best, opens, rank = t, o, kind
		}
	}
	return best, opens, nil
}

// kind says what a comment could be: 3 when its number counts up, 2 when it has
// none, 1 when it may tell the height; 0 when it is no mark.
func (l *learner) kind(t *template, layers []Layer) int {
	if t.counts >= t.total-1-t.total/8 {
		return 3
	}
	if t.occurs[0].n == 0 {
		if l.names(t, layers) {
			return 0
		}
		return 2
	}
	return 1
}

// tells reports whether one of a comment's numbers is the height of the layers it
// stands before, or that and something constant.
func (t *template) tells(heads []int, mains []gcode.Nano) bool {
	at := make(map[int]gcode.Nano, len(heads))
	for g, i := range heads {
		at[i] = mains[g]
	}
	for p := range min(t.occurs[0].n, maxNumbers) {
		fits, of := 0, 0
		for i := 1; i < len(t.occurs); i++ {
			o, was := &t.occurs[i], &t.occurs[i-1]
			dz := int64(at[o.layer] - at[was.layer])
			if of++; dz != 0 && within(o.vals[p]-was.vals[p]-dz, 2000) {
				fits++
			}
		}
		if fits*10 >= of*9 {
			return true
		}
	}
	return false
}

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
	// Where few groups have more than one height, each of those is looked at.
	several := 0
	for g, from := range heads {
		if to := until(heads, g, len(layers)); r.heightsIn(from, to) > 1 {
			several++
		}
	}
	rare, checks, looked, wrong := several*2 < len(heads), 0, 0, 0
	extra, falls := 0, 0
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
		step, base := localStep(mains, g), gcode.Nano(-1)
		to := until(heads, g, len(layers))
		if r.many(from, to, step) { // another file has been joined on, without marks
			if err := r.byHeights(from, to, opens); err != nil {
				return nil, err
			}
			continue
		}
		if rare && g > 0 && r.heightsIn(from, to) > 1 {
			r.setAside(from, to, low+step)
		}
		under := from // the run at that height
		for i := from; i < to; i++ {
			z := layers[i].Z
			if g > 0 && z <= low+eps || r.runs[i].ramp {
				continue
			}
			full := z*5 >= base*5+step*4
			own := base >= 0 && full
			if base >= 0 && z > base+alike && checks < mostChecks && (rare && !full || g == 0) {
				checks++
				var err error
				if own, err = r.stands(under, i, to); err != nil {
					return nil, err
				}
			} else if base >= 0 && z > base+alike && !full && looked < 6 {
				looked++
				on, err := r.stands(under, i, to)
				if err != nil {
					return nil, err
				}
				if on || r.alike(under, i) {
					wrong++
				}
			}
			if own {
				opens[i] = true
				extra++
			}
			if z > base {
				base, under = z, i
			}
		}
	}
	// A comment that stands before every other layer is no mark of layers.
	if extra > len(heads) || falls*3 > len(heads) || wrong*2 > looked {
		return nil, nil
	}
	return opens, nil
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
