package bench

import (
	"encoding/binary"
	"math"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/landmark"
	"dogear/core/raster"
	"dogear/core/thread"
	"dogear/web/book"
	"dogear/web/site"
)

// threadPath is a thread.Path as the page gets it.
type threadPath struct {
	From   int     `json:"from"` // pieces From … To-1
	To     int     `json:"to"`
	Class  int     `json:"class"`
	Name   string  `json:"name"`
	Line   int64   `json:"line"`  // a stop before this path stands in front of this line
	First  int64   `json:"first"` // its own lines
	Last   int64   `json:"last"`
	Begin  float64 `json:"begin"` // s from the fold of the layer
	End    float64 `json:"end"`
	Length float64 `json:"length"` // mm
	Feed   float64 `json:"feed"`   // mm/s
}

// layerOf returns the layer a request names.
func (s *pages) layerOf(c fiber.Ctx) (*book.Book, int, error) {
	b, err := s.Open(c)
	if err != nil {
		return nil, 0, err
	}
	n, err := strconv.Atoi(c.Params("n"))
	if err != nil || n < 1 || n > len(b.Ix.Layers) {
		return nil, 0, fiber.NewError(fiber.StatusNotFound, "There is no such layer.")
	}
	if c.Query("v") != "" {
		c.Set("Cache-Control", "private, max-age=86400, immutable")
	}
	return b, n, nil
}

// geometry sends one layer as a compact binary, little endian:
//
//	uint32          n, the number of straight pieces
//	n × 4 float32   x0, y0, x1, y1 in mm
//	n × uint32      line
//	n × uint8       class of path (layer.Class)
//	n × uint8       width in 1/50 mm; 0 for travel
func (s *pages) geometry(c fiber.Ctx) error {
	b, n, err := s.layerOf(c)
	if err != nil {
		return err
	}
	t, err := thread.Of(b.Src, b.Ix, n)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/octet-stream")
	out := binary.LittleEndian.AppendUint32(nil, uint32(len(t.Classes)))
	for _, v := range t.XY {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
	}
	for _, v := range t.Lines {
		out = binary.LittleEndian.AppendUint32(out, v)
	}
	return c.Send(append(append(out, t.Classes...), t.Widths...))
}

// thread sends the order in which a layer is laid, and the borders in it.
func (s *pages) thread(c fiber.Ctx) error {
	b, n, err := s.layerOf(c)
	if err != nil {
		return err
	}
	t, err := thread.Timed(b.Src, b.Ix, n)
	if err != nil {
		return err
	}
	paths := []threadPath{}
	for _, p := range t.Paths {
		paths = append(paths, threadPath{p.From, p.To, int(p.Class), p.Class.String(), p.Line, p.First,
			p.Last, p.Begin, p.End, p.Length, p.Feed})
	}
	moves, err := b.Ix.Decode(b.Src, n)
	if err != nil {
		return err
	}
	type border struct {
		Line   int64  `json:"line"`
		Reason string `json:"reason"`
	}
	borders := []border{}
	for _, g := range landmark.Groups(moves) {
		borders = append(borders, border{g.Line, g.Reason})
	}
	return c.JSON(fiber.Map{"seconds": b.Ix.Layers[n-1].Seconds, "paths": paths,
		"borders": borders})
}

// overlay sends where a layer lies over nothing and where it closes an opening
// of the one below: two counts, then stretches of y, x0, x1 (float32, mm).
func (s *pages) overlay(c fiber.Ctx) error {
	b, n, err := s.layerOf(c)
	if err != nil {
		return err
	}
	here, below, err := raster.Sections(b.Src, b.Ix, n)
	if err != nil {
		return err
	}
	return site.SendRuns(c, here.NewHere(below), here.CoveredHere(below))
}

// air sends which paths of a layer lie over nothing for the most part, as their
// numbers on the thread.
func (s *pages) air(c fiber.Ctx) error {
	b, n, err := s.layerOf(c)
	if err != nil {
		return err
	}
	over, err := thread.OverNothing(b.Src, b.Ix, n)
	if err != nil {
		return err
	}
	return c.JSON(append([]int{}, over...))
}
