package insert

import (
	"fmt"
	"math"

	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/core/raster"
)

// Watch tells which moves would run into what stands in a print's pockets.
type Watch struct {
	seats  []Seat
	bodies []body // what lies there
	mouths []body // where it can lie: it moves about as far as the pocket lets it
	top    float64
}

// The nozzle as it passes something that stands: half the width of its tip, and
// how near a line may be laid beside it.
const (
	tip  = 0.6
	near = 0.1
)

// NewWatch watches over what sits in some pockets.
func NewWatch(fits []Fit) *Watch {
	w := &Watch{}
	for i := range fits {
		s := fits[i].Seat
		p := s.Pocket
		o := p.At(min(p.LastOpen, p.Widest))
		mouth := body{x: p.Centre[0], y: p.Centre[1]}
		lies := mouth
		switch p.Shape {
		case "round", "ball":
			mouth.round(p.Across)
		case "hex":
			mouth.hex(p.Across, p.Turn)
		default:
			mouth.box(o.Size[0], o.Size[1], p.Turn)
		}
		switch part := &s.Part; {
		case part.Shape == "hex" && p.Shape == "hex":
			lies.hex(part.Across, p.Turn)
		case (part.Shape == "block" || part.Shape == "rect" || part.Shape == "square") &&
			p.Shape == "rect":
			long, short := math.Max(part.Length, part.Across), part.Across
			if o.Size[0] >= o.Size[1] {
				lies.box(long, short, p.Turn)
			} else {
				lies.box(short, long, p.Turn)
			}
		default:
			lies.round(part.Across)
		}
		w.seats, w.bodies, w.mouths = append(w.seats, s), append(w.bodies, lies), append(w.mouths, mouth)
		w.top = math.Max(w.top, s.Top)
	}
	return w
}

// Top is the height of the highest of them.
func (w *Watch) Top() float64 { return w.top }

// Crosses returns how high something stands, mm, that a move between two places
// would run into; 0 when it runs into nothing. Of an arc, pass its pieces.
func (w *Watch) Crosses(from, to [3]gcode.Nano) float64 {
	z := min(from[2], to[2]).Millimetres()
	high := 0.0
	for i := range w.seats {
		if s := &w.seats[i]; s.Top > z+flush && s.Top > high && w.mouths[i].meets(from, to, tip) {
			high = s.Top
		}
	}
	return high
}

// Hits reports whether a line laid between two places would be laid into
// something that stands there, and how far it reaches above the nozzle, mm.
func (w *Watch) Hits(from, to [3]gcode.Nano, height gcode.Nano) float64 {
	z := max(from[2], to[2]).Millimetres()
	worst := 0.0
	for i := range w.seats {
		s, b := &w.seats[i], w.bodies[i]
		low := z - height.Millimetres() // the line's underside
		if s.Top <= low+flush {
			continue
		}
		if s.Part.Shape == "ball" {
			r, middle := s.Part.Across/2, s.Top-s.Part.Across/2
			if d := low - middle; d > 0 && s.Count == 1 {
				b.round(2 * math.Sqrt(math.Max(r*r-d*d, 0)))
			}
		}
		if s.Top-low > worst && b.meets(from, to, -near) {
			worst = s.Top - low
		}
	}
	return worst
}

// Nozzle is the shape above the nozzle's tip: a cone of 45 degrees that begins Tip
// from its middle, and from Free on a block that reaches Reach to each side; mm.
type Nozzle struct{ Tip, Free, Reach float64 }

// Brushed is how far the nozzle's side may come into something without a word, mm:
// what is known of its shape is no better.
const Brushed = 0.2

// NozzleOf is the shape above the tip of a printer's nozzle, as far as it is known.
func NozzleOf(p *plan.Printer) Nozzle {
	n := Nozzle{Tip: raster.TipHalf, Free: raster.ConeHigh, Reach: raster.BlockHalf}
	if p != nil && p.Head[0] > 0 {
		n.Reach = p.Head[0]
	}
	if p != nil && p.Head[1] > 0 {
		n.Free = p.Head[1]
	}
	return n
}

// Brush says in a sentence that the nozzle's side comes into something.
func Brush(ear string, by float64, layer int) string {
	return fmt.Sprintf("What goes in at ear %s stands so near to what is laid beside it that the "+
		"nozzle's side would come up to %.1f mm into it, first in layer %d, if it is a cone of 45 "+
		"degrees. Use a slender nozzle, put it in later, or leave more room round it.", ear, by, layer)
}

// slice is how far apart the heights are at which shapes are compared, mm.
const slice = 0.25

