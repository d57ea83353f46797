package demo

import (
	"math"
	"strconv"
	"strings"
)

// turn writes one turn of a spiral: the wall rises by h all along.
func (w *writer) turn(n int, z, h float64, r ring) {
	w.n, w.h = n, h
	w.truth.Layers = append(w.truth.Layers, TruthLayer{Z: z, Fold: w.fold, Number: n - 1 + w.d.First,
		Object: w.object})
	w.cur = &w.truth.Layers[len(w.truth.Layers)-1]
	w.mark(n, z)
	if n == 4 { // from the last flat layer into the spiral
		w.level = z - h
		w.travel(r[0])
		w.push()
	}
	for i := range r {
		p := r[(i+1)%len(r)]
		l := math.Hypot(p.x-w.x, p.y-w.y)
		up := z - h + h*float64(i+1)/float64(len(r))
		f := w.feedWord(w.speed(1500))
		w.note(p, l)
		w.cmd(append([]string{"G1", w.axis("X", p.x, &w.x), w.axis("Y", p.y, &w.y), w.axis("Z", up, &w.z),
			w.filamentWord(w.volume(l))}, f...)...)
	}
	w.level = z
	w.fold = w.line + 1
	if w.d.Clock != "" {
		w.raw(strings.ReplaceAll(w.d.Clock, "#", strconv.FormatFloat(w.seconds, 'f', 2, 64)))
	}
}

// travel goes to p without laying.
func (w *writer) travel(p pt) {
	l := math.Hypot(p.x-w.x, p.y-w.y)
	if l < 0.01 && w.z == w.level {
		return
	}
	if l > 2 && w.cur.First > 0 {
		w.retract(true)
		if w.hop() > 0 && !w.lifted {
			w.cmd("G1", w.axis("Z", w.level+w.hop(), &w.z))
			w.lifted = true
		}
	}
	w.cmd(append([]string{"G0", w.axis("X", p.x, &w.x), w.axis("Y", p.y, &w.y)},
		w.feedWord(9000)...)...)
	if w.lifted {
		w.cmd("G1", w.axis("Z", w.level, &w.z))
		w.lifted = false
	}
	w.push()
	w.path = append(w.path[:0], p)
	if w.island {
		w.cur.Inside = append(w.cur.Inside, w.line+1)
		w.island = false
	}
}

// layPath goes to p laying plastic.
func (w *writer) layPath(p pt, feed float64) {
	w.push()
	l := math.Hypot(p.x-w.x, p.y-w.y)
	if l < 0.02 {
		return
	}
	f := w.feedWord(w.speed(feed))
	w.note(p, l)
	w.cmd(append([]string{"G1", w.axis("X", p.x, &w.x), w.axis("Y", p.y, &w.y),
		w.filamentWord(w.volume(l))}, f...)...)
}

func (w *writer) speed(feed float64) float64 {
	if w.n == 1 {
		return 1200
	}
	return feed
}

// loop lays a closed ring, as two half circles when the dialect has arcs.
func (w *writer) loop(r ring, feed float64) {
	if len(r) < 3 {
		return
	}
	w.travel(r[0])
	if w.d.Arcs && w.solid.Round && len(r) >= 24 {
		n := len(r)
		half := r[n/2]
		cx, cy := (r[0].x+half.x)/2, (r[0].y+half.y)/2
		word := "G3"
		if r.area() < 0 {
			word = "G2"
		}
		for _, to := range []pt{half, r[0]} {
			l := math.Pi * math.Hypot(to.x-w.x, to.y-w.y) / 2
			f := w.feedWord(w.speed(feed))
			w.note(to, l)
			i, j := w.num("I", cx-w.x, 3), w.num("J", cy-w.y, 3)
			w.cmd(append([]string{word, w.axis("X", to.x, &w.x), w.axis("Y", to.y, &w.y), i, j,
				w.filamentWord(w.volume(l))}, f...)...)
		}
		return
	}
	if w.d.Slope > 0 && w.n > 1 && w.level > w.h*1.5 {
		w.slope(r, feed)
		return
	}
	for i := range r {
		w.layPath(r[(i+1)%len(r)], feed)
	}
}

// slope lays a closed ring whose first millimetres rise from the layer below.
func (w *writer) slope(r ring, feed float64) {
	const long = 4.0
	w.push()
	w.cmd(append([]string{"G1", w.axis("Z", w.level-w.h, &w.z)}, w.feedWord(600)...)...)
	gone, k := 0.0, 1 // way gone, and the next point of the slope
	for i := range r {
		a, b := r[i], r[(i+1)%len(r)]
		l := math.Hypot(b.x-a.x, b.y-a.y)
		for ; k <= w.d.Slope && long*float64(k)/float64(w.d.Slope) <= gone+l; k++ {
			t := (long*float64(k)/float64(w.d.Slope) - gone) / l
			w.rise(pt{a.x + (b.x-a.x)*t, a.y + (b.y-a.y)*t}, w.level-w.h+w.h*float64(k)/float64(w.d.Slope),
				feed)
		}
		gone += l
		if k <= w.d.Slope {
			w.rise(b, w.level-w.h+w.h*min(gone/long, 1), feed)
		} else {
			w.layPath(b, feed)
		}
	}
	if w.z != w.level { // a ring shorter than the slope
		w.cmd("G1", w.axis("Z", w.level, &w.z))
	}
}

// rise goes to p and up to z laying plastic.
func (w *writer) rise(p pt, z, feed float64) {
	l := math.Hypot(p.x-w.x, p.y-w.y)
	if l < 0.002 {
		return
	}
	f := w.feedWord(w.speed(feed))
	w.note(p, l)
	w.cmd(append([]string{"G1", w.axis("X", p.x, &w.x), w.axis("Y", p.y, &w.y), w.axis("Z", z, &w.z),
		w.filamentWord(w.volume(l))}, f...)...)
}

// toLevel goes on at another height within a layer.
func (w *writer) toLevel(z float64) {
	if z = math.Round(z*1e3) / 1e3; z == w.level {
		return
	}
	lower := z < w.level
	w.level = z
	w.retract(true)
	if lower { // across first, then down
		w.lifted = true
		return
	}
	w.cmd(append([]string{"G1", w.axis("Z", z+w.hop(), &w.z)}, w.feedWord(600)...)...)
	w.lifted = w.hop() > 0
}
