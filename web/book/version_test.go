package book

import (
	"testing"

	"dogear/core/plan"
)

// TestVersionOf tells one state of what is marked from another.
func TestVersionOf(t *testing.T) {
	p := &plan.Plan{Format: plan.Format,
		Ears: []plan.Ear{{ID: "a1", BeforeLayer: 5, Kind: plan.Insert}}}
	v, s := VersionOf(p), Sign(&p.Ears[0])
	if v != VersionOf(p) || s != Sign(&p.Ears[0]) || v == "" || s == "" {
		t.Error("the same is told apart")
	}
	p.Ears[0].Note = "two nuts"
	if v == VersionOf(p) || s == Sign(&p.Ears[0]) {
		t.Error("what differs is not told apart")
	}
}
