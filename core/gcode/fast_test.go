package gcode

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"
)

// sameMove parses a line both ways; when ParseMove takes it, both must agree.
func sameMove(t *testing.T, line []byte) bool {
	t.Helper()
	var a, b Command
	b.Parse([]byte("N1 M117 x;y")) // something to forget
	padded := append(append([]byte{}, line...), "G1 X1 Y1 E1 F1000 ;\n"...)
	n := b.ParseMove(padded)
	if n == 0 {
		return false
	}
	end := bytes.IndexByte(padded, '\n') + 1
	a.Parse(padded[:end])
	if n != end || a.has != b.has || a.bare != b.bare || a.Letter != b.Letter || a.Code != b.Code || a.Sub != b.Sub || b.Comment != nil || b.HasN || len(a.Bad)+len(b.Bad) > 0 {
		t.Fatalf("%q: %d bytes %+v, Parse says %d %+v", line, n, b, end, a)
	}
	for l := range 26 {
		if a.has&(1<<l) != 0 && a.val[l] != b.val[l] {
			t.Fatalf("%q: %c is %d, Parse says %d", line, 'A'+l, b.val[l], a.val[l])
		}
	}
	return true
}

func TestParseMove(t *testing.T) {
	for line, want := range map[string]bool{
		"G1 X10.5 Y-.25 E.04 F1800\n": true, "G0 X1\r\n": true, "G1 E-12345.67890\n": true, "G1 Z1234567.5\n": true,
		"G1 X1.\n": true, "G1 X.5\n": true, "G1 X1.123456\n": true, "G1 X12.1234567\n": false,
		"G1 X1.1234567\n": false, "G1 X12345678\n": false, "G1 X9000000\n": true, "G1 X9999999\n": false,
		"G1 X\n": false, "G1 X-\n": false, "G1 X.\n": false, "G1 X1 ; a\n": false, "G1  X1\n": false, "G1 X1 \n": false,
		"g1 X1\n": false, "G1X1\n": false, "G2 X1\n": false, "G1 X1*33\n": false, "G1 M1\n": false, "G1 X1 G0\n": false, "G1 X--1\n": false, "G10\n": false, "G1\n": false,
	} {
		if got := sameMove(t, []byte(line)); got != want {
			t.Errorf("%q taken: %v, want %v", line, got, want)
		}
	}
	r := rand.New(rand.NewPCG(3, 4))
	for range 200_000 {
		line := fmt.Appendf(nil, "G%d X%.*f Y%.*f E%.*f\n", r.IntN(2), r.IntN(7), r.Float64()*600-100, r.IntN(7), r.Float64()*600-100, r.IntN(7), r.Float64()*float64(int(1)<<r.IntN(24))-5)
		sameMove(t, line)
	}
}

func FuzzParseMove(f *testing.F) {
	f.Add([]byte("G1 X10.5 Y-.25 E.04 F1800\n"))
	f.Add([]byte("G0 X1.1234567 Y999999999\r\n"))
	f.Fuzz(func(t *testing.T, line []byte) { sameMove(t, line) })
}
