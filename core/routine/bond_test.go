package routine_test

import (
	"context"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// TestBond looks at what a bond pass lays: every path of the layer below, at
// its height, with a share of its filament, and nothing else.
func TestBond(t *testing.T) {
	file := applytest.Tall()
	res,
		out := applytest.Lay(t, file,
		&plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: 9, Kind: plan.Insert,
			BondPass: &plan.BondPass{Flow: 0.25}}}})
	src := strings.NewReader(file)
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	below, err := ix.Decode(src, 8)
	if err != nil {
		t.Fatal(err)
	}
	var want []layer.Move
	for _, m := range below {
		if m.Kind == gcode.Lay {
			want = append(want, m)
		}
	}
	runs := again(res)
	if len(runs) != 1 {
		t.Fatal(runs)
	}
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	var line int64
	n := 0
	for s := range strings.SplitSeq(out, "\n") {
		line++
		c.Parse([]byte(s))
		m.Exec(&c, &a)
		if line < runs[0][0] || line > runs[0][1] || a.Kind != gcode.Lay {
			continue
		}
		if n == len(want) {
			t.Fatalf("line %d lays more", line)
		}
		w := want[n]
		if m.Pos != w.To || a.From != w.From || a.Laid != w.Laid/4 || m.Feed != w.Feed {
			t.Errorf("line %d: %v → %v lays %v, want %v → %v and %v", line, a.From, m.Pos, a.Laid,
				w.From,
				w.To, w.Laid/4)
		}
		n++
	}
	if n != len(want) || n == 0 {
		t.Errorf("%d moves, want %d", n, len(want))
	}
}

// TestNothingToBond says so where no layer lies below.
func TestNothingToBond(t *testing.T) {
	res,
		_ := applytest.Lay(t, applytest.Tall(),
		&plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: 1, Kind: plan.Insert,
			BondPass: &plan.BondPass{Flow: 0.25}}}})
	if len(again(res)) != 0 || len(res.Findings) != 1 || res.Findings[0].Code != "bond-left-out" {
		t.Errorf("%v", res.Findings)
	}
}

// again returns the lines of the edited file that lay something once more on
// purpose, as runs with both ends included.
func again(r *apply.Result) [][2]int64 {
	var out [][2]int64
	for i := range r.Blocks {
		at := r.OutLines(i)[0]
		for k, l := range r.Blocks[i].Lines {
			if rest, ok := strings.CutPrefix(l.Text, "; dogear bond "); ok {
				if strings.HasSuffix(rest, " ends") {
					out[len(out)-1][1] = at + int64(k)
				} else {
					out = append(out, [2]int64{at + int64(k), at + int64(k)})
				}
			}
		}
	}
	return out
}
