package apply_test

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/plan"
	"dogear/core/proof/second"
)

// TestMute leaves lines out of the small file in every possible run and proves
// that nothing else changes.
func TestMute(t *testing.T) {
	src, ix := applytest.Reading(t, applytest.File)
	for from := int64(6); from <= 16; from++ {
		for to := from; to <= 16; to++ {
			p := &plan.Plan{Format: plan.Format, Mutes: []plan.Span{{From: from, To: to}}}
			if err := p.Check(); err != nil {
				t.Fatal(err)
			}
			res, err := apply.Plan(src, ix, p, nil)
			if err != nil {
				t.Fatal(from, to, err)
			}
			for _, f := range res.Findings {
				if f.Level == finding.Stop {
					t.Fatalf("%d to %d: %+v", from, to, f)
				}
			}
			var out bytes.Buffer
			if _, err := edit.Write(&out, src, res.Edits); err != nil {
				t.Fatal(err)
			}
			v, err := second.Compare(context.Background(), strings.NewReader(applytest.File),
				bytes.NewReader(out.Bytes()), second.Options{Box: ix.Box, Muted: [][2]int64{{from, to}}})
			if err != nil || !v.Same {
				t.Errorf("%d to %d: %+v %v\n%s", from, to, v.First, err, out.String())
			}
			// Everything that was in the file still is, as it was or muted.
			back := strings.ReplaceAll(out.String(), "; dogear muted: ", "")
			for line := range strings.Lines(applytest.File) {
				if !strings.Contains(back, line) {
					t.Errorf("%d to %d: %q is lost", from, to, line)
				}
			}
		}
	}
	p := &plan.Plan{Format: plan.Format, Mutes: []plan.Span{{From: 3, To: 99}}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	if _, err := apply.Plan(src, ix, p, nil); err == nil {
		t.Error("lines behind the end are muted")
	}
	p = &plan.Plan{Format: plan.Format, Mutes: []plan.Span{{From: 3, To: 9}, {From: 9, To: 12}}}
	if err := p.Check(); err == nil {
		t.Error("a line is muted twice")
	}
	p = &plan.Plan{Format: plan.Format, Mutes: []plan.Span{{From: 10, To: 14}},
		Ears: []plan.Ear{{BeforeLayer: 2, Kind: plan.Insert}}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	if _, err := apply.Plan(src, ix, p, nil); err == nil {
		t.Error("an ear sits in muted lines")
	}
}
