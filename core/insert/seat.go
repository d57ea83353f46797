package insert

import (
	"math"

	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Seat is where a part comes to lie in a pocket.
type Seat struct {
	Pocket *landmark.Pocket
	Part   plan.InsertPart
	Count  int     // of them, lying on one another
	Rest   float64 // height of its underside
	Top    float64 // and of its top
	Side   float64 // room at each side; negative when it is wider than the pocket
	Narrow int     // the layer that does not let it through; 0 when it passes
}

// SeatOf lets a part down into a pocket as it is when the printer stops before
// layer n: it comes to lie on the floor, or where the pocket gets too narrow.
func SeatOf(ix *layer.Index, p *landmark.Pocket, part *plan.InsertPart, count, n int) Seat {
	s := Seat{Pocket: p, Part: *part, Count: max(count, 1), Rest: p.FloorZ, Side: math.Inf(1)}
	top := min(n-1, p.LastOpen)
	if part.Shape == "ball" {
		s.ball(ix, top)
		return s
	}
	first := p.FirstOpen
	for k := top; k >= p.FirstOpen; k-- { // the highest layer too narrow for it holds it up
		if room(p.Shape, p.At(k), part) < -press {
			l := &ix.Layers[k-1]
			s.Rest, first = l.Z.Millimetres(), k+1
			if k == top {
				s.Narrow = k
			}
			break
		}
	}
	for k := first; k <= top; k++ {
		s.Side = math.Min(s.Side, room(p.Shape, p.At(k), part))
	}
	if s.Narrow > 0 || math.IsInf(s.Side, 1) {
		s.Side = room(p.Shape, p.At(max(top, p.FirstOpen)), part)
	}
	s.Side = hundredth(s.Side)
	s.Top = s.Rest + part.Height*float64(s.Count)
	return s
}

// ball lets a ball down. It touches a section of half width w at the height of
// its middle less √(r² − w²), so its middle lies at the highest that any section
// up to the widest asks for; what narrows above that must still let it through.
func (s *Seat) ball(ix *layer.Index, top int) {
	p, r := s.Pocket, s.Part.Across/2
	half := func(k int) float64 {
		if o := p.At(k); p.Shape == "ball" || p.Shape == "round" {
			return o.Across / 2
		} else {
			return o.Inscribed / 2
		}
	}
	middle, wide := p.FloorZ+r, 0.0
	for k := p.FirstOpen; k <= min(top, p.Widest); k++ {
		w := half(k)
		wide = math.Max(wide, w)
		if w < r {
			l := &ix.Layers[k-1]
			middle = math.Max(middle, (l.Z-l.Height/2).Millimetres()+math.Sqrt(r*r-w*w))
		}
	}
	if p.Shape == "ball" && top >= p.Widest {
		wide = p.Across / 2
	}
	s.Side = hundredth(wide - r)
	for k := p.Widest; k <= top; k++ {
		if math.Min(half(k), wide) < r-press {
			s.Narrow = k
		}
	}
	s.Rest = middle - r
	s.Top = middle + r + 2*r*float64(s.Count-1)
}

// room is how much is free at each side of a part in an opening. A nut in a
// hexagon lies flat to flat; anywhere else it turns, and its corners count.
func room(shape string, o landmark.Opening, part *plan.InsertPart) float64 {
	short, long := math.Min(o.Size[0], o.Size[1]), math.Max(o.Size[0], o.Size[1])
	inner := o.Inscribed
	if shape == "round" || shape == "ball" {
		inner = o.Across
	}
	corner := part.Across / math.Cos(math.Pi/6)
	switch part.Shape {
	case "hex":
		switch shape {
		case "hex":
			return (o.Across - part.Across) / 2
		case "rect": // flat to flat across, corner to corner along
			return math.Min(short-part.Across, long-corner) / 2
		}
		return (inner - corner) / 2
	case "square":
		if shape == "rect" {
			return (short - part.Across) / 2
		}
		return (inner - part.Across*math.Sqrt2) / 2
	case "block", "rect":
		l := math.Max(part.Length, part.Across)
		if shape == "rect" {
			return math.Min(short-math.Min(part.Across, l), long-l) / 2
		}
		return (inner - math.Hypot(l, part.Across)) / 2
	}
	return (inner - part.Across) / 2
}

// Proud is how far it stands above the layer below n, mm.
func (s *Seat) Proud(ix *layer.Index, n int) float64 {
	l := &ix.Layers[n-1]
	return math.Max(0, s.Top-(l.Z-l.Height).Millimetres())
}

// Until is the first layer from n on whose top is not below it: from there on
// the plastic has caught up. 0 when none is.
func (s *Seat) Until(ix *layer.Index, n int) int {
	for k := n; k <= len(ix.Layers); k++ {
		if ix.Layers[k-1].Z.Millimetres() >= s.Top-flush {
			return k
		}
	}
	return 0
}

func hundredth(v float64) float64 { return math.Round(v*100) / 100 }
