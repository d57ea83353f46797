package demo_test

import (
	"bytes"
	"math/rand/v2"
	"testing"

	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/printer"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestScale jams the nozzle at random lines and puts what lies on the bed on a scale, with the
// prime line and without: either way it speaks most for the layer that was reached, and its
// tolerance holds when the scale is out by a third of a gram.
func TestScale(t *testing.T) {
	eachFile(t, 5, func(part, dialect string, file []byte, ix *layer.Index, random *rand.Rand) {
		for range 3 {
			n := 2 + random.IntN(len(ix.Layers)-2)
			l := &ix.Layers[n-1]
			laid, _ := print(t, file, &printer.Fault{Kind: "jam",
				Line: l.First + random.Int64N(l.Last-l.First)})
			scale(t, part+", "+dialect, file, ix, laid, n-1)
		}
	})
}

// eachFile calls f with every part in the dialects it is sampled in.
func eachFile(t *testing.T, seed uint64, f func(part, dialect string, file []byte,
	ix *layer.Index, random *rand.Rand)) {
	for part := range small() {
		for turn, d := range demo.Dialects() {
			if demotest.Sampled(part, d) {
				s := slice(t, part, turn)
				f(part, d.Name, s.file, s.ix, rand.New(rand.NewPCG(seed, uint64(len(s.file)))))
			}
		}
	}
}

// scale weighs what was laid; layer last was the last whole one.
func scale(t *testing.T, name string, file []byte, ix *layer.Index, laid []printer.Laid, last int) {
	t.Helper()
	var part, all float64
	for i := range laid {
		mm := laid[i].Amount.Millimetres()
		all += mm
		if laid[i].Line >= ix.Layers[0].First {
			part += mm
		}
	}
	const heavy = 8 // g/cm³: small prints weigh too little for a kitchen scale
	f := plan.Filament{Density: heavy}
	for _, e := range []pickup.Evidence{
		{Kind: pickup.Weight, Value: f.Grams(part), Density: heavy},
		{Kind: pickup.Spool, Value: f.Grams(all), Density: heavy},
		{Kind: pickup.Used, Value: all / 1000},
	} {
		b, err := pickup.Weigh(bytes.NewReader(file), ix, []pickup.Evidence{e})
		if err != nil {
			t.Fatalf("%s, layer %d, %s: %v", name, last, e.Kind, err)
		}
		if b.Weight[last] < b.Weight[b.Best] {
			t.Errorf("%s: %s of %.3f speaks for layer %d, not %d", name, e.Kind, e.Value, b.Best, last)
		}
		if e.Kind == pickup.Used {
			continue
		}
		e.Value += 0.33
		if b, err = pickup.Weigh(bytes.NewReader(file), ix, []pickup.Evidence{e}); err != nil {
			t.Fatal(name, err)
		}
		if p := &b.Pieces[0]; last < p.Low || last > p.High {
			t.Errorf("%s: %s, a little too heavy, allows layers %d to %d, not %d", name, e.Kind, p.Low,
				p.High, last)
		}
	}
}
