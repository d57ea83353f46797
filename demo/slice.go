package demo

import "math"

// Solid is a part: its section at each height.
type Solid struct {
	Layer   float64 // layer height, mm
	First   float64 // first layer's height
	Layers  int
	Walls   int
	Gap     float64 // between fill lines
	Brim    int     // rounds of skirt
	Section func(layer int, z float64) []island
	// FlushFirst lays the islands of layer 1 in the order given, each whole,
	// so that lettering comes before its ground.
	Round bool // sections are circles: may be written as arcs
}

const (
	lineWidth = 0.45
	filament  = 1.75
)

// Truth is what is known of a written file. Lines count from 1.
type Truth struct {
	Layers []TruthLayer
	Prime  [2]int // first and last laying line of the prime line
}

// TruthLayer is one layer as it was written.
type TruthLayer struct {
	Z      float64
	First  int // first and last laying line
	Last   int
	Fold   int // first line behind the wipe or retraction of the layer before
	Number int
	Inside []int // lines at which a further island begins
}

// Slice writes a solid as G-code.
func Slice(s Solid, d Dialect) ([]byte, Truth) {
	w := newWriter(s, d)
	w.start()
	z := 0.0
	for n := 1; n <= s.Layers; n++ {
		h := s.Layer
		if n == 1 {
			h = s.First
		}
		z = math.Round((z+h)*1e4) / 1e4
		w.layer(n, z, h, s.Section(n, z))
	}
	w.finish()
	return w.out, w.truth
}

// layer writes one layer.
func (w *writer) layer(n int, z, h float64, islands []island) {
	w.open(n, z, h)
	if n == 1 && w.solid.Brim > 0 {
		w.label("skirt")
		x0, y0, x1, y1 := bounds(islands)
		for k := range w.solid.Brim {
			m := 4 + float64(w.solid.Brim-1-k)*lineWidth
			w.loop(rect(x0-m, y0-m, x1+m, y1+m), 1200)
		}
	}
	for i, isl := range islands {
		if i > 0 {
			w.island = true
		}
		walls := w.solid.Walls
		for k := range walls {
			if k == 0 {
				w.label("outer wall")
			} else if k == 1 {
				w.label("inner wall")
			}
			in := lineWidth * (float64(k) + 0.5)
			feed := 2400.0
			if k == 0 {
				feed = 1500
			}
			w.loop(isl.outer.inset(in), feed)
			for _, hole := range isl.holes {
				w.loop(hole.inset(in), feed)
			}
		}
		in := lineWidth * (float64(walls) + 0.3)
		rings := []ring{isl.outer.inset(in)}
		for _, hole := range isl.holes {
			rings = append(rings, hole.inset(in))
		}
		gap, word := w.solid.Gap, "fill"
		if isl.solid {
			gap, word = lineWidth, "solid"
		}
		if gap <= 0 {
			continue
		}
		angle := math.Pi / 4
		if n%2 == 0 {
			angle = -angle
		}
		lines := stripes(rings, angle, gap)
		if len(lines) > 0 {
			w.label(word)
		}
		for _, l := range lines {
			w.travel(l[0])
			w.lay(l[1], 3000)
		}
	}
	w.close()
}

func bounds(islands []island) (x0, y0, x1, y1 float64) {
	x0, y0, x1, y1 = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, i := range islands {
		for _, p := range i.outer {
			x0, y0, x1, y1 = min(x0, p.x), min(y0, p.y), max(x1, p.x), max(y1, p.y)
		}
	}
	return
}
