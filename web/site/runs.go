package site

import (
	"encoding/binary"
	"math"

	"github.com/gofiber/fiber/v3"

	"dogear/core/raster"
)

// SendRuns sends what lies over nothing and what is covered (nil for none): two counts, two
// areas (float32, mm²), then stretches of y, x0, x1 (float32, mm), little endian.
func SendRuns(c fiber.Ctx, fresh, covered *raster.Grid) error {
	var runs [2][]float32
	var areas [2]float32
	var out []byte
	for k, g := range [2]*raster.Grid{fresh, covered} {
		if g != nil {
			runs[k], areas[k] = g.Runs(), float32(g.Area())
		}
		out = binary.LittleEndian.AppendUint32(out, uint32(len(runs[k])/3))
	}
	for _, a := range areas {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(a))
	}
	for _, r := range runs {
		for _, v := range r {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
		}
	}
	c.Set("Content-Type", "application/octet-stream")
	return c.Send(out)
}
