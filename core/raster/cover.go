package raster

import (
	"math"

	"dogear/core/layer"
)

// Model is a print seen from outside: which part of it is met first from above,
// from below, from the front and from the side. Add its parts from the bed
// upward, then ask for a View.
//
// A part is a layer, or a piece of one when the colour changes inside it; parts
// are numbered from 1 in the order they are added.
type Model struct {
	Frame
	top    []uint32 // by cell: the part that lies highest, 0 for none
	bottom []uint32
	tops   []float32 // by part: height of its upper side, mm
	foots  []float32 // by part: height of its lower side
	front  [][]int16 // by part, by column: nearest row plus 1, 0 for none
	side   [][]int16 // by part, by row: nearest column from the right plus 1
	grid   *Grid
	left   [4]int // cells that are used: min x, min y, max x, max y
}

// modelCells bounds a model's width and depth in cells.
const modelCells = 420

// NewModel returns an empty model of a print.
func NewModel(ix *layer.Index) *Model {
	f := FrameOf(ix)
	if n := max(f.W, f.H); n > modelCells {
		k := float64(n) / modelCells
		f.Cell *= k
		f.W, f.H = int(float64(f.W)/k)+1, int(float64(f.H)/k)+1
	}
	return &Model{Frame: f, top: make([]uint32, f.W*f.H), bottom: make([]uint32, f.W*f.H),
		grid: NewGrid(f), left: [4]int{f.W, f.H, 0, 0}}
}

// Add adds a part: moves of layer n. Skirts and prime lines are left out.
func (m *Model) Add(ix *layer.Index, n int, moves []layer.Move) {
	l := &ix.Layers[n-1]
	clear(m.grid.rows)
	strokes := strokesOf(ix, n, moves, layer.Paths(moves))
	for i := range strokes.paths {
		strokes.draw(m.grid, &strokes.paths[i], 1.05*m.Cell)
	}
	id := uint32(len(m.tops) + 1)
	m.tops = append(m.tops, float32(l.Z.Millimetres()))
	m.foots = append(m.foots, float32((l.Z - l.Height).Millimetres()))
	front, side := make([]int16, m.W), make([]int16, m.H)
	for y := range m.H {
		for x := 0; x < m.W; {
			x = m.grid.next(y, x, true)
			if x >= m.W {
				break
			}
			end := m.grid.next(y, x, false)
			for ; x < end; x++ {
				k := y*m.W + x
				m.top[k] = id
				if m.bottom[k] == 0 {
					m.bottom[k] = id
				}
				if front[x] == 0 {
					front[x] = int16(y + 1)
				}
				side[y] = int16(x + 1)
				m.left = [4]int{min(m.left[0], x), min(m.left[1], y), max(m.left[2], x), max(m.left[3], y)}
			}
		}
	}
	m.front, m.side = append(m.front, front), append(m.side, side)
}

// Picture is a view as parts and shades: 0 is nothing, Shade runs from 0 (dark)
// over 128 (as the filament is) to 255.
type Picture struct {
	W, H  int
	Part  []uint32
	Shade []uint8
}

// Views are the names that View knows.
var Views = []string{"above", "below", "front", "side", "slant"}

// View draws the model. Rows run from the top of the picture down. It returns
// an empty picture for an empty model.
func (m *Model) View(name string) Picture {
	if m.left[0] > m.left[2] {
		return Picture{}
	}
	switch name {
	case "below":
		return m.flat(m.bottom, m.foots, true)
	case "front":
		return m.upright(m.front, m.left[0], m.left[2], false)
	case "side":
		return m.upright(m.side, m.left[1], m.left[3], true)
	case "slant":
		return m.slant()
	}
	return m.flat(m.top, m.tops, false)
}

// edge is a jump in depth, mm, that is drawn as a line.
const edge = 0.3

// shade lights a place by how depth changes towards its left and upper
// neighbour, softly; a jump makes a dark line.
func shade(dx, dy float64) uint8 {
	if math.Abs(dx) > edge || math.Abs(dy) > edge {
		return 70
	}
	return uint8(max(40, min(230, 128+90*(dx-dy)/edge)))
}

