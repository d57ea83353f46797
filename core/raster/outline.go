// Package raster looks at what a print lays as pictures and outlines.
//
// [Outline] is the silhouette of each layer from the front and from the
// side, [Section] one layer on a grid of cells. Skirts and prime lines are left
// out: they are not the part.
package raster

import (
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Outline is the silhouette of a print. Front holds, for each layer, pairs of
// x in mm between which something is laid; Side the same in y.
type Outline struct {
	Front [][]float32
	Side  [][]float32
	Box   [4]float32 // of the part, without skirt: min x, min y, max x, max y
}

const columns = 240

// NewOutline returns the outline of a print to which no layer has been added.
func NewOutline(ix *layer.Index) *Outline {
	return &Outline{Front: make([][]float32, len(ix.Layers)), Side: make([][]float32, len(ix.Layers))}
}

// Boxes is the outline as far as it is known without looking at the layers: of each its
// box, and of the first two only what lies under the rest, without a skirt round it.
func Boxes(ix *layer.Index) *Outline {
	o := NewOutline(ix)
	part := partBox(ix)
	for i := range ix.Layers {
		b := ix.Layers[i].Box
		if i < 2 && part != ([4]gcode.Nano{}) {
			b = [4]gcode.Nano{max(b[0], part[0]), max(b[1], part[1]), min(b[2], part[2]), min(b[3], part[3])}
		}
		var f [4]float32
		for k := range f {
			f[k] = float32(b[k].Millimetres())
		}
		if f[0] < f[2] {
			o.Front[i] = []float32{f[0], f[2]}
		}
		if f[1] < f[3] {
			o.Side[i] = []float32{f[1], f[3]}
		}
		if i == 0 {
			o.Box = f
		}
		o.Box = [4]float32{min(o.Box[0], f[0]), min(o.Box[1], f[1]), max(o.Box[2], f[2]),
			max(o.Box[3], f[3])}
	}
	return o
}

// Add adds layer n, decoded into moves and their paths.
func (o *Outline) Add(ix *layer.Index, n int, moves []layer.Move, paths []layer.Path) {
	var part [4]gcode.Nano
	if n <= 2 {
		part = partBox(ix)
	}
	var x, y strip
	x.init(ix.Box[0], ix.Box[2])
	y.init(ix.Box[1], ix.Box[3])
	for i := range paths {
		p := &paths[i]
		if p.Class == layer.Travel || p.Class == layer.Skirt || n <= 2 &&
			surrounds(moves[p.From:p.To], part) || moves[p.To-1].Line <= ix.Prime.Last {
			continue
		}
		// What is laid inside of a wall adds nothing.
		if b := millimetres(p.Box()); !p.Bent && o.holds(b) && x.covers(b[0], b[2]) &&
			y.covers(b[1], b[3]) {
			continue
		}
		for i := p.From; i < p.To; i++ {
			m := &moves[i]
			if m.Line <= ix.Prime.Last {
				continue
			}
			b := moveBox(m)
			x.mark(b[0], b[2])
			y.mark(b[1], b[3])
			o.grow(b)
		}
	}
	o.Front[n-1], o.Side[n-1] = x.runs(), y.runs()
}

// grow makes the box hold another one.
func (o *Outline) grow(b [4]float64) {
	if o.Box == [4]float32{} {
		o.Box = [4]float32{float32(b[0]), float32(b[1]), float32(b[2]), float32(b[3])}
	}
	o.Box = [4]float32{min(o.Box[0], float32(b[0])), min(o.Box[1], float32(b[1])),
		max(o.Box[2], float32(b[2])), max(o.Box[3], float32(b[3]))}
}

// holds reports whether another box lies in the box.
func (o *Outline) holds(b [4]float64) bool {
	return o.Box[0] <= float32(b[0]) && o.Box[1] <= float32(b[1]) && o.Box[2] >= float32(b[2]) &&
		o.Box[3] >= float32(b[3])
}

func millimetres(b [4]gcode.Nano) [4]float64 {
	return [4]float64{b[0].Millimetres(), b[1].Millimetres(), b[2].Millimetres(), b[3].Millimetres()}
}

func moveBox(m *layer.Move) [4]float64 {
	if m.Arc != nil {
		return m.Arc.Bounds()
	}
	x0, y0, x1, y1 := m.From[0].Millimetres(), m.From[1].Millimetres(), m.To[0].Millimetres(),
		m.To[1].Millimetres()
	return [4]float64{min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)}
}

// partBox is the box of everything above the first two layers; zero for a
// print that has no more.
func partBox(ix *layer.Index) [4]gcode.Nano {
	var b [4]gcode.Nano
	for n := 2; n < len(ix.Layers); n++ {
		l := ix.Layers[n].Box
		if n == 2 {
			b = l
			continue
		}
		b = [4]gcode.Nano{min(b[0], l[0]), min(b[1], l[1]), max(b[2], l[2]), max(b[3], l[3])}
	}
	return b
}

// SkirtOf returns what tells of a path of layer n whether it is a skirt or a brim: it is laid as
// one, or is a loop round the whole part in one of the two lowest layers.
func SkirtOf(ix *layer.Index, n int, moves []layer.Move) func(p *layer.Path) bool {
	var part [4]gcode.Nano // round nothing there is no loop
	if n <= 2 {
		part = partBox(ix)
	}
	return func(p *layer.Path) bool {
		return p.Class == layer.Skirt || p.Closed && surrounds(moves[p.From:p.To], part)
	}
}

// surrounds reports whether a path runs round the whole part at a distance of
// more than a millimetre, as a skirt does.
func surrounds(path []layer.Move, part [4]gcode.Nano) bool {
	if part == ([4]gcode.Nano{}) {
		return false
	}
	b := moveBox(&path[0])
	for i := range path {
		c := moveBox(&path[i])
		b = [4]float64{min(b[0], c[0]), min(b[1], c[1]), max(b[2], c[2]), max(b[3], c[3])}
	}
	const d = 1
	return b[0] < part[0].Millimetres()-d && b[1] < part[1].Millimetres()-d &&
		b[2] > part[2].Millimetres()+d && b[3] > part[3].Millimetres()+d
}

// strip is a row of columns that are covered or not.
type strip struct {
	lo, step float64
	on       [columns]bool
}

func (s *strip) init(lo, hi gcode.Nano) {
	s.lo = lo.Millimetres()
	s.step = max((hi-lo).Millimetres()/columns, 0.05)
}

// between returns the first and the last column of a stretch, mm.
func (s *strip) between(a, b float64) (int, int) {
	return max(0, int((a-s.lo)/s.step)), min(columns-1, int((b-s.lo)/s.step))
}

func (s *strip) mark(a, b float64) {
	for i, j := s.between(a, b); i <= j; i++ {
		s.on[i] = true
	}
}

// covers reports whether all of a stretch is covered already.
func (s *strip) covers(a, b float64) bool {
	i, j := s.between(a, b)
	for ; i <= j; i++ {
		if !s.on[i] {
			return false
		}
	}
	return true
}

// runs returns the covered stretches, closing gaps of less than two
// millimetres: they are fill, not air.
func (s *strip) runs() []float32 {
	gap := int(math.Ceil(2 / s.step))
	var out []float32
	for i := 0; i < columns; {
		if !s.on[i] {
			i++
			continue
		}
		end := i
		for j := i; j < columns && j-end <= gap; j++ {
			if s.on[j] {
				end = j
			}
		}
		out = append(out, float32(s.lo+float64(i)*s.step), float32(s.lo+float64(end+1)*s.step))
		i = end + 1
	}
	return out
}
