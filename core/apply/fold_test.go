package apply_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/gcode"
	"dogear/core/plan"
)

func TestLocate(t *testing.T) {
	src, ix := applytest.Reading(t, applytest.File)
	h, no := 0.2, int64(1)
	for _, c := range []struct {
		ear    plan.Ear
		line   int64
		layer  int
		inside bool
	}{
		{plan.Ear{BeforeLayer: 2}, 12, 2, false},
		{plan.Ear{AtHeight: &h}, 12, 2, false},
		{plan.Ear{BeforeLine: 12}, 12, 2, false},
		{plan.Ear{BeforeLine: 14}, 14, 2, false},
		{plan.Ear{BeforeLine: 11}, 11, 2, false},
		{plan.Ear{BeforeLine: 10}, 10, 1, false},
		{plan.Ear{BeforeLine: 17}, 17, 2, true},
	} {
		t.Run(fmt.Sprint("line ", c.line), func(t *testing.T) {
			f, err := apply.Locate(src, ix, &c.ear)
			if err != nil || f.Line != c.line || f.Layer != c.layer || f.Inside != c.inside {
				t.Errorf("%+v: line %d layer %d inside %v %v", c.ear, f.Line, f.Layer, f.Inside, err)
			}
		})
	}
	far := 99.0
	for _, e := range []plan.Ear{{BeforeLayer: 3}, {BeforeLine: 99}, {AtHeight: &far},
		{FileNumber: &no}} {
		if _, err := apply.Locate(src, ix, &e); err == nil {
			t.Errorf("%+v was found", e)
		}
	}
}

// TestFitted takes from the file what nobody has said of the printer.
func TestFitted(t *testing.T) {
	moved := func(by int) string {
		var b strings.Builder
		for l := range strings.Lines(applytest.Tall()) {
			var x, y int
			switch n, _ := fmt.Sscanf(l, "G0 X%d Y%d", &x, &y); {
			case n == 2:
				fmt.Fprintf(&b, "G0 X%d Y%d F6000\n", x-by, y-by)
			case strings.HasPrefix(l, "G1 X"):
				var e float64
				fmt.Sscanf(l, "G1 X%d Y%d E%f", &x, &y, &e)
				fmt.Fprintf(&b, "G1 X%d Y%d E%.1f F900\n", x-by, y-by, e)
			case strings.HasPrefix(l, "G0 X"):
				fmt.Sscanf(l, "G0 X%d", &x)
				fmt.Fprintf(&b, "G0 X%d\n", x-by)
			default:
				b.WriteString(l)
			}
		}
		return b.String()
	}
	for name, c := range map[string]struct {
		file string
		bed  [4]float64
	}{
		"round the origin": {moved(55), [4]float64{-60, -60, 60, 60}},
		"a corner":         {applytest.Tall(), [4]float64{0, 0, 66, 66}},
		"a bed by its name": {"; bed size: 180 x 170 mm\n" + applytest.Tall(), [4]float64{0, 0, 180,
			170}},
		"by its corners": {"; bed_shape = 10x10,190x10,190x150,10x150\n" + applytest.Tall(),
			[4]float64{10, 10, 190, 150}},
	} {
		t.Run(name, func(t *testing.T) {
			_, ix := applytest.Reading(t, c.file)
			pr := apply.Fitted(plan.Generic(), ix)
			b, park := c.bed, pr.Park
			if park[0] < b[0]-20 || park[0] > b[2]+20 || park[1] < b[1]-20 || park[1] > b[3]+20 {
				t.Errorf("parks at %v, want within %v", park, b)
			}
			if x, y := gcode.FromMM(park[0]), gcode.FromMM(park[1]); x > ix.Box[0] && x < ix.Box[2] &&
				y > ix.Box[1] && y < ix.Box[3] {
				t.Errorf("parks over the part, at %v", park)
			}
		})
	}
	said := plan.Generic()
	said.Assumed = false
	_, ix := applytest.Reading(t, moved(55))
	if apply.Fitted(said, ix) != said {
		t.Error("what somebody has said of the printer is not taken")
	}
}

// TestPlace says where an ear lies without looking into the file.
func TestPlace(t *testing.T) {
	_, ix := applytest.Reading(t, applytest.Tall())
	h := 0.55
	for _, c := range []struct {
		ear  plan.Ear
		n    int
		line int64
	}{
		{plan.Ear{BeforeLayer: 4}, 4, 0},
		{plan.Ear{AtHeight: &h}, 4, 0},
		{plan.Ear{BeforeLine: ix.Layers[4].Last}, 5, ix.Layers[4].Last},
	} {
		t.Run(fmt.Sprint("layer ", c.n), func(t *testing.T) {
			if n, line := apply.Place(ix, &c.ear); n != c.n || line != c.line {
				t.Errorf("%+v: layer %d, line %d", c.ear, n, line)
			}
		})
	}
}
