package bench

import (
	"encoding/binary"
	"slices"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/raster"
)

// cover draws the finished print, or, with cut, what is laid before that layer. With line
// a part begins there too, though no ear does.
//
//	uint32     w, h, k
//	k × 2 uint32     layer and line of each part
//	w·h × uint32     part, 0 for nothing
//	w·h × uint8      shade
func (s *pages) cover(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	view := c.Params("view")
	if !slices.Contains(raster.Views, view) {
		return fiber.NewError(fiber.StatusNotFound, "There is no such view.")
	}
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return err
	}
	end := len(b.Ix.Layers)
	if n, err := strconv.Atoi(c.Query("cut")); err == nil {
		end = min(max(n-1, 0), end)
	}
	line, _ := strconv.ParseInt(c.Query("line"), 10, 64)
	cv, err := s.Pictures.Model(c.Context(), b, m, end, line)
	if err != nil {
		return err
	}
	p := cv.Model.View(view)
	out := binary.LittleEndian.AppendUint32(nil, uint32(p.W))
	out = binary.LittleEndian.AppendUint32(out, uint32(p.H))
	out = binary.LittleEndian.AppendUint32(out, uint32(len(cv.Parts)))
	for _, q := range cv.Parts {
		out = binary.LittleEndian.AppendUint32(out, uint32(q.Layer))
		out = binary.LittleEndian.AppendUint32(out, uint32(q.Line))
	}
	for _, v := range p.Part {
		out = binary.LittleEndian.AppendUint32(out, v)
	}
	c.Set("Content-Type", "application/octet-stream")
	return c.Send(append(out, p.Shade...))
}
