package gcode

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
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
	if n != end || a.has != b.has || a.bare != b.bare || a.Letter != b.Letter || a.Code != b.Code ||
		a.Sub != b.Sub || b.Comment != nil || b.HasN || len(a.Bad)+len(b.Bad) > 0 {
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
		"G1 X10.5 Y-.25 E.04 F1800\n": true, "G0 X1\r\n": true, "G1 E-12345.67890\n": true,
		"G1 Z1234567.5\n": true,
		"G1 X1.\n":        true, "G1 X.5\n": true, "G1 X1.123456\n": true, "G1 X12.1234567\n": false,
		"G1 X1.1234567\n": false, "G1 X12345678\n": false, "G1 X9000000\n": true, "G1 X9999999\n": false,
		"G1 X\n": false, "G1 X-\n": false, "G1 X.\n": false, "G1 X1 ; a\n": false, "G1  X1\n": false,
		"G1 X1 \n": false,
		"g1 X1\n":  false, "G1X1\n": false, "G2 X1\n": false, "G1 X1*33\n": false, "G1 M1\n": false,
		"G1 X1 G0\n": false, "G1 X--1\n": false, "G10\n": false, "G1\n": false,
	} {
		if got := sameMove(t, []byte(line)); got != want {
			t.Errorf("%q taken: %v, want %v", line, got, want)
		}
	}
	r := rand.New(rand.NewPCG(3, 4))
	for range 200_000 {
		line := fmt.Appendf(nil, "G%d X%.*f Y%.*f E%.*f\n", r.IntN(2), r.IntN(7), r.Float64()*600-100,
			r.IntN(7), r.Float64()*600-100, r.IntN(7), r.Float64()*float64(int(1)<<r.IntN(24))-5)
		sameMove(t, line)
	}
}

func FuzzParseMove(f *testing.F) {
	f.Add([]byte("G1 X10.5 Y-.25 E.04 F1800\n"))
	f.Add([]byte("G0 X1.1234567 Y999999999\r\n"))
	f.Fuzz(func(t *testing.T, line []byte) { sameMove(t, line) })
}

// checkRun carries lines out both ways from the same state.
func checkRun(t *testing.T, start State, text []byte) int {
	t.Helper()
	padded := append(append([]byte{}, text...), bytes.Repeat([]byte("; end of the run\n"), 8)...)
	a, b := Machine{State: start}, Machine{State: start}
	run := Run{Ends: make([][2]Nano, 0, 64), Box: [4]Nano{start.Pos[0], start.Pos[1], start.Pos[0],
		start.Pos[1]}, Each: make([]Nano, 0, 64)}
	n := a.LayRun(padded, &run)
	var c Command
	var act Act
	var laid Nano
	lines := 0
	for line := range bytes.SplitAfterSeq(padded[:n], []byte("\n")) {
		if len(line) == 0 {
			continue
		}
		c.Parse(line)
		b.Exec(&c, &act)
		laid += act.Laid
		if act.Kind != Lay || run.Each[lines] != act.Laid || act.Laid != act.DE ||
			run.Ends[lines] != [2]Nano{b.Pos[0], b.Pos[1]} {
			t.Fatalf("%q: move %d is %+v, ends at %v", text, lines+1, act, run.Ends[lines])
		}
		if p := b.Pos; p[0] < run.Box[0] || p[0] > run.Box[2] || p[1] < run.Box[1] || p[1] > run.Box[3] {
			t.Fatalf("%q: %v lies outside %v", text, p, run.Box)
		}
		lines++
	}
	if a.State != b.State || lines != len(run.Ends) || laid != run.Laid ||
		run.CRs != bytes.Count(padded[:n], []byte("\r\n")) {
		t.Fatalf("%q: %d lines\n%+v\n%+v", text, lines, a.State, b.State)
	}
	// A run that was taken apart ahead, in a block that begins before it, is the same.
	const before = "the end of another line\n"
	block := append([]byte(before), padded...)
	ahead := Machine{State: start}
	again := Run{Ends: make([][2]Nano, 0, 64), Box: [4]Nano{start.Pos[0], start.Pos[1],
		start.Pos[0], start.Pos[1]}, Rows: Ahead(block, nil), From: len(before)}
	k := ahead.LayRun(block[len(before):], &again)
	if k != n || ahead.State != a.State || again.Laid != run.Laid || again.Box != run.Box ||
		!slices.Equal(again.Ends, run.Ends) {
		t.Fatalf("%q: %d bytes, taken apart ahead %d\n%+v\n%+v", text, n, k, a.State, ahead.State)
	}
	return lines
}

func TestLayRun(t *testing.T) {
	known := State{Known: 7, RelE: true}
	for text, want := range map[string]int{
		"G1 X1 Y2 E.5\nG1 Y3 E1\nG1 E1 X2\r\n": 3,
		"G1 X1 E1\nG1 X2 E1 F1800\nG1 X3 E1\n": 1, // another speed
		"G1 X1 E1\nG1 X1 E1\n":                 1, // no movement
		"G1 X1 E1\nG1 X2 E-1\n":                1,
		"G1 X1 E1\nG1 X2\n":                    1,
		"G1 X1 E1\nG1 E1\n":                    1,
		"G1 X1 E1 Z2\n":                        0,
		"G0 X1 E1\n":                           0,
		"G1 X1 E1 ;\n":                         0,
		"G1 X1 E1 \n":                          0,
	} {
		if got := checkRun(t, known, []byte(text)); got != want {
			t.Errorf("%q: %d lines, want %d", text, got, want)
		}
	}
	for name, s := range map[string]State{"inches": {Known: 7, Inch: true},
		"steps": {Known: 7, RelXYZ: true}, "debt": {Known: 7, Debt: 1}, "unknown place": {}} {
		if checkRun(t, s, []byte("G1 X1 E1\n")) != 0 {
			t.Errorf("%s: taken", name)
		}
	}
	r := rand.New(rand.NewPCG(5, 6))
	for range 20_000 {
		s := State{Known: 7, RelE: r.IntN(2) == 0, OffE: Nano(r.IntN(1e8)), E: Nano(r.IntN(1e8)),
			Off: [3]Nano{Nano(r.IntN(1e7)), Nano(r.IntN(1e7))}}
		e := s.LogicalE().Millimetres()
		var b []byte
		for range 6 {
			if e += r.Float64(); s.RelE {
				e = r.Float64()
			}
			b = fmt.Appendf(b, "G1 X%.*f Y%.*f E%.5f\n", r.IntN(5), r.Float64()*300-9, r.IntN(5),
				r.Float64()*300-9, e)
		}
		checkRun(t, s, b)
	}
}

func FuzzLayRun(f *testing.F) {
	f.Add([]byte("G1 X1 Y2 E.5\nG1 Y3 E1\r\nG1 E1 X2\n"), true)
	f.Add([]byte("G1 X1 X2 E1 E3\nG1 X-0 Y.000001 E9.999999\n"), false)
	f.Fuzz(func(t *testing.T, text []byte, rel bool) { checkRun(t, State{Known: 7, RelE: rel}, text) })
}
