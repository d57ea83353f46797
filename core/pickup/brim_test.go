package pickup

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/finding"
	"dogear/core/plan"
)

// TestBrimFits refuses a brim that reaches further than the bed, or, where nobody knows that, than
// the file itself goes.
func TestBrimFits(t *testing.T) {
	src, ix := read(t, tower(20))
	box := [4]float64{ix.Box[0].Millimetres(), ix.Box[1].Millimetres(), ix.Box[2].Millimetres(),
		ix.Box[3].Millimetres()}
	bed := func(room float64) *plan.Printer {
		p := plan.Generic()
		p.Assumed, p.Bed = false, [4]float64{box[0] - room, box[1] - room, box[2] + room, box[3] + room}
		p.Park = [2]float64{box[0], box[1]}
		return p
	}
	for name, c := range map[string]struct {
		pr   *plan.Printer
		brim float64
		fits bool
	}{"room": {bed(10), 5, true}, "no room": {bed(4), 5, false}, "to the edge": {bed(5.6), 5, true},
		"unknown": {plan.Generic(), 12, false}, "none": {bed(1), 0, true}} {
		t.Run(name, func(t *testing.T) {
			p, err := Make(src, ix, c.pr, Choice{Start: Next, Layer: 10, LooseTop: true, Brim: c.brim}, nil)
			if err != nil {
				t.Fatal(name, err)
			}
			refused := strings.Contains(codes(p, finding.Stop), "outside-bed")
			if refused == c.fits || (len(p.Brim) > 0) != (c.brim > 0) {
				t.Errorf("refused %v, %d loops: %v", refused, len(p.Brim), p.Findings)
			}
		})
	}
}

// TestBrimThin lays as many loops as the width takes, with the thinnest walls too.
func TestBrimThin(t *testing.T) {
	var b strings.Builder
	b.WriteString("G28\nM104 S210\nM109 S210\nM83\nM107\n")
	for n := 1; n <= 6; n++ { // walls of 0.3 by 0.2 mm: 0.02494 mm of filament for each mm
		fmt.Fprintf(&b, "G1 Z%.1f F600\nG0 X20 Y20 F6000\nG1 X60 E%.5f F1200\nG1 Y60 E%[2]f\n"+
			"G1 X20 E%[2]f\nG1 Y20 E%[2]f\n", 0.2*float64(n), 40*0.3*0.2/2.40528)
	}
	src, ix := read(t, b.String())
	p, err := Make(src, ix, nil, Choice{Start: Next, Layer: 3, LooseTop: true, Brim: 1.5}, nil)
	if err != nil || len(p.Brim) != 5 {
		t.Fatalf("%d loops of 0.3 mm for 1.5: %v", len(p.Brim), err)
	}
	last := p.Brim[4] // the innermost lies against the wall
	if l := last.Length(); l < 160 || l > 165 {
		t.Errorf("the innermost is %.1f mm long", l)
	}
}