func (m *Model) flat(parts []uint32, heights []float32, mirrored bool) Picture {
	x0, y0, x1, y1 := m.left[0], m.left[1], m.left[2], m.left[3]
	p := Picture{W: x1 - x0 + 1, H: y1 - y0 + 1}
	p.Part, p.Shade = make([]uint32, p.W*p.H), make([]uint8, p.W*p.H)
	sign := 1.0
	if mirrored {
		sign = -1
	}
	z := func(x, y int) (float64, bool) {
		if x < 0 || y < 0 || x >= m.W || y >= m.H || parts[y*m.W+x] == 0 {
			return 0, false
		}
		return sign * float64(heights[parts[y*m.W+x]-1]), true
	}
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			id := parts[y*m.W+x]
			if id == 0 {
				continue
			}
			k := (y1-y)*p.W + x - x0
			if mirrored {
				k = (y1-y)*p.W + x1 - x
			}
			here, _ := z(x, y)
			dx, dy := 0.0, 0.0
			if v, ok := z(x-1, y); ok {
				dx = v - here
			} else {
				dx = 2 * edge
			}
			if v, ok := z(x, y+1); ok {
				dy = here - v
			} else {
				dy = 2 * edge
			}
			p.Part[k], p.Shade[k] = id, shade(dx, dy)
		}
	}
	return p
}

// row returns the part whose height holds z, going on from part i.
func (m *Model) row(z float32, i int) int {
	for i > 0 && m.foots[i] > z {
		i--
	}
	for i+1 < len(m.tops) && m.tops[i] <= z {
		i++
	}
	return i
}

// upright draws the view from the front or the right side.
func (m *Model) upright(near [][]int16, from, to int, right bool) Picture {
	high := float32(0)
	for _, t := range m.tops {
		high = max(high, t)
	}
	p := Picture{W: to - from + 1, H: max(1, int(math.Ceil(float64(high)/m.Cell)))}
	p.Part, p.Shade = make([]uint32, p.W*p.H), make([]uint8, p.W*p.H)
	depth := func(i, c int) (float64, bool) {
		if i < 0 || c < 0 || c >= len(near[i]) || near[i][c] == 0 {
			return 0, false
		}
		d := float64(near[i][c]) * m.Cell
		if right {
			d = -d
		}
		return d, true
	}
	i := 0
	last := -1
	for r := range p.H {
		z := (float32(r) + 0.5) * float32(m.Cell)
		i = m.row(z, i)
		for c := from; c <= to; c++ {
			here, ok := depth(i, c)
			if !ok {
				continue
			}
			k := (p.H-1-r)*p.W + c - from
			dx, dz := 0.0, 0.0
			if v, ok := depth(i, c-1); ok {
				dx = (here - v) / 2 // walls seen at a slant are no edges
			} else {
				dx = 2 * edge
			}
			if v, ok := depth(last, c); ok && last >= 0 {
				dz = (here - v) / 3
			}
			p.Part[k], p.Shade[k] = uint32(i+1), shade(max(-0.29, min(dx, 2*edge)),
				max(-0.29, min(dz, 2*edge)))
		}
		last = i
	}
	return p
}

// slant draws the model from the front and above: each column of cells from
// the back to the front, its top and the wall under it.
func (m *Model) slant() Picture {
	const lean = 0.5 // a step to the back is half a step up
	x0, y0, x1, y1 := m.left[0], m.left[1], m.left[2], m.left[3]
	high := float32(0)
	for _, t := range m.tops {
		high = max(high, t)
	}
	rows := func(z float32) int { return int(float64(z) / m.Cell * 0.9) }
	p := Picture{W: x1 - x0 + 1, H: rows(high) + int(float64(y1-y0)*lean) + 2}
	p.Part, p.Shade = make([]uint32, p.W*p.H), make([]uint8, p.W*p.H)
	for y := y1; y >= y0; y-- {
		base := int(float64(y-y0) * lean)
		for x := x0; x <= x1; x++ {
			id := m.top[y*m.W+x]
			if id == 0 {
				continue
			}
			foot := rows(m.foots[m.bottom[y*m.W+x]-1])
			up := rows(m.tops[id-1])
			i := int(id) - 1
			left := m.W // height of the neighbour to the left, for the light
			if x > x0 {
				if l := m.top[y*m.W+x-1]; l > 0 {
					left = rows(m.tops[l-1])
				} else {
					left = -1
				}
			}
			for r := up; r >= foot; r-- {
				k := (p.H-1-base-r)*p.W + x - x0
				if k < 0 || k >= len(p.Part) {
					continue
				}
				s := uint8(104)
				if r == up {
					s = 150
				} else if x == x0 || left < r {
					s = 128
				}
				if r < up {
					i = m.row(float32(r)*float32(m.Cell)/0.9, i)
					p.Part[k] = uint32(i + 1)
				} else {
					p.Part[k] = id
				}
				p.Shade[k] = s
			}
		}
	}
	return p
}
