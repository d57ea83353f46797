package edit

import (
	"bytes"
	"testing"

	"dogear/core/gcode"
)

func TestRenumber(t *testing.T) {
	file := "; head\nN7 G28*99\n\nN8 G1 X1 E2*3 ; wall\r\nM0 wait here\n; dogear\nN9 M84"
	var b bytes.Buffer
	r := &Renumber{W: &b}
	for i := range len(file) { // one byte at a time
		if _, err := r.Write([]byte{file[i]}); err != nil {
			t.Fatal(err)
		}
	}
	if err := r.Close(); err != nil {
		t.Fatal(err)
	}
	want := "; head\nN1 G28*18\n\nN2 G1 X1 E2*52 ; wall\r\nN3 M0 wait here*49\n; dogear\nN4 M84*27"
	if b.String() != want {
		t.Errorf("got  %q\nwant %q", b.String(), want)
	}
	var c gcode.Command
	for line := range bytes.SplitSeq(b.Bytes(), []byte("\n")) {
		if c.Parse(line); c.HasN && (!c.HasSum || !c.SumOK) {
			t.Errorf("%q: the checksum is wrong", line)
		}
	}
}
