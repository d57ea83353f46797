package arrive

import "testing"

// TestTitleOf makes names to show of file names.
func TestTitleOf(t *testing.T) {
	for in, want := range map[string]string{
		"harbour_wall-coarse.gcode": "Harbour wall coarse", "BUOY.GCODE": "BUOY", "x.gcode.gz": "X",
		"noext": "Noext", ".gcode": ".gcode", "a.b.nc": "A.b",
	} {
		if got := titleOf(in); got != want {
			t.Errorf("titleOf(%q) = %q, want %q", in, got, want)
		}
	}
}
