package bench

import (
	"encoding/binary"
	"math"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/raster"
	"dogear/web/book"
	"dogear/web/site"
)

// arcPrecision is how far a drawn chord may lie from its arc, mm.
const arcPrecision = 0.01

// sheet is one layer cut into straight pieces, with the paths they belong to.
type sheet struct {
	xy      []float32 // x0, y0, x1, y1 of each piece, mm
	lines   []uint32
	classes []byte // layer.Class
	widths  []byte // 1/50 mm; 0 for travel
	paths   []threadPath
}

// threadPath is one laid path on the thread of a layer. Seconds count from the
// layer's fold.
type threadPath struct {
	From   int     `json:"from"` // pieces From … To-1
	To     int     `json:"to"`
	Class  int     `json:"class"`
	Name   string  `json:"name"`
	Line   int64   `json:"line"`  // a stop before this path stands in front of this line
	First  int64   `json:"first"` // its own lines
	Last   int64   `json:"last"`
	Begin  float64 `json:"begin"`
	End    float64 `json:"end"`
	Length float64 `json:"length"`
	Feed   float64 `json:"feed"` // mm/s
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
	sh, err := newSheet(b, n, false)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/octet-stream")
	out := binary.LittleEndian.AppendUint32(nil, uint32(len(sh.classes)))
	for _, v := range sh.xy {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
	}
	for _, v := range sh.lines {
		out = binary.LittleEndian.AppendUint32(out, v)
	}
	return c.Send(append(append(out, sh.classes...), sh.widths...))
}

// thread sends the order in which a layer is laid, and the borders in it.
func (s *pages) thread(c fiber.Ctx) error {
	b, n, err := s.layerOf(c)
	if err != nil {
		return err
	}
	sh, err := newSheet(b, n, true)
	if err != nil {
		return err
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
	return c.JSON(fiber.Map{"seconds": b.Ix.Layers[n-1].Seconds, "paths": sh.paths,
		"borders": borders})
}

// overlay sends where a layer lies over nothing and where it closes an opening
// of the one below: two counts, then stretches of y, x0, x1 (float32, mm).
func (s *pages) overlay(c fiber.Ctx) error {
	b, n, err := s.layerOf(c)
	if err != nil {
		return err
	}
	section := func(n int) (*raster.Section, error) {
		moves, err := b.Ix.Decode(b.Src, n)
		if err != nil {
			return nil, err
		}
		return raster.NewSection(raster.FrameOf(b.Ix), b.Ix, n, moves), nil
	}
	here, err := section(n)
	if err != nil {
		return err
	}
	// The first layer of an object lies on the bed.
	var below *raster.Section
	if n > 1 && b.Ix.Layers[n-2].Object == b.Ix.Layers[n-1].Object {
		if below, err = section(n - 1); err != nil {
			return err
		}
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
	sh, err := newSheet(b, n, false)
	if err != nil {
		return err
	}
	out := []int{}
	if n > 1 && b.Ix.Layers[n-2].Object == b.Ix.Layers[n-1].Object {
		over, err := raster.OverNothing(b.Src, b.Ix, n)
		if err != nil {
			return err
		}
		for k, p := range sh.paths {
			if over.Share(sh.xy[4*p.From:4*p.To]) > 0.5 {
				out = append(out, k)
			}
		}
	}
	return c.JSON(out)
}

// newSheet cuts layer n into pieces; the times of its paths only when asked.
func newSheet(b *book.Book, n int, timed bool) (*sheet, error) {
	moves, err := b.Ix.Decode(b.Src, n)
	if err != nil {
		return nil, err
	}
	l := &b.Ix.Layers[n-1]
	var times []float64
	if timed {
		if times, err = b.Ix.Times(b.Src, n, moves); err != nil {
			return nil, err
		}
	}
	sh := &sheet{paths: []threadPath{}}
	var part [4]gcode.Nano
	if n <= 2 {
		part = raster.PartBox(b.Ix)
	}
	way := int64(0)
	for _, p := range layer.Paths(moves) {
		class := p.Class
		if n <= 2 && class != layer.Travel && p.Closed && raster.Surrounds(moves[p.From:p.To], part) {
			class = layer.Skirt
		}
		from := len(sh.classes)
		for i := p.From; i < p.To; i++ {
			if m := &moves[i]; m.Line > b.Ix.Prime.Last {
				sh.add(m, class, l)
			}
		}
		if class == layer.Travel {
			// A stop before the next path stands before the way to it, behind the
			// retraction that belongs to the path before.
			for i := p.From; way == 0 && i < p.To; i++ {
				if m := &moves[i]; m.From != m.To {
					way = m.Line
				}
			}
			continue
		}
		if from == len(sh.classes) {
			continue
		}
		t := threadPath{From: from, To: len(sh.classes), Class: int(class), Name: class.String(),
			Line: moves[p.From].Line, First: moves[p.From].Line, Last: moves[p.To-1].Line, Length: p.Length,
			Feed: moves[p.From].Feed.Millimetres() / 60}
		if way > 0 {
			t.Line = way
		}
		way = 0
		if timed {
			end := l.Begin + l.Seconds
			if p.To < len(times) {
				end = times[p.To]
			}
			t.Begin, t.End = times[p.From]-l.Begin, end-l.Begin
		}
		sh.paths = append(sh.paths, t)
	}
	return sh, nil
}

// add cuts one move into straight pieces.
func (sh *sheet) add(m *layer.Move, class layer.Class, l *layer.Layer) {
	w := byte(0)
	if class != layer.Travel {
		w = byte(math.Round(min(m.Width(l.Height, l.Diameter), 5) * 50))
	} else if m.From[0] == m.To[0] && m.From[1] == m.To[1] {
		return
	}
	x, y := m.From[0].Millimetres(), m.From[1].Millimetres()
	put := func(x1, y1 float64) {
		sh.xy = append(sh.xy, float32(x), float32(y), float32(x1), float32(y1))
		sh.lines = append(sh.lines, uint32(m.Line))
		sh.classes, sh.widths = append(sh.classes, byte(class)), append(sh.widths, w)
		x, y = x1, y1
	}
	if m.Arc != nil {
		k := m.Arc.Pieces(arcPrecision)
		for i := 1; i < k; i++ {
			put(m.Arc.At(float64(i) / float64(k)))
		}
	}
	put(m.To[0].Millimetres(), m.To[1].Millimetres())
}
