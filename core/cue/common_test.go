package cue

import (
	"slices"
	"strings"
	"testing"
)

// TestShare keeps the order of every stop: its own steps, put where the gaps are, give all
// its steps again.
func TestShare(t *testing.T) {
	for _, c := range []struct {
		name   string
		stops  []string // steps, parted by blanks
		common string
		own    []string
	}{
		{"one stop", []string{"a b c d"}, "", []string{"a b c d"}},
		{"alike", []string{"a b c", "a b c"}, "a b c", []string{"", ""}},
		{"a message and a purge", []string{"tone back say-1 wait purge-1 on",
			"tone back say-2 wait purge-2 on"},
			"tone back … wait … on", []string{"say-1 purge-1", "say-2 purge-2"}},
		{"too little", []string{"a x b", "a y b"}, "", []string{"a x b", "a y b"}},
		{"one has more", []string{"a b c", "a b b c d"}, "a b … c …", []string{"", "b d"}},
		{"three", []string{"a b c d", "a c d", "x a b c d"}, "… a … c d", []string{"b", "", "x b"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := &Sheet{Rows: []Row{{HeadsUp: true}}}
			for _, text := range c.stops {
				s.Rows = append(s.Rows, Row{Steps: strings.Fields(text)})
			}
			s.share()
			if got := strings.Join(s.Common, " "); got != c.common {
				t.Errorf("common: %q, want %q", got, c.common)
			}
			for i, own := range c.own {
				r := s.Rows[i+1]
				if got := strings.Join(r.Own, " "); got != own {
					t.Errorf("stop %d: %q, want %q", i+1, got, own)
				}
				all := append(slices.DeleteFunc(slices.Clone(s.Common),
					func(v string) bool { return v == Gap }), r.Own...)
				steps := slices.Sorted(slices.Values(r.Steps))
				if slices.Sort(all); !slices.Equal(all, steps) {
					t.Errorf("stop %d: %v are not its steps, %v", i+1, all, steps)
				}
			}
		})
	}
}
