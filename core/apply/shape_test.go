package apply_test

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/plan"
	"dogear/demo"
)

// shapeOf is the shape of a sliced part.
func shapeOf(t *testing.T, s demo.Solid) *plan.Shape {
	t.Helper()
	file, _ := demo.Slice(s, demo.DialectNamed("plain"))
	src, ix := applytest.Reading(t, string(file))
	shape, err := apply.ShapeOf(src, ix)
	if err != nil {
		t.Fatal(err)
	}
	return shape
}

// TestShape knows two slicings of one model, wherever they stand, and other models.
func TestShape(t *testing.T) {
	wall, buoy := demo.HarbourWall(0.3), demo.Buoy()
	buoy.Layers = 60
	moved := demo.HarbourWall(0.3)
	moved.Copies = [][2]float64{{7, -4}}
	a := shapeOf(t, wall)
	if why, by := apply.OtherModel(a, shapeOf(t, demo.HarbourWall(0.15)), 0.3); why != "" ||
		math.Hypot(by[0], by[1]) > 0.7 {
		t.Errorf("another slicing: %q, moved by %v", why, by)
	}
	if why, by := apply.OtherModel(a, shapeOf(t, moved), 0.3); why != "" ||
		math.Abs(by[0]-7) > 0.2 || math.Abs(by[1]+4) > 0.2 {
		t.Errorf("elsewhere: %q, moved by %v", why, by)
	}
	if why, _ := apply.OtherModel(a, shapeOf(t, buoy), 0.3); why == "" {
		t.Error("a buoy is taken for a wall")
	}
	b := *a
	for k := range b.Areas {
		b.Areas[k] *= 2
	}
	if why, _ := apply.OtherModel(a, &b, 0.3); why == "" {
		t.Error("twice the area is taken for the same")
	}
}

// TestBridges lays slower what closes over an insert, and says when nothing does.
func TestBridges(t *testing.T) {
	file, _ := demo.Slice(demo.Buoy(), demo.DialectNamed("plain"))
	src, ix := applytest.Reading(t, string(file))
	closes := 80
	pockets := well(ix, closes)
	pockets[0].Centre = [2]float64{110, 110}
	ear := plan.Ear{ID: "a", BeforeLayer: closes, Kind: plan.Insert, At: [][2]float64{{110, 110}},
		Insert: &plan.InsertPart{Shape: "disc", Across: 9, Height: 2}, Bridge: &plan.Bridge{Speed: 60}}
	p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{ear}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	res, err := apply.Plan(src, ix, p, pockets)
	if err != nil {
		t.Fatal(err)
	}
	if len(res.Slows) == 0 {
		t.Error("nothing is laid slower")
	}
	for _, s := range res.Slows {
		if n := ix.At(s[0]); n != closes {
			t.Errorf("lines %v of layer %d are laid slower", s, n)
		}
	}
	// Lines put in are counted, and each block is where it says that it is.
	out := applytest.Written(t, src, res.Edits)
	if got := strings.Count(out, "\n") - bytes.Count(file, []byte("\n")); got != res.Inserted() {
		t.Errorf("%d lines are put in, %d are said", got, res.Inserted())
	}
	lines := strings.Split(out, "\n")
	for i := range res.Blocks {
		at := res.OutLines(i)
		if first := lines[at[0]-1]; !strings.HasPrefix(first, "; dogear ear a") {
			t.Errorf("block %d begins with %q", i, first)
		}
	}
	// The part that closes nothing.
	p.Ears[0].BeforeLayer = 200
	if res, err = apply.Plan(src, ix, p, pockets); err != nil {
		t.Fatal(err)
	}
	found := false
	for _, f := range res.Findings {
		found = found || f.Code == "insert-late"
	}
	if !found {
		t.Errorf("a stop behind the closing is not said: %+v", res.Findings)
	}
}
