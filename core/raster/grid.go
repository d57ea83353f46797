package raster

import (
	"math"
	"math/bits"
)

// Frame places a grid on the bed: cell (0, 0) begins at X0, Y0.
type Frame struct {
	X0, Y0 float64 // mm
	Cell   float64 // mm
	W, H   int     // cells
}

// maxCells bounds the size of a grid; larger beds get coarser cells.
const maxCells = 2_000_000

// NewFrame returns a frame that covers a box (min x, min y, max x, max y) with
// a margin, in cells of 0.2 mm or as coarse as it takes.
func NewFrame(box [4]float64, margin float64) Frame {
	w, h := box[2]-box[0]+2*margin, box[3]-box[1]+2*margin
	cell := 0.2
	if n := w / cell * h / cell; n > maxCells {
		cell *= math.Sqrt(n / maxCells)
	}
	return Frame{box[0] - margin, box[1] - margin, cell, int(w/cell) + 2, int(h/cell) + 2}
}

// Grid is a set of cells, a bit each.
type Grid struct {
	Frame
	stride int
	rows   []uint64
}

// NewGrid returns an empty grid.
func NewGrid(f Frame) *Grid {
	s := (f.W + 63) / 64
	return &Grid{f, s, make([]uint64, s*f.H)}
}

// Clone returns a copy.
func (g *Grid) Clone() *Grid {
	c := *g
	c.rows = append([]uint64(nil), g.rows...)
	return &c
}

// Has reports whether a cell is in the set; cells outside are not.
func (g *Grid) Has(x, y int) bool {
	return x >= 0 && y >= 0 && x < g.W && y < g.H && g.rows[y*g.stride+x>>6]>>(x&63)&1 == 1
}

// At reports whether the cell at a place in mm is in the set.
func (g *Grid) At(x, y float64) bool {
	return g.Has(int(math.Floor((x-g.X0)/g.Cell)), int(math.Floor((y-g.Y0)/g.Cell)))
}

// span sets the cells x0 … x1 of row y.
func (g *Grid) span(y, x0, x1 int) {
	x0, x1 = max(x0, 0), min(x1, g.W-1)
	if y < 0 || y >= g.H || x0 > x1 {
		return
	}
	row := g.rows[y*g.stride : (y+1)*g.stride]
	a, b := x0>>6, x1>>6
	lo, hi := ^uint64(0)<<(x0&63), ^uint64(0)>>(63-x1&63)
	if a == b {
		row[a] |= lo & hi
		return
	}
	row[a] |= lo
	for i := a + 1; i < b; i++ {
		row[i] = ^uint64(0)
	}
	row[b] |= hi
}

// Line sets all cells whose middle lies within half a width of a segment.
func (g *Grid) Line(x0, y0, x1, y1, width float64) {
	c := 1 / g.Cell
	ax, ay, bx, by := (x0-g.X0)*c, (y0-g.Y0)*c, (x1-g.X0)*c, (y1-g.Y0)*c
	r := width / 2 * c
	dx, dy := bx-ax, by-ay
	l := math.Hypot(dx, dy)
	nx, ny, inv := 0.0, 0.0, 0.0
	if l > 0 {
		nx, ny = -dy/l*r, dx/l*r
	}
	if dy != 0 {
		inv = 1 / dy
	}
	first, last := int(math.Ceil(min(ay, by)-r-0.5)), int(math.Floor(max(ay, by)+r-0.5))
	for y := max(first, 0); y <= min(last, g.H-1); y++ {
		m := float64(y) + 0.5
		// The strip is convex: its cut with a row reaches from the leftmost to
		// the rightmost of the cuts with the two ends and the two long sides.
		lo, hi := math.Inf(1), math.Inf(-1)
		for _, e := range [2][2]float64{{ax, ay}, {bx, by}} {
			if q := r*r - (m-e[1])*(m-e[1]); q >= 0 {
				s := math.Sqrt(q)
				lo, hi = min(lo, e[0]-s), max(hi, e[0]+s)
			}
		}
		if dy != 0 {
			for _, k := range [2]float64{1, -1} {
				if t := (m - ay - k*ny) * inv; t >= 0 && t <= 1 {
					x := ax + k*nx + t*dx
					lo, hi = min(lo, x), max(hi, x)
				}
			}
		}
		if lo <= hi {
			g.span(y, int(math.Ceil(lo-0.5)), int(math.Floor(hi-0.5)))
		}
	}
}

