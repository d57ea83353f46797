package gcode

import (
	"bytes"
	"errors"
	"strings"
	"testing"
	"testing/iotest"
)

func TestScanner(t *testing.T) {
	long := "; " + strings.Repeat("x", 1<<20)
	file := "G1 X1 Y2 E3\r\n\n" + long + "\nG1 X5 E9 ; end\nM84"
	for name, r := range map[string]*Scanner{
		"at once":      NewScanner(strings.NewReader(file)),
		"byte by byte": NewScanner(iotest.OneByteReader(strings.NewReader(file))),
	} {
		var c Command
		var words []string
		var all bytes.Buffer
		for r.Scan(&c) {
			words = append(words, c.Word())
			all.Write(r.Text())
		}
		if r.Err() != nil || strings.Join(words, ",") != "G1,,,G1,M84" || all.String() != file {
			t.Errorf("%s: %v %v, %d of %d bytes", name, words, r.Err(), all.Len(), len(file))
		}
	}
	var c Command
	if s := NewScanner(bytes.NewReader(make([]byte, MaxLine+1))); s.Scan(&c) ||
		!errors.Is(s.Err(), ErrLong) {
		t.Error(s.Err())
	}
	if s := NewScanner(iotest.ErrReader(errors.ErrUnsupported)); s.Scan(&c) ||
		!errors.Is(s.Err(), errors.ErrUnsupported) {
		t.Error(s.Err())
	}
}
