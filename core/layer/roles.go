package layer

import (
	"strings"
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
		counts, equal, grows, steps, seen := 0, 0, 0, 0, 0
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
			}
			last = i
		}
		if seen < 2 {
			break
		}
		most := func(n, of int) bool { return n >= of-max(2, of/20) && n*2 > of }
		switch {
		case r.height < 0 && most(equal, seen):
			r.height = p
		case r.counting < 0 && most(counts, steps):
			r.counting = p
		case r.growing < 0 && most(grows, steps):
			r.growing = p
		}
	}
	return r
}

// names reports whether a comment without numbers, which stands once before
// each layer, is the name of its first path rather than a mark of the layer:
// its words are those of paths, or it begins like comments that stand inside
// layers, or the head is at the layer's height already while others stand inside.
func (l *learner) names(t *template, layers []Layer) bool {
	n := len(layers)
	if labelClass(t.text) != Other {
		return true
	}
	head, _, kind := strings.Cut(t.text, ":")
	risen := 0
	for _, o := range t.occurs {
		if o.layer >= 0 && o.layer < n && o.z == layers[o.layer].Z {
			risen++
		}
	}
	for k := range l.templates {
		o := &l.templates[k]
		if o.inner < len(t.occurs)/2 || strings.Contains(o.text, "#") {
			continue
		}
		if kind && strings.HasPrefix(o.text, head+":") || risen*2 > len(t.occurs) {
			return true
		}
	}
	return false
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
