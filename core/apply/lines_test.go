package apply_test

import (
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/edit"
	"dogear/core/plan"
	"dogear/demo"
)

// TestLineMap finds every line of the original again in the finished file, in order, whatever was
// put in between.
func TestLineMap(t *testing.T) {
	for _, dialect := range []string{"plain", "numbered"} {
		file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed(dialect))
		src, ix := applytest.Reading(t, string(file))
		p := &plan.Plan{Printer: plan.Generic(), Mutes: []plan.Span{{From: 60, To: 63}},
			Changes: []plan.Change{{ID: "c1", BeforeLayer: 2, UntilLayer: 5, Speed: 70}},
			Ears: []plan.Ear{{ID: "a1", Kind: plan.Insert, BeforeLayer: 4,
				HeadsUp: &plan.HeadsUp{Layers: 1}}, {ID: "a2", Kind: plan.Insert, BeforeLayer: 9}}}
		res, err := apply.Plan(src, ix, p, nil)
		if err != nil {
			t.Fatal(err)
		}
		edit.Sort(res.Edits)
		out := applytest.Written(t, src, res.Edits)
		was, now := strings.Split(string(file), "\n"), strings.Split(out, "\n")
		lines, last, same := res.Lines(), int64(0), 0
		for i, text := range now {
			n := lines.Original(int64(i + 1))
			if n < last || n > int64(len(was)) {
				t.Fatalf("%s: line %d is line %d, behind %d", dialect, i+1, n, last)
			}
			if last = n; was[n-1] == text {
				same++
			}
		}
		if same < len(was)-10 {
			t.Errorf("%s: %d of %d lines are found", dialect, same, len(was))
		}
	}
}
