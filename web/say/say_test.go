package say

import "testing"

// TestShow makes a line fit to be seen.
func TestShow(t *testing.T) {
	if got := Show([]byte("G1 X1\x00\xff\r\n")); got != "G1 X1··" {
		t.Errorf("%q", got)
	}
}
