package site

import (
	"testing"
	"time"
)

// TestWhen says moments as one would.
func TestWhen(t *testing.T) {
	now := time.Date(2026, 3, 1, 0, 30, 0, 0, time.Local)
	for want, at := range map[string]time.Time{
		"today at 00:10":          now.Add(-20 * time.Minute),
		"yesterday at 23:50":      now.Add(-40 * time.Minute),
		"on 27 February at 09:05": time.Date(2026, 2, 27, 9, 5, 0, 0, time.Local),
		"on 31 December 2025":     time.Date(2025, 12, 31, 9, 5, 0, 0, time.Local),
	} {
		if got := when(at, now); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
