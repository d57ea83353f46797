package bench_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/demo"
	"dogear/web/bench"
	"dogear/web/book"
	"dogear/web/webtest"
)

// TestFlushFold jumps, in every dialect, to where the letters of the nameplate end and what
// surrounds them begins: the path in front of which the fold stands must be the first of
// the ground, and the one before it the last of the letters.
func TestFlushFold(t *testing.T) {
	for _, d := range demo.Dialects() {
		file, truth := demo.Slice(demo.Nameplate(), d)
		src := bytes.NewReader(file)
		ix, err := layer.Read(context.Background(), src, layer.Options{})
		if err != nil {
			t.Fatal(err)
		}
		r, err := landmark.Find(context.Background(), src, ix, nil)
		if err != nil {
			t.Fatal(err)
		}
		b := &book.Book{Ix: ix, Marks: r}
		moves, err := ix.Decode(src, 1)
		if err != nil {
			t.Fatal(err)
		}
		ground := int64(truth.Layers[0].Inside[4])
		found := false
		for _, m := range bench.Landmarks(b) {
			if m.Line == 0 || m.Line > ground || m.Line <= ground-9 {
				continue
			}
			found = true
			var last, first int64 // laid before the fold, and behind it
			for _, p := range layer.Paths(moves) {
				if p.Class == layer.Travel {
					continue
				}
				if end := moves[p.To-1].Line; end >= m.Line {
					first = moves[p.From].Line
					break
				} else {
					last = end
				}
			}
			if first < ground || last >= ground {
				t.Errorf("%s: at line %d the fold stands between lines %d and %d; the ground begins at %d",
					d.Name, m.Line, last, first, ground)
			}
		}
		if !found {
			t.Errorf("%s: there is no such landmark", d.Name)
		}
	}
}

// TestAreas asks how much of a layer is new over nothing: on a bed so wide that cells are
// coarser, it is as much as on a small one.
func TestAreas(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	for _, far := range []float64{0, 400} {
		// Two posts, and a deck of 10 by 10 mm across them; a speck far away makes the
		// frame wide.
		var b strings.Builder
		b.WriteString("G28\nM83\nM104 S210\n")
		line := func(x0, y0, x1, y1 float64) {
			fmt.Fprintf(&b, "G0 X%.2f Y%.2f F9000\nG1 X%.2f Y%.2f E%.5f F1800\n", x0, y0, x1, y1,
				math.Hypot(x1-x0, y1-y0)*0.45*0.2/2.405)
		}
		for n := 1; n <= 4; n++ {
			fmt.Fprintf(&b, "G1 Z%.1f F600\n", 0.2*float64(n))
			for y := 20.0; y <= 30; y += 0.4 {
				if n < 4 {
					line(18, y, 20, y)
					line(30, y, 32, y)
				} else {
					line(18, y, 32, y)
				}
			}
			line(20+far, 20+far, 22+far, 20+far)
		}
		b.WriteString("M104 S0\n")
		id := c.Upload([]byte(b.String()), "deck.gcode")
		code, body := c.Do("GET", fmt.Sprintf("/prints/%d/layers/4/overlay", id), nil, nil)
		if code != 200 || len(body) < 16 {
			t.Fatal(code, len(body))
		}
		area := math.Float32frombits(binary.LittleEndian.Uint32([]byte(body)[8:]))
		if area < 85 || area > 110 {
			t.Errorf("%g mm wide: %g mm² are new over nothing, about 98 are", far, area)
		}
	}
}
