package apply

import (
	"fmt"
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
)

// ShapeOf looks at five heights of a print and returns what any slicing of the same
// model shows as well.
func ShapeOf(src layer.Source, ix *layer.Index) (*plan.Shape, error) {
	s := &plan.Shape{Height: ix.Height().Millimetres(), Box: layer.NoExtent}
	frame := raster.FrameOf(ix)
	for k := range s.Areas {
		n := ix.Under(ix.Height() * gcode.Nano(2*k+1) / 10)
		moves, err := ix.Decode(src, n)
		if err != nil {
			return nil, err
		}
		s.Box = layer.Extent(s.Box, moves)
		s.Areas[k] = math.Round(raster.NewSection(frame, ix, n, moves).Solid.Area())
	}
	if s.Box[0] > s.Box[2] {
		s.Box = [4]float64{}
	}
	for k := range s.Box {
		s.Box[k] = math.Round(s.Box[k]*100) / 100
	}
	return s, nil
}

// How far two slicings of one model may be apart.
const (
	shapeEdge = 1.4  // mm: walls of another width end further in or out
	shapeArea = 0.35 // share of a section
)

// OtherModel says in words why two shapes are not those of one model; "" when they
// may be. moved says by how much the second stands elsewhere, mm.
func OtherModel(a, b *plan.Shape, thick float64) (why string, moved [2]float64) {
	size := func(s *plan.Shape, k int) float64 { return s.Box[k+2] - s.Box[k] }
	for k := range moved {
		moved[k] = (b.Box[k] + b.Box[k+2] - a.Box[k] - a.Box[k+2]) / 2
	}
	switch {
	case math.Abs(a.Height-b.Height) > max(0.6, 2*thick)+0.01*a.Height:
		return fmt.Sprintf("it was made for a print %.1f mm high, this one is %.1f mm high", a.Height,
			b.Height), moved
	case math.Abs(size(a, 0)-size(b, 0)) > 2*shapeEdge ||
		math.Abs(size(a, 1)-size(b, 1)) > 2*shapeEdge:
		return fmt.Sprintf("it was made for a print of %.0f × %.0f mm, this one has %.0f × %.0f mm",
			size(a, 0), size(a, 1), size(b, 0), size(b, 1)), moved
	}
	off := 0
	for k := range a.Areas {
		if m := max(a.Areas[k], b.Areas[k]); m > 20 && math.Abs(a.Areas[k]-b.Areas[k]) > shapeArea*m {
			off++
		}
	}
	if off > 1 {
		return fmt.Sprintf("at %d of 5 heights the cross-section has another area", off), moved
	}
	return "", moved
}
