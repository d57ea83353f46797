package web

import (
	"context"
	"encoding/binary"
	"fmt"
	"slices"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/layer"
	"dogear/core/raster"
)

// cover is a model with the first line of each of its parts.
type cover struct {
	model *raster.Model
	parts []coverPart
}

type coverPart struct {
	layer int
	line  int64 // 0 for the beginning of the layer
}

// keepCovers is how many models are kept: one print is looked at a time.
const keepCovers = 4

// cover draws the finished print, or, with cut, what is laid before that layer. With line
// a part begins there too, though no ear does.
//
//	uint32     w, h, k
//	k × 2 uint32     layer and line of each part
//	w·h × uint32     part, 0 for nothing
//	w·h × uint8      shade
func (s *Server) cover(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	view := c.Params("view")
	if !slices.Contains(raster.Views, view) {
		return fiber.NewError(fiber.StatusNotFound, "There is no such view.")
	}
	m, err := s.marks(c.Context(), b.print.ID)
	if err != nil {
		return err
	}
	end := len(b.ix.Layers)
	if n, err := strconv.Atoi(c.Query("cut")); err == nil {
		end = min(max(n-1, 0), end)
	}
	line, _ := strconv.ParseInt(c.Query("line"), 10, 64)
	cv, err := s.model(c.Context(), b, m, end, line)
	if err != nil {
		return err
	}
	p := cv.model.View(view)
	out := binary.LittleEndian.AppendUint32(nil, uint32(p.W))
	out = binary.LittleEndian.AppendUint32(out, uint32(p.H))
	out = binary.LittleEndian.AppendUint32(out, uint32(len(cv.parts)))
	for _, q := range cv.parts {
		out = binary.LittleEndian.AppendUint32(out, uint32(q.layer))
		out = binary.LittleEndian.AppendUint32(out, uint32(q.line))
	}
	for _, v := range p.Part {
		out = binary.LittleEndian.AppendUint32(out, v)
	}
	c.Set("Content-Type", "application/octet-stream")
	return c.Send(append(out, p.Shade...))
}

// model is the model of layers 1 … end, cut where ears lie inside layers, and in front of
// line unless that is 0.
func (s *Server) model(ctx context.Context, b *book, m *marked, end int, line int64) (*cover,
	error) {
	inside := map[int][]int64{}
	key := fmt.Sprint(b.print.ID, "/", end, "/", b.reading())
	for _, e := range sortedEars(m.plan, b.ix) {
		if n, line := apply.Place(b.ix, &e); line > 0 && n <= end {
			inside[n] = append(inside[n], line)
			key += fmt.Sprint(",", line)
		}
	}
	if n := b.ix.At(line); n > 0 && n <= end && !slices.Contains(inside[n], line) {
		inside[n] = append(inside[n], line)
		slices.Sort(inside[n])
		key += fmt.Sprint("/", line)
	}
	return s.covers.get(ctx, key, func(ctx context.Context) (*cover, error) {
		return newCover(ctx, b, inside, end)
	})
}

// newCover builds a model; inside are the lines at which its layers are cut.
func newCover(ctx context.Context, b *book, inside map[int][]int64, end int) (*cover, error) {
	cv := &cover{model: raster.NewModel(b.ix)}
	for n := 1; n <= end; n++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		moves, err := b.ix.Decode(b.src, n)
		if err != nil {
			return nil, err
		}
		from := int64(0)
		for _, line := range append(slices.Clone(inside[n]), 1<<62) {
			k := slices.IndexFunc(moves, func(v layer.Move) bool { return v.Line >= line })
			if k < 0 {
				k = len(moves)
			}
			cv.model.Add(b.ix, n, moves[:k])
			cv.parts = append(cv.parts, coverPart{n, from})
			moves, from = moves[k:], line
		}
	}
	return cv, nil
}
