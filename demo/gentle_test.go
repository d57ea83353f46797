package demo_test

import (
	"bytes"
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestGentlePickups makes the first layers of pick-ups and loose tops gentler, in every dialect:
// what is examined is let through, and behind the gentle layers all is as the file has it.
func TestGentlePickups(t *testing.T) {
	less := 0
	eachFile(t, 4, func(part, dialect string, file []byte, ix *layer.Index, random *rand.Rand) {
		src := bytes.NewReader(file)
		n := 1 + random.IntN(len(ix.Layers)-2)
		for _, c := range []pickup.Choice{
			{Start: pickup.Next, Layer: n, Ease: pickup.Ease{Layers: 1 + random.IntN(3)}},
			{Start: pickup.Next, Layer: n, LooseTop: true, Gentle: true},
			{Start: pickup.Next, Layer: n, LooseTop: true, Gentle: true,
				Ease: pickup.Ease{Layers: 2, Speed: 60}},
		} {
			r, err := gate.Pickup(context.Background(), src, ix, &plan.Plan{Format: plan.Format}, nil, c,
				gate.Asked{})
			if errors.Is(err, pickup.ErrBelowBed) {
				continue
			}
			if err != nil {
				t.Fatalf("%s, %s: %v", part, dialect, err)
			}
			for _, f := range r.Findings() {
				if part == "wiped" && c.LooseTop && f.Code == "below-bed" {
					continue // a tower beside it would be laid below the bed: refused
				}
				if f.Level == finding.Stop {
					t.Errorf("%s, %s, layer %d, %+v: %s: %s", part, dialect, n, c, f.Code, f.Message)
				}
			}
			if r.Stopped() != nil {
				continue
			}
			var out bytes.Buffer
			if _, err := r.Write(&out); err != nil {
				t.Fatal(err)
			}
			at, err := ix.StateAt(src, r.Pickup().Start.Line)
			if err != nil {
				t.Fatal(err)
			}
			eased, cooled := n+max(c.Ease.Layers, 1) < len(ix.Layers), 0
			if eased && c.LooseTop && ix.Layers[0].Fan < at.Fan {
				cooled = 1
			}
			if eased && !c.LooseTop && !strings.Contains(out.String(), "M220 S") ||
				eased && strings.Count(out.String(), "fan as the file has it") != cooled {
				t.Errorf("%s, %s, layer %d, %+v: not as gentle as it says", part, dialect, n, c)
			}
			less += cooled
		}
	})
	if less < demotest.Least(20) {
		t.Error("only", less, "loose tops have less fan")
	}
}

// TestBrims lays a brim round loose tops of every part, in every dialect. It is let through, all
// that follows it is the same, and it holds as much filament as its loops take.
func TestBrims(t *testing.T) {
	laid := 0
	eachFile(t, 4, func(part, dialect string, file []byte, ix *layer.Index, random *rand.Rand) {
		src := bytes.NewReader(file)
		c := pickup.Choice{Start: pickup.Next, Layer: 1 + random.IntN(len(ix.Layers)-2), LooseTop: true,
			Gentle: random.IntN(2) == 0, DX: float64(random.IntN(3)) - 1}
		make := func(brim float64) (*gate.Release, []byte) {
			c.Brim = brim
			p := &plan.Plan{Format: plan.Format, Printer: plan.Generic()}
			p.Printer.Bed, p.Printer.Assumed = [4]float64{-50, -50, 400, 400}, false
			r, err := gate.Pickup(context.Background(), src, ix, p, nil, c, gate.Asked{})
			if errors.Is(err, pickup.ErrBelowBed) {
				return nil, nil
			}
			if err != nil {
				t.Fatalf("%s, %s: %v", part, dialect, err)
			}
			if f := r.Stopped(); f != nil && f.Code == "below-bed" { // of a tower beside it
				return nil, nil
			}
			var out bytes.Buffer
			if _, err := r.Write(&out); err != nil {
				t.Fatal(err)
			}
			return r, out.Bytes()
		}
		without, plain := make(0)
		with, brimmed := make(1.5 + 4*random.Float64())
		if with == nil || without.Stopped() != nil {
			return
		}
		for _, f := range with.Findings() {
			if f.Level == finding.Stop {
				t.Errorf("%s, %s, %+v: %s: %s", part, dialect, c, f.Code, f.Message)
			}
		}
		rest := file[without.Pickup().Start.Offset:]
		if bytes.HasSuffix(plain, rest) != bytes.HasSuffix(brimmed, rest) {
			t.Errorf("%s, %s: behind the brim the file is another", part, dialect)
		}
		is, mm := filamentOf(t, brimmed)-filamentOf(t, plain), 0.0
		for _, l := range with.Pickup().Brim {
			mm += l.Length()
		}
		l := &ix.Layers[c.Layer]
		high := l.Height.Millimetres()
		if c.Gentle {
			high = max(high, ix.Layers[0].Height.Millimetres())
		}
		// Lines are 0.3 to 0.8 mm wide.
		area := math.Pi * l.Diameter * l.Diameter / 4
		if low, top := 0.29*high*mm/area, 0.81*high*mm/area; is < low || is > top || mm < 20 {
			t.Errorf("%s, %s, %+v: %.1f mm of brim take %.3f mm of filament, not %.3f to %.3f", part,
				dialect, c, mm, is, low, top)
		}
		laid++
	})
	if laid < demotest.Least(20) {
		t.Error("only", laid, "brims")
	}
}

// filamentOf is how much filament a printer lays of a file, mm.
func filamentOf(t *testing.T, file []byte) float64 {
	t.Helper()
	laid, _ := print(t, file, nil)
	sum := 0.0
	for i := range laid {
		sum += laid[i].Amount.Millimetres()
	}
	return sum
}

// TestBelowBed refuses a loose top of a print beside which a tower grows more slowly: it would be
// laid into the bed.
func TestBelowBed(t *testing.T) {
	for _, d := range dialects(t) {
		file, _ := demo.Slice(demo.Wiped(), d)
		ix := index(t, file)
		r, err := gate.Pickup(context.Background(), bytes.NewReader(file), ix,
			&plan.Plan{Format: plan.Format}, nil, pickup.Choice{Start: pickup.Next, Layer: 6,
				LooseTop: true}, gate.Asked{})
		if errors.Is(err, pickup.ErrBelowBed) {
			continue
		}
		if err != nil {
			t.Fatal(d.Name, err)
		}
		if got := codesOf(r.Findings(), finding.Stop); !slices.Equal(got, []string{"below-bed"}) {
			t.Errorf("%s: it is laid below the bed, and stops for %v", d.Name, got)
		}
	}
}
