package raster

import (
	"context"
	"strings"
	"testing"

	"dogear/core/layer"
)

// stepped is a block of 20 by 3 mm, 1 mm high, that is 2 mm high on the left 5 mm:
// five layers and five more.
func stepped(t *testing.T) (*Model, *layer.Index) {
	t.Helper()
	var b strings.Builder
	b.WriteString("M83\n")
	line := func(x0, y, x1, e string) {
		b.WriteString("G0 X" + x0 + " Y" + y + "\nG1 X" + x1 + " Y" + y + " E" + e + "\n")
	}
	for n := 1; n <= 10; n++ {
		b.WriteString("G1 Z" + string(rune('0'+n*2/10)) + "." + string(rune('0'+n*2%10)) + "\n")
		for _, y := range []string{"0.2", "0.6", "1.0", "1.4", "1.8", "2.2", "2.6", "3.0"} {
			if n <= 5 {
				line("0", y, "20", ".75")
			} else {
				line("0", y, "5", ".19")
			}
		}
	}
	b.WriteString("M104 S0\n")
	src := strings.NewReader(b.String())
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil || len(ix.Layers) != 10 {
		t.Fatal(len(ix.Layers), err)
	}
	m := NewModel(ix)
	for n := 1; n <= 10; n++ {
		moves, err := ix.Decode(src, n)
		if err != nil {
			t.Fatal(err)
		}
		m.Add(ix, n, moves)
	}
	return m, ix
}

func TestViews(t *testing.T) {
	m, _ := stepped(t)
	at := func(p Picture, fx, fy float64) uint32 {
		return p.Part[int(fy*float64(p.H-1))*p.W+int(fx*float64(p.W-1))]
	}
	for _, c := range []struct {
		view   string
		fx, fy float64 // shares of width and height, from the upper left corner
		want   uint32
	}{
		{"above", 0.1, 0.5, 10}, {"above", 0.7, 0.5, 5},
		{"below", 0.9, 0.5, 1}, {"below", 0.2, 0.5, 1},
		{"front", 0.1, 0.05, 10}, {"front", 0.1, 1, 1}, {"front", 0.7, 0.6, 5}, {"front", 0.7, 0.2, 0},
		{"side", 0.5, 1, 1}, {"side", 0.5, 0.05, 10},
	} {
		t.Run(c.view, func(t *testing.T) {
			p := m.View(c.view)
			if p.W < 10 || p.H < 5 || len(p.Part) != p.W*p.H || len(p.Shade) != len(p.Part) {
				t.Fatalf("%d × %d", p.W, p.H)
			}
			if got := at(p, c.fx, c.fy); got != c.want {
				t.Errorf("%s at %v, %v: part %d, want %d", c.view, c.fx, c.fy, got, c.want)
			}
		})
	}
	seen := map[uint32]bool{}
	for _, id := range m.View("slant").Part {
		seen[id] = true
	}
	for id := uint32(1); id <= 10; id++ {
		if !seen[id] {
			t.Errorf("part %d cannot be seen at a slant", id)
		}
	}
	if p := NewModel(&layer.Index{}).View("above"); p.W != 0 {
		t.Error("an empty model is seen")
	}
}

// TestRaisedPartsRead checks that a step of the same colour has a line.
func TestRaisedPartsRead(t *testing.T) {
	m, _ := stepped(t)
	p := m.View("above")
	y := p.H / 2
	dark := 0
	for x := p.W / 8; x < p.W/2; x++ {
		if p.Shade[y*p.W+x] < 100 {
			dark++
		}
	}
	if dark == 0 || dark > 3 {
		t.Errorf("the step shows as %d dark cells", dark)
	}
}
