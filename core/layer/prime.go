package layer

import (
	"dogear/core/gcode"
)

// primes finds the leading chains that lie beside everything laid higher up
// (or, when nothing is, beside everything laid later). It returns how many
// leading layers consist of nothing else.
func (r *reader) primes() int {
	if len(r.chains) == 0 {
		return 0
	}
	layers := r.ix.Layers
	z0 := layers[0].Z
	var body [4]gcode.Nano
	have := false
	add := func(b [4]gcode.Nano) {
		if !have {
			body, have = b, true
		} else {
			body = union(body, b)
		}
	}
	for i := range layers {
		if layers[i].Z > z0+eps && layers[i].Moves > 0 {
			add(layers[i].Box)
		}
	}
	for _, c := range r.chains {
		if layers[c.layer].Z > z0+eps {
			add(c.box)
		}
	}
	flat := !have
	n := 0
	for n < len(r.chains) {
		if flat {
			have = false
			for _, c := range r.chains[n+1:] {
				add(c.box)
			}
			for i := range layers {
				if layers[i].Moves > 0 {
					add(layers[i].Box)
				}
			}
			if !have {
				break
			}
		}
		if !apart(r.chains[n].box, body, gcode.MM) {
			break
		}
		n++
	}
	if n == 0 {
		return 0
	}
	r.ix.Prime = Span{r.chains[0].first, r.chains[n-1].last}
	r.chains = r.chains[n:]
	keep := len(layers)
	if len(r.chains) > 0 {
		keep = r.chains[0].layer
	} else {
		for i := range layers {
			if layers[i].Moves > 0 {
				keep = i
				break
			}
		}
	}
	return min(keep, len(layers))
}

func apart(a, b [4]gcode.Nano, grow gcode.Nano) bool {
	return a[2]+grow < b[0] || a[0]-grow > b[2] || a[3]+grow < b[1] || a[1]-grow > b[3]
}

// spread books the chains that are no prime lines into their layers. The first
// of a layer also tells where that layer begins.
func (r *reader) spread(drop int) {
	seen := map[int]bool{}
	for _, c := range r.chains {
		l := &r.ix.Layers[c.layer]
		if !seen[c.layer] {
			seen[c.layer] = true
			if c.layer == drop && r.ix.Prime.Last > 0 || c.layer == 0 {
				// What was noted at the layer's opening may belong to a prime line.
				l.Tool, l.Nozzle, l.Bed, l.Fan = c.state.tool, c.state.nozzle, c.state.bed, c.state.fan
				r.gaps[c.layer] = nil
				l.stand(c.start)
			}
			if l.Moves == 0 || c.first < l.First {
				l.First = c.first
			}
		}
		if l.Moves == 0 {
			l.Box, l.Last = c.box, c.last
		} else {
			l.Box = union(l.Box, c.box)
			l.Last = max(l.Last, c.last)
		}
		l.Moves += c.moves
		l.Filament += c.laid
	}
}

// forget removes the leading layers that were prime lines.
func (r *reader) forget(drop int) {
	ix := r.ix
	ix.Layers = ix.Layers[drop:]
	r.gaps = r.gaps[drop:]
	r.p.begins = r.p.begins[drop:]
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
	for i := range ix.Stops {
		ix.Stops[i].Before = max(ix.Stops[i].Before-drop, 0)
	}
}
