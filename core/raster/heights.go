package raster

import (
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Heights is a map of how high plastic stands: one height for each square
// millimetre, in mm. What is added outside the box it was made for is left out.
type Heights struct {
	x0, y0 float64
	w, h   int
	z      []float32
	Top    float64
	seen   [2]int  // quarter of a cell that was drawn last
	seenZ  float32 // at this height
}

// NewHeights returns an empty map for a box.
func NewHeights(box [4]gcode.Nano) *Heights {
	b := &Heights{x0: math.Floor(box[0].Millimetres()) - 2, y0: math.Floor(box[1].Millimetres()) - 2}
	b.w = int(math.Ceil(box[2].Millimetres()-b.x0)) + 3
	b.h = int(math.Ceil(box[3].Millimetres()-b.y0)) + 3
	b.w, b.h = min(max(b.w, 1), maxSide), min(max(b.h, 1), maxSide)
	b.z = make([]float32, b.w*b.h)
	return b
}

// maxSide bounds the map in both directions, mm.
const maxSide = 4000

// The nozzle as it is swept over the bed: a tip of 1 mm across, a cone of 45
// degrees up to ConeHigh, then a block.
const (
	TipHalf   = 0.5
	ConeHigh  = 6.0
	BlockHalf = 20.0
	touching  = 0.05 // how deep a nozzle may lie beside what it touches
)

// Add draws a laying move, one cell wider than it is.
func (b *Heights) Add(m *layer.Move) {
	z := float32(max(m.From[2], m.To[2]).Millimetres())
	n := steps(m.Length() / 0.5)
	for k := 0; k <= n; k++ {
		t := float64(k) / float64(n)
		x := m.From[0].Millimetres() + (m.To[0]-m.From[0]).Millimetres()*t
		y := m.From[1].Millimetres() + (m.To[1]-m.From[1]).Millimetres()*t
		if m.Arc != nil {
			x, y = m.Arc.At(t)
		}
		if at := [2]int{int(x * 4), int(y * 4)}; at == b.seen && z == b.seenZ {
			continue
		} else {
			b.seen, b.seenZ = at, z
		}
		for _, d := range [5][2]float64{{}, {0.4, 0}, {-0.4, 0}, {0, 0.4}, {0, -0.4}} {
			cx, cy := int(x+d[0]-b.x0), int(y+d[1]-b.y0)
			if cx >= 0 && cy >= 0 && cx < b.w && cy < b.h {
				if c := &b.z[cy*b.w+cx]; *c < z {
					*c = z
				}
			}
		}
	}
	b.Top = max(b.Top, float64(z))
}

// Hit is where the head would run into the part.
type Hit struct {
	X, Y    float64 // of the plastic
	Missing float64 // mm that the head would have to be higher
}

// Hits looks whether a head at a place would touch the part with its tip, cone
// or block, and returns the worst place.
func (b *Heights) Hits(x, y, z float64) (Hit, bool) {
	var worst Hit
	if z > b.Top {
		return worst, false
	}
	for cy := max(int(y-BlockHalf-b.y0), 0); cy <= min(int(y+BlockHalf-b.y0), b.h-1); cy++ {
		for cx := max(int(x-BlockHalf-b.x0), 0); cx <= min(int(x+BlockHalf-b.x0), b.w-1); cx++ {
			p := float64(b.z[cy*b.w+cx])
			if p == 0 {
				continue
			}
			px, py := b.x0+float64(cx)+0.5, b.y0+float64(cy)+0.5
			d := max(math.Hypot(px-x, py-y)-0.7, 0)
			free := z + ConeHigh
			switch {
			case d <= TipHalf:
				free = z + touching
			case d < TipHalf+ConeHigh:
				free = z + d - TipHalf
			}
			if miss := p - free; miss > worst.Missing {
				worst = Hit{px, py, miss}
			}
		}
	}
	return worst, worst.Missing > 0
}

// Under returns how high plastic stands under a place, mm; 0 where there is none.
func (b *Heights) Under(x, y float64) float64 {
	cx, cy := int(x-b.x0), int(y-b.y0)
	if x < b.x0 || y < b.y0 || cx >= b.w || cy >= b.h {
		return 0
	}
	return float64(b.z[cy*b.w+cx])
}

// Inside returns the height under a place that does not lie on the edge of what
// stands there: the lowest of the cell and its four neighbours. Drawn wider
// than it is, plastic ends a little before the map says so.
func (b *Heights) Inside(x, y float64) float64 {
	h := b.Under(x, y)
	if h == 0 {
		return 0
	}
	return min(h, b.Under(x-1, y), b.Under(x+1, y), b.Under(x, y-1), b.Under(x, y+1))
}

// Highest returns the highest plastic within rx and ry of a place, mm, and where
// it stands.
func (b *Heights) Highest(x, y, rx, ry float64) (h, hx, hy float64) {
	for cy := max(int(y-ry-b.y0), 0); cy <= min(int(y+ry-b.y0), b.h-1); cy++ {
		for cx := max(int(x-rx-b.x0), 0); cx <= min(int(x+rx-b.x0), b.w-1); cx++ {
			if p := float64(b.z[cy*b.w+cx]); p > h {
				h, hx, hy = p, b.x0+float64(cx)+0.5, b.y0+float64(cy)+0.5
			}
		}
	}
	return h, hx, hy
}

// steps is into how many steps a way is cut; one that no printer can go is not
// followed closely.
func steps(n float64) int { return int(min(n, 20000)) + 1 }
