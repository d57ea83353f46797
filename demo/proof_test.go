package demo_test

import (
	"testing"

	"dogear/demo/demotest"
)

// What tests of several packages do.
var index, prove = demotest.Index, demotest.Prove

// TestHonestEdits proves edits that Dogear makes: nothing is found that needs
// care, the plastic is the same, and every stop is where it should be.
func TestHonestEdits(t *testing.T) {
	n := 3 * eachSliced(t, func(t *testing.T, s *sliced) {
		file, ix := s.file, s.ix
		for turn := range 3 {
			p := everyLayer(len(ix.Layers), turn)
			for i := range p.Ears { // those that are meant to wait on the part are no honest edits
				p.Ears[i].Routine = nil
				p.Ears[i].HeadsUp = nil
			}
			_, out := applied(t, file, ix, p)
			r := prove(t, file, out)
			if !r.Same || r.First != nil {
				t.Fatalf("%+v", r.First)
			}
			for _, f := range r.Findings {
				t.Errorf("turn %d: %+v", turn, f)
			}
			if len(r.Stops) != len(p.Ears) || r.Removed != 0 {
				t.Fatalf("%d stops, want %d; %d removed", len(r.Stops), len(p.Ears), r.Removed)
			}
			for i, s := range r.Stops {
				if s.Before == nil || *s.Before != i+1 || s.Lift < 5 && p.Ears[i].Stop != "M600" && i > 0 {
					t.Errorf("%+v, want before layer %d", s, i+1)
				}
			}
		}
		for _, f := range prove(t, file, file).Findings {
			t.Errorf("as it is: %+v", f)
		}
	})
	if n < demotest.Least(60) {
		t.Errorf("only %d honest edits", n)
	}
}
