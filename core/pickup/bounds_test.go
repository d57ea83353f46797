package pickup

import (
	"math"
	"strings"
	"testing"
)

// TestBounds refuses amounts that were not meant, by name, in a pick-up and its touch check.
func TestBounds(t *testing.T) {
	src, ix := read(t, tower(20))
	for i := range Bounds {
		b := &Bounds[i]
		for _, v := range []float64{b.Low, b.High, 0, b.Low - 0.01, b.High + 0.01, math.NaN(),
			math.Inf(1)} {
			c := Choice{Start: Next, Layer: 10, LooseTop: b.Name == "brim"}
			*b.Of(&c) = v
			_, err := Make(src, ix, nil, c, nil)
			_, _, _, touch := TouchCheck(src, ix, nil, c)
			out := !(v == 0 || v >= b.Low && v <= b.High)
			for _, err := range []error{err, touch} {
				if out != (err != nil && strings.HasPrefix(err.Error(), b.Name+" can be ")) {
					t.Errorf("%s %g: %v", b.Name, v, err)
				}
			}
		}
	}
	if _, err := Make(src, ix, nil, Choice{Start: Next, Layer: 10, Brim: 3}, nil); err == nil {
		t.Error("a brim round what stays where it is")
	}
	p, err := Make(src, ix, nil, Choice{Start: Next, Layer: 10, PrimeAt: &[2]float64{700, 10}}, nil)
	if err != nil || !strings.Contains(codes(p, "stop"), "outside-bed") {
		t.Errorf("primes far away: %v", err)
	}
}
