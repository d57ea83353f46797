package web

import (
	"bytes"
	"context"
	"testing"

	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/demo"
)

// TestFlushFold jumps, in every dialect, to where the letters of the nameplate end and what
// surrounds them begins: the path in front of which the fold stands must be the first of
// the ground, and the one before it the last of the letters.
func TestFlushFold(t *testing.T) {
	for _, d := range demo.Dialects() {
		file, truth := demo.Slice(demo.Nameplate(), d)
		src := bytes.NewReader(file)
		ix, err := layer.Read(context.Background(), src, layer.Options{})
		if err != nil {
			t.Fatal(err)
		}
		r, err := landmark.Find(context.Background(), src, ix, nil)
		if err != nil {
			t.Fatal(err)
		}
		b := &book{ix: ix, marks: r}
		moves, err := ix.Decode(src, 1)
		if err != nil {
			t.Fatal(err)
		}
		ground := int64(truth.Layers[0].Inside[4])
		found := false
		for _, m := range b.landmarks() {
			if m.Line == 0 || m.Line > ground || m.Line <= ground-9 {
				continue
			}
			found = true
			var last, first int64 // laid before the fold, and behind it
			for _, p := range layer.Paths(moves) {
				if p.Class == layer.Way {
					continue
				}
				if end := moves[p.To-1].Line; end >= m.Line {
					first = moves[p.From].Line
					break
				} else {
					last = end
				}
			}
			if first < ground || last >= ground {
				t.Errorf("%s: at line %d the fold stands between lines %d and %d; the ground begins at %d", d.Name, m.Line, last, first, ground)
			}
		}
		if !found {
			t.Errorf("%s: there is no such landmark", d.Name)
		}
	}
}
