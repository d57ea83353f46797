package landmark

import (
	"math"
	"testing"

	"dogear/core/raster"
)

// drawn fills a polygon, cell by cell.
func drawn(pts []point) *raster.Grid {
	f := raster.NewFrame([4]float64{0, 0, 40, 40}, 1)
	g := raster.NewGrid(f)
	for y := range f.H {
		for x := range f.W {
			px, py := f.X0+(float64(x)+0.5)*f.Cell, f.Y0+(float64(y)+0.5)*f.Cell
			in := false
			for i, a := range pts {
				b := pts[(i+1)%len(pts)]
				if (a.y > py) != (b.y > py) && px < a.x+(py-a.y)/(b.y-a.y)*(b.x-a.x) {
					in = !in
				}
			}
			if in {
				g.Line(px, py, px, py, f.Cell)
			}
		}
	}
	return g
}

func regular(n int, r, turn float64) []point {
	var p []point
	for i := range n {
		s, c := math.Sincos(turn*math.Pi/180 + 2*math.Pi*float64(i)/float64(n))
		p = append(p, point{20 + r*c, 20 + r*s})
	}
	return p
}

func turned(w, h, turn float64) []point {
	s, c := math.Sincos(turn * math.Pi / 180)
	var p []point
	for _, q := range [4]point{{-w / 2, -h / 2}, {w / 2, -h / 2}, {w / 2, h / 2}, {-w / 2, h / 2}} {
		p = append(p, point{20 + q.x*c - q.y*s, 20 + q.x*s + q.y*c})
	}
	return p
}

// TestMeasure draws shapes of known size, turned in several ways.
func TestMeasure(t *testing.T) {
	for _, c := range []struct {
		name          string
		pts           []point
		want          string
		across, inner float64
	}{
		{"circle of 10", regular(90, 5, 0), "round", 10, 10},
		{"circle of 4", regular(90, 2, 0), "round", 4, 4},
		{"M8 nut", regular(6, 13/math.Sqrt(3), 0), "hex", 13, 13},
		{"M8 nut, turned", regular(6, 13/math.Sqrt(3), 17), "hex", 13, 13},
		{"M8 nut on its corner", regular(6, 13/math.Sqrt(3), 30), "hex", 13, 13},
		{"block", turned(8, 5, 0), "rect", 5, 5},
		{"block, turned", turned(16, 9, 30), "rect", 9, 9},
		{"square", turned(10, 10, 12), "rect", 10, 10},
		{"triangle", regular(3, 9, 0), "other", 0, 9},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := measure(drawn(c.pts))
			if s.name != c.want || c.across > 0 && math.Abs(s.across-c.across) > 0.3 ||
				math.Abs(s.inscribed-c.inner) > 0.45 || math.Hypot(s.cx-20, s.cy-20) > 0.15 {
				t.Errorf("%+v", *s)
			}
		})
	}
	for _, turn := range []float64{0, 17, 30, 45} {
		got := measure(drawn(regular(6, 10, turn+0))).turn
		// A hexagon looks the same every 60 degrees; corners on X mean flats along X.
		if d := math.Mod(math.Abs(got-turn), 60); math.Min(d, 60-d) > 3 {
			t.Errorf("turned by %v degrees, measured %v", turn, got)
		}
	}
}

func TestKeep(t *testing.T) {
	var f Finder
	f.add(11, Closes, 0.8, "a")
	f.add(12, Closes, 0.9, "stronger")
	f.add(12, Bridge, 0.7, "another kind")
	f.add(16, Closes, 0.6, "far enough")
	line := int64(5)
	f.marks = append(f.marks, Landmark{BeforeLine: &line, Kind: Paths, Certainty: 0.4})
	got := keep(f.marks)
	if len(got) != 4 || got[0].BeforeLine == nil || *got[1].BeforeLayer != 12 ||
		*got[3].BeforeLayer != 16 {
		t.Errorf("%+v", got)
	}
	f.marks = nil
	for n := range 100 {
		f.add(n*5, Step, 0.5+float64(n%10)/100, "many")
	}
	if got := keep(f.marks); len(got) != most {
		t.Errorf("%d landmarks are kept", len(got))
	}
}
