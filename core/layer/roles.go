package layer

import (
	"math"
	"strings"

	"dogear/core/gcode"
)

// role is how one template behaves over the layers.
type role struct {
	t        *template
	layers   []int // by layer: index into occurs, or -1
	covered  int
	doubles  int
	counting int // number position that counts by one, or -1
	height   int // position that equals Z, or -1
	growing  int // position that only grows, or -1
}

func (l *learner) role(t *template, layers []Layer) role {
	r := role{t: t, counting: -1, height: -1, growing: -1, layers: make([]int, len(layers))}
	for i := range r.layers {
		r.layers[i] = -1
	}
	for k, o := range t.occurs {
		if o.layer < 0 || o.layer >= len(layers) {
			continue
		}
		if r.layers[o.layer] >= 0 {
			r.doubles++
		} else {
			r.covered++
		}
		r.layers[o.layer] = k
	}
	for p := range maxNumbers {
		counts, equal, grows, steps, seen, along := 0, 0, 0, 0, 0, 0
		last := -1
		for i, k := range r.layers {
			if k < 0 || t.occurs[k].n <= p {
				continue
			}
			v := t.occurs[k].vals[p]
			seen++
			if d := v - int64(layers[i].Z); d >= -1000 && d <= 1000 {
				equal++
			}
			if last >= 0 {
				prev := t.occurs[r.layers[last]].vals[p]
				if layers[i].Object != layers[last].Object {
					last = i // each object may be counted anew
					continue
				}
				steps++
				if v-prev == int64(i-last)*1_000_000 {
					counts++
				}
				if v > prev {
					grows++
				}
				if within(v-prev-int64(layers[i].Z-layers[last].Z), 2000) {
					along++
				}
			}
			last = i
		}
		if seen < 2 {
			break
		}
		most := func(n, of int) bool { return n >= of-max(2, of/20) && n*2 > of }
		switch {
		case r.height < 0 && (most(equal, seen) || most(along, steps) && !most(counts, steps)):
			r.height = p // or that and something constant
		case r.counting < 0 && most(counts, steps):
			r.counting = p
		case r.growing < 0 && most(grows, steps):
			r.growing = p
		}
	}
	return r
}

// clock reports whether the number that only grows keeps step with the time at which
// layers begin, and not just with their count or height.
func (r *role) clock(begins []float64) bool {
	if r.growing < 0 || r.height >= 0 {
		return false
	}
	var at, v []float64
	for i, k := range r.layers {
		if k >= 0 && r.t.occurs[k].n > r.growing {
			at = append(at, begins[i])
			v = append(v, float64(r.t.occurs[k].vals[r.growing]))
		}
	}
	if len(v) < 2 {
		return false
	}
	n := len(v) - 1
	all, span := v[n]-v[0], at[n]-at[0]
	for i := range v {
		// How far the clock is, and how far the print.
		if d := (v[i]-v[0])/all - (at[i]-at[0])/span; span > 0 && math.Abs(d) > 0.25 {
			return false
		}
	}
	return true
}

// names reports whether a comment without numbers, which stands once before each
// layer, is the name of its first path rather than a mark of the layer: its words are
// those of paths, or others of its kind stand in the file as often and the head has
// come to the layer's height before it, or it begins as they do. A mark that stands
// before such a name is one all the same.
func (l *learner) names(t *template, layers []Layer) bool {
	if labelClass(t.text) != Other {
		return true
	}
	n := len(t.occurs)
	risen, place := 0, make(map[int]int, n)
	for _, o := range t.occurs {
		if o.layer >= 0 && o.layer < len(layers) {
			from := gcode.Nano(0) // where the head was before it rose
			if o.layer > 0 && layers[o.layer-1].Z < layers[o.layer].Z {
				from = layers[o.layer-1].Z
			}
			if o.z > from+(layers[o.layer].Z-from)/4 {
				risen++
			}
		}
		place[o.layer] = o.order
	}
	head, _, kind := strings.Cut(t.text, ":")
	others, follow := false, 0
	for k := range l.templates {
		o := &l.templates[k]
		if o == t || (o.inner+len(o.occurs))*2 < n || strings.Contains(o.text, "#") {
			continue
		}
		others = true
		if kind && o.inner*2 >= n && strings.HasPrefix(o.text, head+":") {
			return true
		}
		for _, m := range o.occurs {
			if at, ok := place[m.layer]; ok && m.order > at {
				follow++
			}
		}
	}
	return others && follow*2 <= n && risen*2 > n
}

// labels returns the comments without numbers that stand again and again before
// groups of paths: at least two kinds. A comment whose words are those of paths
// may be rare; any other must stand in a quarter of the layers.
func (l *learner) labels(n int, m Marks) []string {
	var out []string
	for k := range l.templates {
		t := &l.templates[k]
		if t.text[0] != ';' || t.text == m.Layer || strings.Contains(t.text, "#") {
			continue
		}
		times := t.inner + len(t.occurs)
		if t.inner > 0 && times >= max(2, n/4) || times > 0 && labelClass(t.text) != Other {
			out = append(out, t.text[1:])
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}