// Or adds b.
func (g *Grid) Or(b *Grid) {
	for i, v := range b.rows {
		g.rows[i] |= v
	}
}

// AndNot takes b away.
func (g *Grid) AndNot(b *Grid) {
	for i, v := range b.rows {
		g.rows[i] &^= v
	}
}

// And keeps what is in b too.
func (g *Grid) And(b *Grid) {
	for i, v := range b.rows {
		g.rows[i] &= v
	}
}

// Count returns the number of cells.
func (g *Grid) Count() int {
	n := 0
	for _, v := range g.rows {
		n += bits.OnesCount64(v)
	}
	return n
}

// Area returns the covered area in mm².
func (g *Grid) Area() float64 { return float64(g.Count()) * g.Cell * g.Cell }

// Not turns the set round.
func (g *Grid) Not() {
	for i := range g.rows {
		g.rows[i] = ^g.rows[i]
	}
	if k := g.W & 63; k != 0 {
		for y := range g.H {
			g.rows[y*g.stride+g.stride-1] &= 1<<k - 1
		}
	}
}

// Dilate grows the set by k cells to all sides (a diamond a step).
func (g *Grid) Dilate(k int) {
	for range k {
		old := append([]uint64(nil), g.rows...)
		for y := range g.H {
			row := g.rows[y*g.stride : (y+1)*g.stride]
			at := old[y*g.stride : (y+1)*g.stride]
			for i := range row {
				v := at[i] | at[i]<<1 | at[i]>>1
				if i > 0 {
					v |= at[i-1] >> 63
				}
				if i+1 < len(at) {
					v |= at[i+1] << 63
				}
				if y > 0 {
					v |= old[(y-1)*g.stride+i]
				}
				if y+1 < g.H {
					v |= old[(y+1)*g.stride+i]
				}
				row[i] = v
			}
			if e := g.W & 63; e != 0 {
				row[len(row)-1] &= 1<<e - 1
			}
		}
	}
}

// andNotNear takes away what lies within k cells of b, as b grown by Dilate would. It costs
// little where there is little in g.
func (g *Grid) andNotNear(b *Grid, k int) {
	for y := range g.H {
		for i := range g.stride {
			v := &g.rows[y*g.stride+i]
			for dy := -k; dy <= k && *v != 0; dy++ {
				if y+dy < 0 || y+dy >= g.H {
					continue
				}
				row := b.rows[(y+dy)*g.stride : (y+dy+1)*g.stride]
				left, right := uint64(0), uint64(0)
				if i > 0 {
					left = row[i-1]
				}
				if i+1 < len(row) {
					right = row[i+1]
				}
				*v &^= row[i]
				for s := 1; s <= k-max(dy, -dy); s++ {
					*v &^= row[i]<<s | left>>(64-s) | row[i]>>s | right<<(64-s)
				}
			}
		}
	}
}

// Erode shrinks the set by k cells from all sides.
func (g *Grid) Erode(k int) {
	g.Not()
	g.Dilate(k)
	g.Not()
}

// near reports whether a cell within k of another is in the set.
func (g *Grid) near(x, y, k int) bool {
	for dy := -k; dy <= k; dy++ {
		for dx := -k; dx <= k; dx++ {
			if dx*dx+dy*dy <= k*k+1 && g.Has(x+dx, y+dy) {
				return true
			}
		}
	}
	return false
}

// next returns the first cell from x on in row y that is set (or not set).
func (g *Grid) next(y, x int, set bool) int {
	row := g.rows[y*g.stride : (y+1)*g.stride]
	for i := x >> 6; i < len(row); i++ {
		v := row[i]
		if !set {
			v = ^v
		}
		if i == x>>6 {
			v &= ^uint64(0) << (x & 63)
		}
		if v != 0 {
			return min(i<<6+bits.TrailingZeros64(v), g.W)
		}
	}
	return g.W
}

// Runs returns the set as stretches in mm: y, x0, x1 of each, row by row.
func (g *Grid) Runs() []float32 {
	var out []float32
	for y := range g.H {
		for x := 0; x < g.W; {
			x = g.next(y, x, true)
			if x >= g.W {
				break
			}
			end := g.next(y, x, false)
			out = append(out, float32(g.Y0+(float64(y)+0.5)*g.Cell), float32(g.X0+float64(x)*g.Cell),
				float32(g.X0+float64(end)*g.Cell))
			x = end
		}
	}
	return out
}
