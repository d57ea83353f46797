package raster

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/gcode"
)

// polygon lays a closed wall of k corners.
func (f *file) polygon(x, y, r, turn float64, k int) {
	for i := range k + 1 {
		a := turn + 2*math.Pi*float64(i)/float64(k)
		px, py := x+r*math.Cos(a), y+r*math.Sin(a)
		if i == 0 {
			fmt.Fprintf(f, "G0 X%.3f Y%.3f\n", px, py)
			continue
		}
		fmt.Fprintf(f, "G1 X%.3f Y%.3f E%.4f\n", px, py, 2*r*math.Sin(math.Pi/float64(k))*0.0374)
	}
}

// TestRound draws lines round parts of many shapes and turns: every corner of one lies at its
// distance from what is laid, and it is as long as a line at that distance is.
func TestRound(t *testing.T) {
	for _, k := range []int{3, 4, 6, 90} {
		for _, turn := range []float64{0, 0.2, 0.7} {
			var f file
			f.WriteString("G1 Z0.2\n")
			f.polygon(40, 30, 12, turn, k)
			f.polygon(40, 30, 3, 0, 12) // the wall of a hole
			_, ix := sections(t, f.String())
			moves, err := ix.Decode(strings.NewReader("M83\n"+f.String()+"M104 S0\n"), 1)
			if err != nil {
				t.Fatal(err)
			}
			away := []float64{3, 0.9, 0.45}
			got := Round(ix, 1, moves, away)
			for i, d := range away {
				if len(got[i]) != 1 {
					t.Fatalf("%d corners, %g mm: %d loops", k, d, len(got[i]))
				}
				side := 24 * math.Sin(math.Pi/float64(k))
				want := float64(k)*side + 2*math.Pi*d
				if l := got[i][0].Length(); math.Abs(l-want) > 0.012*want {
					t.Errorf("%d corners turned by %g, %g mm: %.2f mm long, want %.2f", k, turn, d, l, want)
				}
				for _, p := range got[i][0] {
					best := math.Inf(1)
					for j := range moves {
						m := &moves[j]
						if m.Kind != gcode.Lay {
							continue
						}
						best = min(best, FromSegment(p, [2]float64{m.From[0].Millimetres(),
							m.From[1].Millimetres()}, [2]float64{m.To[0].Millimetres(), m.To[1].Millimetres()}))
					}
					if math.Abs(best-d) > 0.13 {
						t.Fatalf("%d corners: a corner lies %.3f mm away, want %g", k, best, d)
					}
				}
			}
		}
	}
}

// TestRoundTogether lets lines round neighbours run together where there is no room between.
func TestRoundTogether(t *testing.T) {
	var f file
	f.WriteString("G1 Z0.2\n")
	f.polygon(20, 20, 5, 0, 24)
	f.polygon(33, 20, 5, 0, 24)
	_, ix := sections(t, f.String())
	moves, err := ix.Decode(strings.NewReader("M83\n"+f.String()+"M104 S0\n"), 1)
	if err != nil {
		t.Fatal(err)
	}
	got := Round(ix, 1, moves, []float64{4, 1})
	if len(got[0]) != 1 || len(got[1]) != 2 {
		t.Errorf("%d loops 4 mm away, %d 1 mm away; want 1 and 2", len(got[0]), len(got[1]))
	}
}
