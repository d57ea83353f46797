package raster

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/layer"
)

// file collects moves of a sliced file.
type file struct{ strings.Builder }

func (f *file) loop(x0, y0, x1, y1 float64) {
	fmt.Fprintf(f, "G0 X%.2f Y%.2f\n", x0, y0)
	last := [2]float64{x0, y0}
	for _, p := range [][2]float64{{x1, y0}, {x1, y1}, {x0, y1}, {x0, y0}} {
		// Lines 0.45 wide in a layer of 0.2.
		fmt.Fprintf(f, "G1 X%.2f Y%.2f E%.4f\n", p[0], p[1],
			math.Hypot(p[0]-last[0], p[1]-last[1])*0.45*0.2/2.405)
		last = p
	}
}

func (f *file) line(x0, y0, x1, y1 float64) {
	fmt.Fprintf(f, "G0 X%.2f Y%.2f\nG1 X%.2f Y%.2f E%.4f\n", x0, y0, x1, y1,
		math.Hypot(x1-x0, y1-y0)*0.45*0.2/2.405)
}

// box is a block of 30 by 20 mm with a window of 8 by 6 in its middle, filled
// sparsely; hole says whether the window is open.
func (f *file) box(hole bool) {
	f.loop(0.2, 0.2, 29.8, 19.8)
	if hole {
		f.loop(10.8, 6.8, 19.2, 13.2)
	}
	for x := 2.0; x < 29; x += 3 {
		if hole && x > 10.5 && x < 19.5 {
			f.line(x, 0.5, x, 6.5)
			f.line(x, 13.5, x, 19.5)
		} else {
			f.line(x, 0.5, x, 19.5)
		}
	}
}

func sections(t *testing.T, text string) ([]*Section, *layer.Index) {
	t.Helper()
	src := strings.NewReader("M83\n" + text + "M104 S0\n")
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var out []*Section
	for n := range ix.Layers {
		moves, err := ix.Decode(src, n+1)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, NewSection(FrameOf(ix), ix, n+1, moves))
	}
	return out, ix
}

// TestFillIsNoPocket checks that the gaps of sparse fill are part of the solid
// and a window with a wall around it is not.
func TestFillIsNoPocket(t *testing.T) {
	var f file
	for n := 1; n <= 4; n++ {
		fmt.Fprintf(&f, "G1 Z%.1f\n", 0.2*float64(n))
		f.box(n < 4)
	}
	s, _ := sections(t, f.String())
	for n, want := range []float64{48, 48, 48, 0} {
		if got := s[n].Open.Area(); math.Abs(got-want) > 3 {
			t.Errorf("layer %d: an opening of %.1f mm², want %v", n+1, got, want)
		}
		if got := s[n].Solid.Area(); math.Abs(got-(600-want)) > 16 {
			t.Errorf("layer %d: %.1f mm² solid, want %v", n+1, got, 600-want)
		}
		if s[n].Pieces != 1 {
			t.Errorf("layer %d: %d pieces", n+1, s[n].Pieces)
		}
	}
	if got := s[3].CoveredHere(s[2]).Area(); math.Abs(got-48) > 3 {
		t.Errorf("layer 4 covers %.1f mm²", got)
	}
	if got := s[2].CoveredHere(s[1]).Area(); got > 1 {
		t.Errorf("layer 3 covers %.1f mm² of what stays open", got)
	}
	// Three lines cross the window: that is what lies over nothing.
	if got := s[3].NewHere(s[2]).Area(); got < 3 || got > 12 {
		t.Errorf("layer 4 lays %.1f mm² over nothing", got)
	}
	if s[0].NewHere(nil).Count() != 0 || s[0].CoveredHere(nil).Count() != 0 {
		t.Error("the first layer lies on the bed")
	}
}

func TestOverhang(t *testing.T) {
	var f file
	for n := 1; n <= 5; n++ {
		fmt.Fprintf(&f, "G1 Z%.1f\n", 0.2*float64(n))
		out := 0.0
		if n == 5 {
			out = 3 // a ledge all round
		}
		for k := 0.0; k < 8; k += 0.4 {
			f.loop(10-out+k, 10-out+k, 30+out-k, 30+out-k)
		}
	}
	s, _ := sections(t, f.String())
	got := s[4].NewHere(s[3]).Area()
	// 26² less the 20² below, grown by a line's width all round.
	if want := 26*26 - 20.9*20.9; math.Abs(got-want) > 25 {
		t.Errorf("%.1f mm² hang over, want about %.1f", got, want)
	}
	if s[3].NewHere(s[2]).Area() > 1 {
		t.Error("a straight wall hangs over")
	}
}

func TestOutline(t *testing.T) {
	var f file
	for n := 1; n <= 4; n++ { // two towers, one lower
		fmt.Fprintf(&f, "G1 Z%.1f\n", 0.2*float64(n))
		f.loop(0, 0, 10, 10)
		if n < 3 {
			f.loop(20, 0, 30, 10)
		}
	}
	src := strings.NewReader("M83\n" + f.String() + "M104 S0\n")
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	o := NewOutline(ix)
	for n := range ix.Layers {
		moves, err := ix.Decode(src, n+1)
		if err != nil {
			t.Fatal(err)
		}
		o.Add(ix, n+1, moves, layer.Paths(moves))
	}
	for n, pieces := range []int{2, 2, 1, 1} {
		if len(o.Front[n]) != 2*pieces || len(o.Side[n]) != 2 {
			t.Errorf("layer %d: %v from the front, %v from the side", n+1, o.Front[n], o.Side[n])
		}
	}
	if o.Box != [4]float32{0, 0, 30, 10} {
		t.Error(o.Box)
	}
}
