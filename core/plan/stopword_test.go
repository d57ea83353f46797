package plan

import (
	"strings"
	"testing"
)

// TestStopWords checks what each line is as a stop word: whether the printer does it all,
// how long it waits, and why it is none.
func TestStopWords(t *testing.T) {
	for _, c := range []struct {
		line  string
		all   bool
		draws bool
		waits float64
		why   string
	}{
		{"M0", false, false, 0, ""},
		{"m0", false, false, 0, ""},
		{"M25", false, false, 0, ""},
		{"M226", false, false, 0, ""},
		{"M400 U1", false, false, 0, ""},
		{"M600", true, true, 0, ""},
		{"m600", true, true, 0, ""},
		{"M600 B3", true, true, 0, ""},
		{" M600B3 ", true, true, 0, ""},
		{"M601", true, false, 0, ""},
		{"PAUSE", true, false, 0, ""},
		{"pause", true, false, 0, ""},
		{"PAUSE X=5", true, false, 0, ""},
		{"@pause", false, false, 0, ""},
		{"SWAP_SPOOL", false, false, 0, ""},
		{"M9123", false, false, 0, ""},
		{"G4 S120", false, false, 120, ""},
		{"G4 P90000", false, false, 90, ""},
		{"M0 S60", false, false, 60, ""},
		{"M1 P90000", false, false, 90, ""},
		{"M0 load it", false, false, 0, ""},
		{"", false, false, 0, ""},
		{"G4 S0", false, false, 0, "no time at all"},
		{"G1 X5", false, false, 0, "moves the head"},
		{"G28", false, false, 0, "moves the head"},
		{"M84", false, false, 0, "lets go of the motors"},
		{"M112", false, false, 0, "ends the print"},
		{"M104 S0", false, false, 0, "something else"},
		{"M118 A1 action:pause", false, false, 0, ""},
		{"M117 stop", false, false, 0, "only shows a message"},
		{"M0\nG28", false, false, 0, "line break"},
		{"T1", false, false, 0, "something else"},
		{"; hello", false, false, 0, "this is none"},
		{"   ", false, false, 0, "this is none"},
	} {
		t.Run(c.line, func(t *testing.T) {
			err := CheckStop(c.line)
			if err == nil != (c.why == "") || err != nil && !strings.Contains(err.Error(), c.why) {
				t.Errorf("%v, want %q", err, c.why)
			}
			if c.why == "" && (DoesItAll(c.line) != c.all || DrawsOut(c.line) != c.draws ||
				StopsFor(c.line) != c.waits) {
				t.Errorf("does it all %v, draws out %v, waits %g", DoesItAll(c.line),
					DrawsOut(c.line), StopsFor(c.line))
			}
		})
	}
}
