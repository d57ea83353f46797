package web

import (
	"encoding/binary"
	"math"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/layer"
	"dogear/core/raster"
)

// arcPrecision is how far a drawn chord may lie from its arc, mm.
const arcPrecision = 0.01

// geometry sends one layer as a compact binary, little endian:
//
//	uint32          n, the number of straight pieces
//	n × 4 float32   x0, y0, x1, y1 in mm
//	n × uint32      line
//	n × uint8       class of path (layer.Class)
//	n × uint8       width in 1/50 mm; 0 for travel
func (s *Server) geometry(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(c.Params("n"))
	if err != nil || n < 1 || n > len(b.ix.Layers) {
		return fiber.NewError(fiber.StatusNotFound, "There is no such layer.")
	}
	moves, err := b.ix.Decode(b.src, n)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/octet-stream")
	if c.Query("v") != "" {
		c.Set("Cache-Control", "private, max-age=86400, immutable")
	}
	return c.Send(pieces(b, n, moves))
}

func pieces(b *book, n int, moves []layer.Move) []byte {
	l := &b.ix.Layers[n-1]
	var xy []float32
	var lines []uint32
	var classes, widths []byte
	part := b.ix.Box
	if len(b.ix.Layers) > 2 {
		part = b.ix.Layers[2].Box
	}
	for _, p := range layer.Paths(moves) {
		class := p.Class
		if n <= 2 && class != layer.Way && p.Closed && raster.Surrounds(moves[p.From:p.To], part) {
			class = layer.Skirt
		}
		for _, m := range moves[p.From:p.To] {
			if m.Line <= b.ix.Prime.Last {
				continue
			}
			w := byte(0)
			if class != layer.Way {
				w = byte(math.Round(min(m.Width(l.Height, 1.75), 5) * 50))
			} else if m.From[0] == m.To[0] && m.From[1] == m.To[1] {
				continue
			}
			add := func(x0, y0, x1, y1 float64) {
				xy = append(xy, float32(x0), float32(y0), float32(x1), float32(y1))
				lines = append(lines, uint32(m.Line))
				classes, widths = append(classes, byte(class)), append(widths, w)
			}
			x, y := m.From[0].Millimetres(), m.From[1].Millimetres()
			if m.Arc != nil {
				k := m.Arc.Pieces(arcPrecision)
				for i := 1; i < k; i++ {
					x1, y1 := m.Arc.At(float64(i) / float64(k))
					add(x, y, x1, y1)
					x, y = x1, y1
				}
			}
			add(x, y, m.To[0].Millimetres(), m.To[1].Millimetres())
		}
	}
	out := binary.LittleEndian.AppendUint32(nil, uint32(len(classes)))
	for _, v := range xy {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
	}
	for _, v := range lines {
		out = binary.LittleEndian.AppendUint32(out, v)
	}
	return append(append(out, classes...), widths...)
}
