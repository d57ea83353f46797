package landmark

import (
	"fmt"
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Border is a place inside a layer between two groups of paths.
type Border struct {
	Line      int64 // the first line of what follows: its way there, or its first laying move
	Certainty float64
	Reason    string
}

// SkirtEnds is the reason of the border between skirt and part: nobody stops a print there,
// it only tells where the part begins.
const SkirtEnds = "The skirt ends; the part begins"

// group is a run of neighbouring paths.
type group struct {
	line   int64 // line of the travel that leads to it
	box    [4]float64
	laid   float64
	class  layer.Class
	length float64
}

// Groups finds the borders between groups of paths in a layer: islands that lie
// apart, skirt and part, and where the pieces laid so far give way to one that
// surrounds or outweighs them (flush lettering and its ground).
func Groups(moves []layer.Move) []Border {
	gs := groups(moves)
	var out []Border
	for i := 1; i < len(gs); i++ {
		a, b := &gs[i-1], &gs[i]
		switch {
		case a.class == layer.Skirt && b.class != layer.Skirt:
			out = append(out, Border{b.line, 0.9, SkirtEnds})
		case b.length > 4*a.length && around(b.box, a.box):
			n := 0
			for k := i - 1; k >= 0 && around(b.box, gs[k].box) && gs[k].class != layer.Skirt; k-- {
				n++
			}
			what := "One small piece is"
			if n > 1 {
				what = fmt.Sprintf("%d small pieces are", n)
			}
			out = append(out, Border{b.line, min(0.95, 0.7+0.05*float64(n)),
				what + " finished; what surrounds them begins"})
		case apart(a.box, b.box):
			out = append(out, Border{b.line, 0.4, "One island is finished; the next begins"})
		}
	}
	return out
}

// groups joins paths whose boxes meet, in the order they are laid.
func groups(moves []layer.Move) []group {
	var gs []group
	paths := layer.Paths(moves)
	whole := [4]float64{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
	for _, p := range paths {
		if p.Class != layer.Travel {
			whole = join(whole, boxOf(moves[p.From:p.To]))
		}
	}
	way := int64(0)
	for _, p := range paths {
		first := &moves[p.From]
		if p.Class == layer.Travel {
			if way == 0 {
				way = first.Line
			}
			continue
		}
		b := boxOf(moves[p.From:p.To])
		line := first.Line
		if way > 0 {
			line = way
		}
		way = 0
		class := p.Class
		if class != layer.Skirt && p.Closed && len(gs) < 3 && (len(gs) == 0 ||
			gs[len(gs)-1].class == layer.Skirt) && outermost(b, whole) && lonely(moves, paths, b) {
			class = layer.Skirt
		}
		g := group{line, b, p.Laid.Millimetres(), class, p.Length}
		if n := len(gs); n > 0 {
			last := &gs[n-1]
			same := (last.class == layer.Skirt) == (class == layer.Skirt)
			if same && !apart(grow(last.box, 0.3), b) && !(p.Closed && inside(last.box, b)) {
				last.box = join(last.box, b)
				last.laid += g.laid
				last.length += g.length
				continue
			}
		}
		gs = append(gs, g)
	}
	return gs
}

func boxOf(moves []layer.Move) [4]float64 {
	b := [4]float64{math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)}
	for i := range moves {
		m := &moves[i]
		if m.Arc != nil {
			b = join(b, m.Arc.Bounds())
			continue
		}
		for _, p := range [2][3]gcode.Nano{m.From, m.To} {
			x, y := p[0].Millimetres(), p[1].Millimetres()
			b = join(b, [4]float64{x, y, x, y})
		}
	}
	return b
}

func join(a, b [4]float64) [4]float64 {
	return [4]float64{min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])}
}

func grow(a [4]float64, by float64) [4]float64 {
	return [4]float64{a[0] - by, a[1] - by, a[2] + by, a[3] + by}
}

func apart(a, b [4]float64) bool {
	return a[2] < b[0] || b[2] < a[0] || a[3] < b[1] || b[3] < a[1]
}

// around reports whether a reaches further than b on all sides.
func around(a, b [4]float64) bool {
	return a[0] < b[0] && a[1] < b[1] && a[2] > b[2] && a[3] > b[3]
}

// inside reports whether a lies in b with room to spare: the next path begins a
// new thing around what was laid.
func inside(a, b [4]float64) bool { return around(grow(b, -0.6), a) }

func outermost(b, whole [4]float64) bool {
	return b[0] <= whole[0]+0.6 && b[1] <= whole[1]+0.6 && b[2] >= whole[2]-0.6 && b[3] >= whole[3]-0.6
}

// lonely reports whether nothing is laid within a millimetre inside of a loop
// but loops like it: a skirt runs round the part at a distance.
func lonely(moves []layer.Move, paths []layer.Path, b [4]float64) bool {
	for _, p := range paths {
		if p.Class == layer.Travel {
			continue
		}
		o := boxOf(moves[p.From:p.To])
		if p.Closed && (outermost(o, b)) {
			continue
		}
		if !around(grow(b, -1), o) {
			return false
		}
	}
	return true
}
