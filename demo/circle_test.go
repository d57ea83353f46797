package demo_test

import (
	"bytes"
	"math/rand/v2"
	"testing"

	"dogear/core/edit"
	"dogear/core/pickup"
	"dogear/core/printer"
)

// print runs a file until it is done or fails and returns what lies on the bed.
func print(t *testing.T, file []byte, f *printer.Fault) ([]printer.Laid, *printer.Printer) {
	t.Helper()
	var laid []printer.Laid
	p := printer.New(bytes.NewReader(file), index(t, file), nil,
		func(l printer.Laid) { laid = append(laid, l) })
	if f != nil {
		p.Throw(*f)
	}
	p.Run(1e12)
	return laid, p
}

// TestWholeCircle prints on the simulated printer, cuts the power at random
// lines, builds the pick-up from what is known then, runs it, and compares the
// plastic on the bed with the undisturbed print: it is the same.
func TestWholeCircle(t *testing.T) {
	eachSliced(t, func(t *testing.T, s *sliced) {
		file, ix := s.file, s.ix
		whole, p := print(t, file, nil)
		if p.State != printer.Done {
			t.Fatal(p.State)
		}
		random := rand.New(rand.NewPCG(8, uint64(len(file))))
		first, last := ix.Layers[0].First+1, ix.Layers[len(ix.Layers)-1].Last-1
		for range 4 {
			cut := first + random.Int64N(last-first)
			part, p := print(t, file, &printer.Fault{Kind: "power", Line: cut})
			if p.State != printer.Dead {
				t.Fatal(p.State)
			}
			src := bytes.NewReader(file)
			b, err := pickup.Weigh(src, ix, p.Evidence())
			if err != nil || !b.One {
				t.Fatalf("line %d: %+v %v", cut, b, err)
			}
			c := pickup.Choice{Start: pickup.Mid, Line: b.Line, Z: pickup.ByTouch}
			if b.Line == 0 {
				c = pickup.Choice{Start: pickup.Mid, Line: cut + 1}
			}
			made, err := pickup.Make(src, ix, nil, c, nil)
			if err != nil {
				t.Fatalf("line %d: %v", cut, err)
			}
			var out bytes.Buffer
			if _, err := edit.Write(&out, src, made.Edits); err != nil {
				t.Fatal(err)
			}
			rest, p := print(t, out.Bytes(), nil)
			if p.State != printer.Done {
				t.Fatalf("line %d: the pick-up is %s", cut, p.State)
			}
			all := append(part, rest...)
			if len(all) != len(whole) {
				t.Fatalf("line %d: %d moves lie on the bed, want %d", cut, len(all), len(whole))
			}
			for i := range all {
				if a, b := all[i], whole[i]; a.From != b.From || a.To != b.To || a.Amount != b.Amount {
					t.Fatalf("line %d, move %d: %+v, want %+v", cut, i, a, b)
				}
			}
		}
	})
}

// TestJamCircle jams the nozzle at random lines and at the beginnings of layers; the head
// goes on moving, nobody has kept the line. From what can be measured and seen on the part
// a pick-up is made, and the plastic on the bed is the same.
func TestJamCircle(t *testing.T) {
	eachSliced(t, func(t *testing.T, s *sliced) {
		if testing.Short() && s.turn%3 != 0 {
			t.Skip("one of three with -short")
		}
		file, ix := s.file, s.ix
		whole, _ := print(t, file, nil)
		random := rand.New(rand.NewPCG(21, uint64(len(file))))
		for turn := range 3 {
			n := 2 + random.IntN(len(ix.Layers)-2)
			at := ix.Layers[n-1].First + random.Int64N(ix.Layers[n-1].Last-ix.Layers[n-1].First)
			if turn == 0 {
				at = ix.Layers[n-1].First + 1
			}
			kind := []string{"jam", "runout"}[turn%2]
			laid, p := print(t, file, &printer.Fault{Kind: kind, Line: at})
			if p.State != printer.Done {
				t.Fatal(p.State)
			}
			src := bytes.NewReader(file)
			b, err := pickup.Weigh(src, ix, p.Evidence())
			if err != nil {
				t.Fatal(err)
			}
			c := pickup.Choice{Start: pickup.Next, Layer: b.Best, Z: pickup.ByTouch}
			if b.Line > 0 {
				c = pickup.Choice{Start: pickup.Mid, Line: b.Line, Z: pickup.ByTouch}
			}
			made, err := pickup.Make(src, ix, nil, c, nil)
			if err != nil {
				t.Fatalf("%s at line %d: %+v %v", kind, at, c, err)
			}
			var out bytes.Buffer
			if _, err := edit.Write(&out, src, made.Edits); err != nil {
				t.Fatal(err)
			}
			rest, _ := print(t, out.Bytes(), nil)
			if all := append(laid, rest...); len(all) != len(whole) {
				t.Fatalf("%s at line %d (%+v): %d moves lie on the bed, want %d", kind, at, c, len(all),
					len(whole))
			}
		}
	})
}
