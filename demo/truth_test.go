package demo_test

import (
	"bytes"
	"context"
	"math"
	"testing"

	"dogear/core/layer"
	"dogear/demo"
)

// small are short parts that still have every feature the reader must cope with.
func small() map[string]demo.Solid {
	buoy, house, bollard, wall := demo.Buoy(), demo.Lighthouse(), demo.Bollard(), demo.HarbourWall(0.3)
	buoy.Layers, house.Layers, bollard.Layers, wall.Layers = 60, 30, 40, 12
	fender, posts, dome, arch := demo.Fender(), demo.Posts(), demo.Dome(), demo.Arch()
	return map[string]demo.Solid{
		"fender": fender, "posts": posts, "dome": dome, "arch": arch,
		"bricks": demo.Bricks(), "ballast": demo.Ballast(), "gasket": demo.Gasket(),
		"cleats": demo.Cleats(), "piles": demo.Piles(),
		"polished": demo.Polished(), "wiped": demo.Wiped(),
		"gauge": demo.TideGauge(), "nameplate": demo.Nameplate(), "buoy": buoy, "house": house,
		"bollard": bollard, "wall": wall,
	}
}

// TestLayersEqualTruth reads every part in every dialect and compares all that
// the slicer knew when it wrote it.
func TestLayersEqualTruth(t *testing.T) {
	everySliced(t, func(t *testing.T, s *sliced) {
		part, d, truth, ix := s.part, s.dialect, s.truth, s.ix
		if len(ix.Layers) != len(truth.Layers) {
			t.Fatalf("%d layers, want %d", len(ix.Layers), len(truth.Layers))
		}
		if got := [2]int{int(ix.Prime.First), int(ix.Prime.Last)}; got != truth.Prime {
			t.Errorf("prime lines %v, want %v", got, truth.Prime)
		}
		for i, want := range truth.Layers {
			l := ix.Layers[i]
			if part == "arch" && d.Mark == "" {
				// Nothing says that supports at heights in between belong to the
				// layer behind them.
				want.First, want.Last, want.Fold = int(l.First), int(l.Last), int(l.Fold)
			}
			if math.Abs(l.Z.Millimetres()-want.Z) > 0.0011 || int(l.First) != want.First ||
				int(l.Last) != want.Last {
				t.Fatalf("layer %d: z %v lines %d–%d, want z %v lines %d–%d", i+1, l.Z, l.First, l.Last,
					want.Z, want.First, want.Last)
			}
			if want.Object != int(l.Object) {
				t.Fatalf("layer %d: object %d, want %d", i+1, l.Object, want.Object)
			}
			if i > 0 && int(l.Fold) != want.Fold {
				t.Fatalf("layer %d: fold line %d, want %d", i+1, l.Fold, want.Fold)
			}
			if d.Mark != "" && d.Name != "hopping" &&
				d.Name != "raised" && d.Name != "trailing" &&
				(!l.HasNumber || int(l.Number) != want.Number) {
				t.Fatalf("layer %d: own number %d (%v), want %d; marks %+v", i+1, l.Number, l.HasNumber,
					want.Number, ix.Marks)
			}
		}
		if d.Mark == "" && ix.Marks.Layer != "" {
			t.Errorf("a mark was learned where there is none: %q", ix.Marks.Layer)
		}
	})
}

// TestDecodeMeetsIndex decodes each layer from the state kept at its fold and
// checks that it lays what the one reading from the front said.
func TestDecodeMeetsIndex(t *testing.T) {
	for _, d := range dialects(t) {
		file, _ := demo.Slice(small()["buoy"], d)
		src := bytes.NewReader(file)
		ix, err := layer.Read(context.Background(), src, layer.Options{})
		if err != nil {
			t.Fatal(err)
		}
		for n := range ix.Layers {
			l := &ix.Layers[n]
			moves, err := ix.Decode(src, n+1)
			if err != nil {
				t.Fatal(err)
			}
			laid, count := int64(0), 0
			for _, m := range moves {
				if m.Kind == 2 && m.Line > ix.Prime.Last {
					laid += int64(m.Laid)
					count++
				}
			}
			if laid != int64(l.Filament) || count != l.Moves {
				t.Fatalf("%s layer %d: decoded %d nm in %d moves, index says %d in %d", d.Name, n+1, laid,
					count, l.Filament, l.Moves)
			}
		}
	}
}
