package arrive

import (
	"fmt"
	"testing"
)

// TestPart reads what a browser may ask for.
func TestPart(t *testing.T) {
	for header, want := range map[string]string{
		"bytes=0-9": "0 9 true", "bytes=90-": "90 99 true", "bytes=-5": "95 99 true",
		"bytes=5-5":    "5 5 true",
		"bytes=90-500": "90 99 true", "bytes=-500": "0 99 true", "bytes=100-": "-1 0 false",
		"bytes=-0": "-1 0 false", "bytes=9-2": "0 0 false", "bytes=0-1,4-5": "0 0 false",
		"lines=1-2": "0 0 false",
		"":          "0 0 false", "bytes=": "0 0 false", "bytes=a-b": "0 0 false",
		"bytes=99999999999999999999-": "0 0 false",
	} {
		from, to, ok := part(header, 100)
		if got := fmt.Sprint(from, to, ok); got != want {
			t.Errorf("%q: %s, want %s", header, got, want)
		}
	}
}
