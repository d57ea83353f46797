package proof

import (
	"slices"
	"strings"
	"testing"

	"dogear/core/finding"
)

// TestForged proves files in which somebody has written comments like ours by hand: a comment
// excuses nothing, and what was done is named.
func TestForged(t *testing.T) {
	file := quay(true)
	from, _ := course(file, 6)
	for name, c := range map[string]struct {
		put  []string
		code string
	}{
		"a slower span that is faster": {[]string{"; dogear slow x", "M220 S300"}, "feed-not-restored"},
		"one with a seal that does not fit": {[]string{"; dogear slow x: bridge", "M220 S300",
			"; dogear seal 00000000", "; dogear slow x ends"}, "feed-not-restored"},
		"a bond pass": {[]string{"; dogear bond x", "G1 X60 Y60 E3", "; dogear bond x ends"},
			"move-added"},
		"a change": {[]string{"; dogear change c: slower",
			`; dogear > {"change":{"id":"c","flow":300}}`, "M221 S300", "; dogear change c ends"},
			"setting-not-restored"},
	} {
		t.Run(name, func(t *testing.T) {
			r := proveText(t, text(file), text(putIn(file, from, c.put...)))
			if !slices.ContainsFunc(r.Findings, func(f finding.Finding) bool {
				return f.Code == c.code && f.Level == finding.Stop
			}) {
				t.Errorf("%v %+v", r.Same, r.Findings)
			}
		})
	}
	at := laying(file, 6, 2)
	r := proveText(t, text(file), text(swap(file, at, "; dogear muted: "+file[at])))
	if r.Same || r.Muted != 0 {
		t.Errorf("a muted line without a seal: %v, %d muted, %+v", r.Same, r.Muted, r.Findings)
	}
}

func text(lines []string) string { return strings.Join(lines, "\n") + "\n" }
