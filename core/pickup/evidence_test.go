package pickup

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/layer"
	"dogear/core/plan"
)

// grams is what a length of filament weighs.
func grams(mm, diameter, density float64) float64 {
	return (&plan.Filament{Diameter: diameter, Density: density}).Grams(mm)
}

func TestEvidence(t *testing.T) {
	src, ix := read(t, tower(100))
	at := func(n int) int64 { return ix.Layers[n-1].First + 1 }
	prime := ix.States[0].State.Laid.Millimetres()
	laid := func(n int) (mm float64) {
		for i := range ix.Layers[:n] {
			mm += ix.Layers[i].Filament.Millimetres()
		}
		return mm
	}
	extruded, err := ix.Before(src, 42)
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		e         Evidence
		low, high int
		best      int
	}{
		"touch":           {Evidence{Kind: Touch, Value: 10.07}, 50, 50, 50},
		"touch on paper":  {Evidence{Kind: Touch, Value: 10.17, Under: 0.1}, 50, 50, 50},
		"touch nearer":    {Evidence{Kind: Touch, Value: 10.13}, 51, 51, 51},
		"touch between":   {Evidence{Kind: Touch, Value: 10.11}, 50, 51, 51},
		"touch half way":  {Evidence{Kind: Touch, Value: 10.1}, 50, 51, 50},
		"caliper":         {Evidence{Kind: Caliper, Value: 10.0}, 49, 52, 50},
		"picture":         {Evidence{Kind: Picture, Value: 10}, 43, 57, 50},
		"counted":         {Evidence{Kind: Counted, From: 40, Value: 12}, 52, 52, 52},
		"layer":           {Evidence{Kind: Layer, Value: 7}, 7, 7, 7},
		"line inside":     {Evidence{Kind: Line, Value: float64(at(31))}, 30, 31, 30},
		"line in the gap": {Evidence{Kind: Line, Value: float64(ix.Layers[30].Fold)}, 30, 31, 30},
		"percent":         {Evidence{Kind: Percent, Value: 50}, 48, 51, 49},
		"byte":            {Evidence{Kind: Byte, Value: float64(ix.Layers[19].Offset) + 20}, 17, 20, 19},
		"minutes":         {Evidence{Kind: Minutes, Value: ix.Layers[59].Begin / 60}, 26, 91, 59},
		"display":         {Evidence{Kind: Display, At: [3]float64{110.1, 119.8, 4.2}}, 20, 21, 20},
		"display in a hop": {Evidence{
			Kind: Extruded, Value: extruded.LogicalE().Millimetres() + 0.9}, 41, 42, 41},
		"weight": {Evidence{Kind: Weight, Value: grams(laid(60), 1.75, 1.24), Density: 1.24}, 0, 100, 50},
		"weight, heavy": {Evidence{Kind: Weight, Value: grams(laid(60), 2.85, 8), Density: 8,
			Diameter: 2.85}, 49, 70, 59},
		"spool": {Evidence{Kind: Spool, Value: grams(laid(60)+prime, 2.85, 8), Density: 8,
			Diameter: 2.85}, 39, 80, 59},
		"used": {Evidence{Kind: Used, Value: (laid(60) + prime) / 1000}, 0, 100, 59},
	} {
		t.Run(name, func(t *testing.T) {
			b, err := Weigh(src, ix, []Evidence{c.e})
			if err != nil {
				t.Errorf("%v", err)
				return
			}
			p := b.Pieces[0]
			if p.Low != c.low || p.High != c.high || b.Best != c.best && c.e.Kind != Percent &&
				c.e.Kind != Byte && c.e.Kind != Minutes && c.e.Kind != Caliper {
				t.Errorf("%d to %d, best %d; want %d to %d, best %d (%s)", p.Low, p.High, b.Best,
					c.low, c.high, c.best, p.Text)
			}
			if p.Text == "" {
				t.Errorf("%s says nothing", name)
			}
		})
	}
	for name, e := range map[string]Evidence{
		"no kind": {}, "no layer": {Kind: Layer, Value: 200}, "no number": {Kind: FileNumber, Value: 999},
		"too high": {Kind: Touch, Value: 99}, "no height": {Kind: Caliper},
		"no line": {Kind: Line, Value: 1e7}, "too many bytes": {Kind: Byte, Value: 1e9},
		"odd diameter": {Kind: Used, Value: 0.1, Diameter: math.NaN()},
		"odd density":  {Kind: Weight, Value: 0.1, Density: 1e9},
		"no density":   {Kind: Weight, Value: 1}, "no weight": {Kind: Spool, Density: 1.24},
		"too heavy": {Kind: Weight, Value: 1e3, Density: 1.24}, "too long": {Kind: Used, Value: 1e3},
		"too much": {Kind: Percent, Value: 101}, "no time": {Kind: Minutes},
		"beside it":       {Kind: Display, At: [3]float64{5, 5, 4.2}},
		"no such E":       {Kind: Extruded, Value: 1e6},
		"counted too far": {Kind: Counted, From: 99, Value: 20},
	} {
		if _, err := Weigh(src, ix, []Evidence{e}); err == nil {
			t.Errorf("%s is believed", name)
		}
	}
}

// TestTogether puts pieces together: they agree on one place, or are named.
func TestTogether(t *testing.T) {
	src, ix := read(t, tower(100))
	b, err := Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10.07}, {Kind: Caliper, Value: 9.95},
		{Kind: Percent, Value: 50.5}})
	if err != nil || b.Best != 50 || !b.One || b.Low != 50 || b.High > 51 || len(b.Contradicts) > 0 {
		t.Errorf("%+v %v", b, err)
	}
	b, err = Weigh(src, ix, []Evidence{{Kind: Caliper, Value: 10}, {Kind: Percent, Value: 50}})
	if err != nil || b.One || b.Low >= b.High {
		t.Errorf("%+v %v", b, err)
	}
	b, err = Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10}, {Kind: Percent, Value: 80}})
	if err != nil || b.Best != 0 || len(b.Contradicts) != 1 ||
		!strings.Contains(b.Contradicts[0], "did the printer go on without filament?") &&
			!strings.Contains(b.Contradicts[0], "Did the printer go on without filament?") {
		t.Errorf("%+v %v", b.Contradicts, err)
	}
	b, err = Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10}, {Kind: Layer, Value: 44}})
	if err != nil || b.Best != 44 || !b.One || len(b.Contradicts) != 1 {
		t.Errorf("%+v %v", b, err)
	}
	sum := 0.0
	for _, w := range b.Weight {
		sum += w
	}
	if sum < 0.999 || sum > 1.001 {
		t.Errorf("the weights sum up to %v", sum)
	}
}

func ExampleWeigh() {
	src := strings.NewReader(tower(100))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		panic(err)
	}
	b, err := Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10.07}, {Kind: Percent, Value: 50}})
	fmt.Println(b.Best, b.One, err)
	fmt.Println(b.Pieces[0].Text)
	// Output:
	// 50 true <nil>
	// layer 50 at 10.00 mm, off by 0.07
}
