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
	Round   bool // sections are circles: may be written as arcs

	Heights func(layer int) float64 // height of each layer; nil: First, then Layer
	Spiral  bool                    // from layer 4 on one rising wall
	// inner walls half a layer higher than the rest, behind it
	Raised bool
	Sunk   bool    // fill half a layer lower than the walls, behind them
	Ironed float64 // solid layers are gone over again, so much lower
	// a tower on the side that grows by half a layer each time
	Tower   bool
	Support func(layer int, z float64) []island // laid half a layer lower, before the layer
	// printed one after another, each moved by so much; nil: one
	Copies [][2]float64
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
	Object int   // from 1
	Inside []int // lines at which a further island begins
}

// Slice writes a solid as G-code.
func Slice(s Solid, d Dialect) ([]byte, Truth) {
	w := newWriter(s, d)
	w.start()
	copies := s.Copies
	if copies == nil {
		copies = [][2]float64{{0, 0}}
	}
	for k, by := range copies {
		w.object = k + 1
		if k > 0 {
			w.nextObject()
		}
		z := 0.0
		for n := 1; n <= s.Layers; n++ {
			h := s.Layer
			if s.Heights != nil {
				h = s.Heights(n)
			} else if n == 1 {
				h = s.First
			}
			z = math.Round((z+h)*1e4) / 1e4
			section := moved(s.Section(n, z), by)
			if s.Spiral && n > 3 {
				w.turn(n, z, h, section[0].outer.inset(lineWidth/2))
				continue
			}
			var support []island
			if s.Support != nil {
				support = moved(s.Support(n, z), by)
			}
			w.layer(n, z, h, section, support)
		}
	}
	w.finish()
	return w.out, w.truth
}

func moved(islands []island, by [2]float64) []island {
	shift := func(r ring) ring {
		o := make(ring, len(r))
		for i, p := range r {
			o[i] = pt{p.x + by[0], p.y + by[1]}
		}
		return o
	}
	out := make([]island, len(islands))
	for i, l := range islands {
		out[i] = l
		out[i].outer = shift(l.outer)
		out[i].holes = nil
		for _, h := range l.holes {
			out[i].holes = append(out[i].holes, shift(h))
		}
	}
	return out
}

// layer writes one layer.
func (w *writer) layer(n int, z, h float64, islands, support []island) {
	w.openLayer(n, z, h, len(support) > 0)
	if len(support) > 0 {
		w.label("support")
		for _, s := range support {
			w.loop(s.outer.inset(lineWidth/2), 2400)
		}
		w.cmd(append([]string{"G1", w.axis("Z", z, &w.z)}, w.feedWord(600)...)...)
		w.level = z
		w.h = h
	}
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
		w.toLevel(z)
		w.walls(isl, 0, 1)
		if !w.solid.Raised {
			w.walls(isl, 1, w.solid.Walls)
		}
		if w.solid.Sunk {
			w.toLevel(z - h/2)
		}
		w.fill(n, isl)
		if w.solid.Ironed > 0 && isl.solid {
			w.toLevel(z - w.solid.Ironed)
			w.h = h / 10
			w.fill(n+1, isl)
			w.h = h
		}
		if w.solid.Raised {
			w.toLevel(z + h/2)
			w.walls(isl, 1, w.solid.Walls)
		}
	}
	if w.solid.Tower {
		_, y0, x1, _ := bounds(islands)
		w.toLevel(float64(n+1) * h / 2)
		w.label("wiping block")
		w.loop(rect(x1+12, y0, x1+20, y0+8), 2400)
	}
	w.close()
}

// walls lays the walls from … to-1 of an island, counted from the outer one.
func (w *writer) walls(isl island, from, to int) {
	for k := from; k < to; k++ {
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
}

// fill lays what is inside the walls of an island.
func (w *writer) fill(n int, isl island) {
	in := lineWidth * (float64(w.solid.Walls) + 0.3)
	rings := []ring{isl.outer.inset(in)}
	for _, hole := range isl.holes {
		rings = append(rings, hole.inset(in))
	}
	gap, word := w.solid.Gap, "fill"
	if isl.solid {
		gap, word = lineWidth, "solid"
	}
	if gap <= 0 {
		return
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
		w.layPath(l[1], 3000)
	}
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
