package layer

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"testing"

	"dogear/core/gcode"
)

// TestFewStates checks that what is decoded does not depend on how many states are kept.
func TestFewStates(t *testing.T) {
	var b bytes.Buffer
	b.WriteString("G28\nM82\nM104 S205\nG92 E0\n")
	e := 0.0
	for n := range 400 {
		// Every other way of leaving a layer, so that folds stand in all kinds of places.
		if n%3 == 0 {
			fmt.Fprintf(&b, "; tier %d\n", n)
		}
		fmt.Fprintf(&b, "G1 E%.4f F2100\n; way\nG1 E%.4f\nG1 Z%.2f F600\nM106 S%d\n", e-0.4, e-0.8,
			0.2*float64(n+1), n%250)
		fmt.Fprintf(&b, "G0 X10 Y10\nG1 E%.4f\n", e)
		for k := range 40 {
			e += 0.3
			fmt.Fprintf(&b, "G1 X%d Y%d E%.4f F%d\n", 10+k%7*5, 10+k%5*6, e, 1200+n)
		}
	}
	b.WriteString("M104 S0\n")
	all := read(t, b.String())
	keepStates = 8
	defer func() { keepStates = maxStates }()
	few := read(t, b.String())
	if len(all.States) != len(all.Layers) || len(few.States) >= len(few.Layers)/10 {
		t.Fatalf("%d states for %d layers; thinned %d", len(all.States), len(all.Layers),
			len(few.States))
	}
	src := bytes.NewReader(b.Bytes())
	if !reflect.DeepEqual(all.Layers, few.Layers) {
		t.Fatal("the layers differ")
	}
	for n := 1; n <= len(all.Layers); n++ {
		one, err := all.Before(src, n)
		if err != nil || one.Pos != all.States[n-1].State.Pos {
			t.Fatalf("layer %d: %v %v", n, one.Pos, err)
		}
		other, err := few.Before(src, n)
		if err != nil || !reflect.DeepEqual(one, other) {
			t.Fatalf("layer %d: %v\n%+v\n%+v", n, err, one, other)
		}
		a, err := all.Decode(src, n)
		if err != nil {
			t.Fatal(err)
		}
		c, err := few.Decode(src, n)
		if err != nil || !reflect.DeepEqual(a, c) {
			t.Fatalf("layer %d is decoded differently (%v)", n, err)
		}
		line := (all.Layers[n-1].First + all.Layers[n-1].Last) / 2
		var s [2]gcode.State
		for k, ix := range []*Index{all, few} {
			if s[k], err = ix.StateAt(src, line); err != nil {
				t.Fatal(err)
			}
		}
		if !reflect.DeepEqual(s[0], s[1]) {
			t.Fatalf("line %d: the states differ", line)
		}
	}
}

// TestWriteReport checks that the report written piece by piece is the report.
func TestWriteReport(t *testing.T) {
	ix := read(t, "M83\nG28\nM109 S200\n; floor 0\nG1 Z.2\nG1 X10 E1\n; floor 1\nG1 Z.4\nM0\n"+
		"G1 X.0000001 E1\n; floor 2\nG1 Z.6\nG1 X10 E1\n; \",\"layers\":[]\nM104 S0\n")
	ix.Layers[1].Seconds = 3e-9
	var whole, pieces bytes.Buffer
	e := json.NewEncoder(&whole)
	e.SetEscapeHTML(false)
	name := `a ","layers":[] & b`
	if err := e.Encode(ix.Report(name)); err != nil {
		t.Fatal(err)
	}
	if err := ix.WriteReport(&pieces, name); err != nil {
		t.Fatal(err)
	}
	if whole.String() != pieces.String() {
		t.Errorf("the report is\n%s\nin pieces\n%s", &whole, &pieces)
	}
}

// TestPlannerBreaksDown lets the planner beside the reading break down: it is the reader
// who hears of it, and can be caught.
func TestPlannerBreaksDown(t *testing.T) {
	p := newPacer()
	p.p = nil
	defer func() {
		if recover() == nil {
			t.Error("nobody heard of it")
		}
	}()
	for range 3 * batches * batchOps {
		p.open()
	}
	p.stop()
}
