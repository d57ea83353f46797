package raster_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"dogear/core/layer"
	"dogear/core/raster"
	"dogear/demo/demotest"
)

// TestSkirtOf lays a loop of 30 mm round a part of 20 mm in one of four layers: it is a skirt in
// the lowest two. The walls of the part are none, nor is a way round that does not close.
func TestSkirtOf(t *testing.T) {
	for at := 1; at <= 4; at++ {
		for _, closed := range []bool{true, false} {
			t.Run(fmt.Sprintf("layer %d, closed %v", at, closed), func(t *testing.T) {
				var b strings.Builder
				b.WriteString("M104 S210\nG28\nM83\n")
				loop := func(lo, hi float64, whole bool) {
					fmt.Fprintf(&b, "G0 X%g Y%g F6000\n", lo, lo)
					for k, p := range [][2]float64{{hi, lo}, {hi, hi}, {lo, hi}, {lo, lo}} {
						if k < 3 || whole {
							fmt.Fprintf(&b, "G1 X%g Y%g E%.3f F1200\n", p[0], p[1], (hi-lo)*0.035)
						}
					}
				}
				for n := 1; n <= 4; n++ {
					fmt.Fprintf(&b, "G1 Z%.1f F600\n", 0.2*float64(n))
					if n == at {
						loop(95, 125, closed)
					}
					loop(100, 120, true)
				}
				b.WriteString("M104 S0\n")
				file := []byte(b.String())
				ix := demotest.Index(t, file)
				moves, err := ix.Decode(bytes.NewReader(file), at)
				if err != nil {
					t.Fatal(err)
				}
				skirt := raster.SkirtOf(ix, at, moves)
				var got []bool
				for _, p := range layer.Paths(moves) {
					if p.Class != layer.Travel {
						got = append(got, skirt(&p))
					} else if skirt(&p) {
						t.Error("travel is taken for a skirt")
					}
				}
				if want := []bool{closed && at <= 2, false}; fmt.Sprint(got) != fmt.Sprint(want) {
					t.Errorf("skirts: %v, want %v", got, want)
				}
			})
		}
	}
}
