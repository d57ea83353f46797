package layer

import (
	"math"

	"dogear/core/gcode"
)

// cells are the squares of a grid that something is laid in.
type cells map[[2]int32]struct{}

// footprint returns the squares of a size (mm) in which run i lays plastic.
func (r *reader) footprint(i int, size float64) (cells, error) {
	l := &r.ix.Layers[i]
	out := cells{}
	err := r.ix.Walk(r.src, i+1, l.Last+1, func(line int64, _ []byte, _ *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		if a.Kind == gcode.Lay && line >= l.First {
			out.stroke(a, m, size)
		}
		return true
	})
	return out, err
}

// stroke adds what one move lays.
func (c cells) stroke(a *gcode.Act, m *gcode.Machine, size float64) {
	add := func(x, y float64) {
		c[[2]int32{int32(math.Floor(x / size)), int32(math.Floor(y / size))}] = struct{}{}
	}
	const most = 20_000 // points of one move; a far-off one would fill the memory
	if a.Arc.Turn != 0 {
		n := min(int(a.Arc.Length()/size*2)+1, most)
		for k := range n + 1 {
			add(a.Arc.At(float64(k) / float64(n)))
		}
		return
	}
	x0, y0 := a.From[0].Millimetres(), a.From[1].Millimetres()
	dx, dy := m.Pos[0].Millimetres()-x0, m.Pos[1].Millimetres()-y0
	n := min(int(math.Hypot(dx, dy)/size*2)+1, most)
	for k := range n + 1 {
		t := float64(k) / float64(n)
		add(x0+t*dx, y0+t*dy)
	}
}

// on returns which share of c lies in the squares of o or beside them.
func (c cells) on(o cells) float64 {
	n := 0
	for at := range c {
		if o.near(at) {
			n++
		}
	}
	return float64(n) / float64(max(len(c), 1))
}

// in returns which share of c lies in the squares of o.
func (c cells) in(o cells) float64 {
	n := 0
	for at := range c {
		if _, ok := o[at]; ok {
			n++
		}
	}
	return float64(n) / float64(max(len(c), 1))
}

func (c cells) near(at [2]int32) bool {
	for dx := int32(-1); dx <= 1; dx++ {
		for dy := int32(-1); dy <= 1; dy++ {
			if _, ok := c[[2]int32{at[0] + dx, at[1] + dy}]; ok {
				return true
			}
		}
	}
	return false
}

func (c cells) add(o cells) {
	for at := range o {
		c[at] = struct{}{}
	}
}
