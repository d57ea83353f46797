package layer

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"testing"
)

// posts writes round posts whose walls begin on a slope, as segments that end where the
// circle's corners and the slope's steps lie: some of them are level in print, since
// heights have few decimals.
func posts(count, layers, corners, decimals int, radius, height, slope float64) []byte {
	var b bytes.Buffer
	b.WriteString("M104 S210\nG28\nM83\n")
	for n := range layers {
		low := height * float64(n)
		for k := range count {
			x0 := 50 + 4*radius*float64(k)
			at := func(way float64) (x, y float64) {
				a := way / radius
				return x0 + radius*math.Cos(a), 50 + radius*math.Sin(a)
			}
			around := 2 * math.Pi * radius
			x, y := at(0)
			fmt.Fprintf(&b, "G1 E-.8\nG0 Z%.3f\nG0 X%.3f Y%.3f\nG1 E.8\n", low+height+0.4, x, y)
			rising := n > 0
			if rising {
				fmt.Fprintf(&b, "G0 Z%.*f\n", decimals, low)
			} else {
				fmt.Fprintf(&b, "G0 Z%.*f\n", decimals, low+height)
			}
			corner, step, way := around/float64(corners), slope/9, 0.0
			for i, j := 1, 1; way < around-1e-9; {
				to := float64(i) * corner
				if rising && float64(j)*step < to-1e-9 && j <= 9 {
					to = float64(j) * step
					j++
				} else {
					i++
				}
				if to-way < 1e-9 {
					continue
				}
				x, y = at(to)
				fmt.Fprintf(&b, "G1 X%.3f Y%.3f", x, y)
				if rising && way < slope {
					fmt.Fprintf(&b, " Z%.*f", decimals, low+height*min(to/slope, 1))
				}
				fmt.Fprintf(&b, " E%.5f\n", (to-way)*0.033)
				way = to
			}
		}
	}
	return b.Bytes()
}

// spiral writes one wall that rises all the time, on a base of a few layers.
const base = 3 // layers

func spiral(turns, corners, decimals int, radius, height float64) []byte {
	var b bytes.Buffer
	b.WriteString("M104 S210\nG28\nM83\n")
	way := 2 * math.Pi * radius / float64(corners)
	for k := 1; k <= (base+turns)*corners; k++ {
		turn := float64(k) / float64(corners)
		z := height * math.Ceil(turn-1e-9)
		if turn > base {
			z = height * turn
		} else if k%corners == 1 {
			fmt.Fprintf(&b, "G0 X%.3f Y50 Z%.*f\n", 50+radius, decimals, z)
		}
		a := 2 * math.Pi * turn
		fmt.Fprintf(&b, "G1 X%.3f Y%.3f Z%.*f E%.5f\n", 50+radius*math.Cos(a), 50+radius*math.Sin(a),
			decimals, z, way*0.033)
	}
	return b.Bytes()
}

// TestSlopesAndSpirals checks that posts with sloped starts are layers, however small and
// round they are, and that a spiral is one, however few decimals its heights have.
func TestSlopesAndSpirals(t *testing.T) {
	kind := func(data []byte) (string, int) {
		ix, err := Read(context.Background(), bytes.NewReader(data), Options{})
		if err != nil {
			t.Fatal(err)
		}
		return ix.Kind, len(ix.Layers)
	}
	for _, radius := range []float64{1.2, 3, 8, 20} {
		for _, corners := range []int{12, 40, 120} {
			if testing.Short() && corners > 12 {
				break
			}
			for _, height := range []float64{0.08, 0.15, 0.2, 0.3} {
				for _, decimals := range []int{2, 3} {
					for _, count := range []int{1, 5} {
						name := fmt.Sprintf("radius %g, %d corners, %g high, %d decimals, %d posts", radius,
							corners, height, decimals, count)
						slope := min(4, 3*radius)
						if k, n := kind(posts(count, 30, corners, decimals, radius, height, slope)); k == Vase ||
							n != 30 {
							t.Errorf("%s: %s of %d layers", name, k, n)
						}
					}
					if radius < 3 {
						continue
					}
					if k, n := kind(spiral(30, 3*corners, decimals, radius, height)); k != Vase || n < base+29 ||
						n > base+31 {
						t.Errorf("spiral of radius %g, %d corners, %g high, %d decimals: %s of %d layers",
							radius, 3*corners, height, decimals, k, n)
					}
				}
			}
		}
	}
}
