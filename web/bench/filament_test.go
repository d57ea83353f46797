package bench

import (
	"testing"

	"dogear/core/plan"
	"dogear/store"
)

// TestFilamentSaid finds the filament that a message names.
func TestFilamentSaid(t *testing.T) {
	kit := &store.Kit{Keys: map[string][]string{plan.Filaments: {"a", "b", "c"}}}
	kit.Filaments = map[string]plan.Filament{"a": {Name: "Signal red"}, "b": {Name: "Gull white"},
		"c": {Name: "Gull grey"}}
	for text, want := range map[string]string{"": "", "Load gull WHITE": "b", "change to red!": "a",
		"gull": "", "incredible": "", "white, not red": "b"} {
		if got := filamentSaid(text, kit); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}
