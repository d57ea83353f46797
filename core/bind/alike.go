package bind

import (
	"fmt"
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/raster"
)

// Likeness says whether two files are slicings of one model.
type Likeness struct {
	Boxes  [2][4]float64 // of the parts, min x, min y, max x, max y, mm
	Off    [2]float64    // by how much the second lies further right and further back, mm
	Worst  float64       // share of a section that the other file has nothing near, 0…1
	At     gcode.Nano    // the height of that section
	Level  finding.Level // "", or the level of the finding it makes
	Reason string
}

// Lines of another width end so far inside or outside those of the other file, mm.
const edge = 0.7

// Shares of a section that may be missing in the other: within the first, two
// files are slicings of one model; beyond the second they are not.
const (
	alike   = 0.04
	unalike = 0.25
)

// Compare looks at two files from above and at up to five heights that both
// share, or nearly. Supports, skirts and prime lines are left out.
func Compare(a, b *Piece) (*Likeness, error) {
	l := &Likeness{Boxes: [2][4]float64{layer.NoExtent, layer.NoExtent}}
	top := min(a.Ix.Height(), b.Ix.Height())
	const looks = 5
	for k := range looks {
		z := top * gcode.Nano(2*k+1) / (2 * looks)
		i, j := a.Ix.Under(z), b.Ix.Under(z)
		if s := Shared(a.Ix, b.Ix); len(s) > 0 {
			h := s[Nearest(s, z)]
			i, j = h.A, h.B
		}
		sa, err := section(a, i)
		if err != nil {
			return nil, err
		}
		sb, err := section(b, j)
		if err != nil {
			return nil, err
		}
		for n, m := range [2][]layer.Move{sa, sb} {
			l.Boxes[n] = layer.Extent(l.Boxes[n], m)
		}
		f := coarser(raster.NewFrame(widest(a.Ix.Box, b.Ix.Box), 1.5))
		ga, gb := raster.NewSection(f, a.Ix, i, sa).Solid, raster.NewSection(f, b.Ix, j, sb).Solid
		if share := max(alone(ga, gb), alone(gb, ga)); share > l.Worst {
			l.Worst, l.At = share, a.Ix.Layers[i-1].Z
		}
	}
	p, q := l.Boxes[0], l.Boxes[1]
	l.Off = [2]float64{(q[0] + q[2] - p[0] - p[2]) / 2, (q[1] + q[3] - p[1] - p[3]) / 2}
	sized := math.Abs((q[2]-q[0])-(p[2]-p[0])) < 2*edge && math.Abs((q[3]-q[1])-(p[3]-p[1])) < 2*edge
	away := math.Hypot(l.Off[0], l.Off[1])
	switch {
	case sized && away > edge:
		l.Level, l.Reason = finding.Stop, fmt.Sprintf("%s and %s have the same size, but stand in "+
			"different places: the second is %s. Slice both with the model in one place.", a.Name, b.Name,
			further(l.Off))
	case l.Worst > unalike:
		l.Level, l.Reason = finding.Stop, fmt.Sprintf("%s and %s are not the same model: at %s mm %.0f "+
			"%% of what one lays is not there in the other.", a.Name, b.Name, l.At, l.Worst*100)
	case l.Worst > alike:
		l.Level, l.Reason = finding.Care, fmt.Sprintf("%s and %s differ: at %s mm %.0f %% of what one "+
			"lays is not there in the other. Look at both pages.", a.Name, b.Name, l.At, l.Worst*100)
	}
	return l, nil
}

// coarser is a frame with cells twice as wide: for a comparison that lets edges
// pass that lie up to 0.7 mm apart it will do, and it takes a quarter of the time.
func coarser(f raster.Frame) raster.Frame {
	return raster.Frame{X0: f.X0, Y0: f.Y0, Cell: 2 * f.Cell, W: f.W/2 + 1, H: f.H/2 + 1}
}

func further(off [2]float64) string {
	x, y := "right", "back"
	if off[0] < 0 {
		x = "left"
	}
	if off[1] < 0 {
		y = "to the front"
	}
	switch {
	case math.Abs(off[1]) < 0.05:
		return fmt.Sprintf("%.1f mm further %s", math.Abs(off[0]), x)
	case math.Abs(off[0]) < 0.05:
		return fmt.Sprintf("%.1f mm further %s", math.Abs(off[1]), y)
	}
	return fmt.Sprintf("%.1f mm further %s and %.1f mm further %s", math.Abs(off[0]), x,
		math.Abs(off[1]), y)
}

// section decodes a layer.
func section(p *Piece, n int) ([]layer.Move, error) { return p.Ix.Decode(p.Src, n) }

func widest(a, b [4]gcode.Nano) [4]float64 {
	return [4]float64{min(a[0], b[0]).Millimetres(), min(a[1], b[1]).Millimetres(),
		max(a[2], b[2]).Millimetres(), max(a[3], b[3]).Millimetres()}
}

// alone is the share of a that has nothing of b near.
func alone(a, b *raster.Grid) float64 {
	all := a.Count()
	if all == 0 {
		return 0
	}
	near := b.Clone()
	near.Dilate(max(1, int(edge/b.Cell+0.5)))
	rest := a.Clone()
	rest.AndNot(near)
	return float64(rest.Count()) / float64(all)
}

// InTheAir returns what layer m of a piece would lay over nothing, and nothing
// near, if it came onto layer n of another.
func InTheAir(below *Piece, n int, above *Piece, m int) (*raster.Grid, error) {
	f := raster.NewFrame(widest(below.Ix.Box, above.Ix.Box), 1.5)
	under, err := section(below, n)
	if err != nil {
		return nil, err
	}
	over, err := section(above, m)
	if err != nil {
		return nil, err
	}
	return raster.NewSection(f, above.Ix, m, over).NewHere(raster.NewSection(f, below.Ix, n, under)),
		nil
}