// Brushes returns how far the nozzle's side would come into something that stands
// beside a line that is laid, mm; 0 when it keeps clear. The line is laid level.
func (w *Watch) Brushes(from, to [3]gcode.Nano, shape Nozzle) float64 {
	z := min(from[2], to[2]).Millimetres()
	worst := 0.0
	for i := range w.seats {
		s, b := &w.seats[i], &w.bodies[i]
		high := s.Top - z
		if high <= flush {
			continue
		}
		widest := shape.Tip + math.Min(high, shape.Free)
		if high > shape.Free {
			widest = math.Max(widest, shape.Reach)
		}
		d := b.away(from, to)
		if d >= widest {
			continue
		}
		for h := math.Min(slice, high); ; h = math.Min(h+slice, high) {
			side := shape.Tip + h
			if h > shape.Free {
				side = shape.Reach
			}
			in := 0.0 // by how much it is narrower up there
			if s.Part.Shape == "ball" {
				r := s.Part.Across / 2
				if up := z + h - (s.Top - r); up > 0 {
					in = r - math.Sqrt(math.Max(r*r-up*up, 0))
				}
			}
			// Nothing comes further into it than it is wide there.
			wide := math.Max(s.Part.Across, s.Part.Length) - 2*in
			worst = math.Max(worst, math.Min(side-d-in, wide))
			if h == high {
				break
			}
		}
	}
	return worst
}

// body is what something looks like from above: a circle or a convex polygon.
type body struct {
	x, y, r float64
	pts     [][2]float64 // counter-clockwise; nil for a circle
}

func (b *body) round(across float64) { b.r, b.pts = across/2, nil }

func (b *body) hex(across, turn float64) {
	b.r = across / math.Sqrt(3)
	b.pts = nil
	for k := range 6 {
		s, c := math.Sincos((turn + 60*float64(k)) * math.Pi / 180)
		b.pts = append(b.pts, [2]float64{b.x + b.r*c, b.y + b.r*s})
	}
}

func (b *body) box(w, h, turn float64) {
	b.r = math.Hypot(w, h) / 2
	b.pts = nil
	s, c := math.Sincos(turn * math.Pi / 180)
	for _, q := range [4][2]float64{{-w / 2, -h / 2}, {w / 2, -h / 2}, {w / 2, h / 2},
		{-w / 2, h / 2}} {
		b.pts = append(b.pts, [2]float64{b.x + q[0]*c - q[1]*s, b.y + q[0]*s + q[1]*c})
	}
}

// meets reports whether a straight way comes nearer than by.
func (b *body) meets(from, to [3]gcode.Nano, by float64) bool {
	x0, y0 := from[0].Millimetres(), from[1].Millimetres()
	dx, dy := to[0].Millimetres()-x0, to[1].Millimetres()-y0
	// Nowhere near: the distance of the middle from the way.
	l2 := dx*dx + dy*dy
	t := 0.0
	if l2 > 0 {
		t = math.Max(0, math.Min(1, ((b.x-x0)*dx+(b.y-y0)*dy)/l2))
	}
	d := math.Hypot(x0+t*dx-b.x, y0+t*dy-b.y)
	if d > b.r+by {
		return false
	}
	if b.pts == nil {
		return true
	}
	n := int(math.Sqrt(l2)/0.1) + 1
	for k := 0; k <= min(n, 20000); k++ {
		t := float64(k) / float64(n)
		if b.distance(x0+t*dx, y0+t*dy) < by {
			return true
		}
	}
	return false
}

// away is how far a straight way keeps from it, mm; negative within.
func (b *body) away(from, to [3]gcode.Nano) float64 {
	x0, y0 := from[0].Millimetres(), from[1].Millimetres()
	dx, dy := to[0].Millimetres()-x0, to[1].Millimetres()-y0
	l2 := dx*dx + dy*dy
	t := 0.0
	if l2 > 0 {
		t = math.Max(0, math.Min(1, ((b.x-x0)*dx+(b.y-y0)*dy)/l2))
	}
	round := math.Hypot(x0+t*dx-b.x, y0+t*dy-b.y) - b.r
	if b.pts == nil || round > 30 {
		return round
	}
	out := math.Inf(1)
	n := int(math.Sqrt(l2)/0.25) + 1
	for k := 0; k <= min(n, 5000); k++ {
		t := float64(k) / float64(n)
		out = math.Min(out, b.distance(x0+t*dx, y0+t*dy))
	}
	return out
}

// distance of a place from the outline of a polygon; negative inside.
func (b *body) distance(x, y float64) float64 {
	in, out := math.Inf(-1), math.Inf(1)
	for i, p := range b.pts {
		q := b.pts[(i+1)%len(b.pts)]
		ex, ey := q[0]-p[0], q[1]-p[1]
		l := math.Hypot(ex, ey)
		in = math.Max(in, ((x-p[0])*ey-(y-p[1])*ex)/l)
		t := math.Max(0, math.Min(1, ((x-p[0])*ex+(y-p[1])*ey)/(l*l)))
		out = math.Min(out, math.Hypot(x-p[0]-t*ex, y-p[1]-t*ey))
	}
	if in <= 0 {
		return in
	}
	return out
}

// Pieces calls f for the straight pieces of a move.
func Pieces(from, to [3]gcode.Nano, arc *gcode.Arc, f func(from, to [3]gcode.Nano)) {
	if arc == nil || arc.Turn == 0 {
		f(from, to)
		return
	}
	n := arc.Pieces(0.05)
	last := from
	for k := 1; k <= n; k++ {
		t := float64(k) / float64(n)
		x, y := arc.At(t)
		next := [3]gcode.Nano{gcode.FromMM(x), gcode.FromMM(y),
			from[2] + gcode.Nano(float64(to[2]-from[2])*t)}
		f(last, next)
		last = next
	}
}
