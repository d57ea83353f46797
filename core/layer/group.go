package layer

import (
	"fmt"

	"dogear/core/finding"
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
		if d := t.Z - l.Z; (d > alike || d < -alike) && last != len(keep) && !r.turns.vase {
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
		r.note(finding.Note, "heights-in-between", keep[0].First,
			which+" something is laid at other heights "+
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
	if r.turns.vase {
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
