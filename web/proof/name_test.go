package proof

import (
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/store"
	"dogear/web/book"
)

// TestOutName names what is written by what was done to it.
func TestOutName(t *testing.T) {
	b := &book.Book{Print: store.Print{Name: "lighthouse.gcode"}}
	m := &book.Marked{Plan: &plan.Plan{First: "red"}}
	tag := "_" + m.Name()[:3]
	if other := (&book.Marked{Plan: &plan.Plan{First: "white"}}).Name(); m.Name() == other {
		t.Errorf("other marks have the same name, %s", other)
	}
	res := &apply.Result{}
	for want, layers := range map[string][]int{
		"lighthouse_unchanged.gcode": nil, "lighthouse_stop-38.gcode": {38},
		"lighthouse_stop-2-5-7-9.gcode":   {2, 5, 7, 9},
		"lighthouse_5-stops-from-2.gcode": {2, 5, 7, 9, 11},
	} {
		res.Blocks = nil
		for _, n := range layers {
			res.Blocks = append(res.Blocks, apply.Block{Fold: routine.Fold{Layer: n}})
		}
		if layers != nil {
			want = strings.Replace(want, ".gcode", tag+".gcode", 1)
		}
		if got := outName(b, m, res); got != want {
			t.Errorf("%v: %q, want %q", layers, got, want)
		}
	}
}
