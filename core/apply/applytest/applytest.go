// Package applytest has what the tests of several packages do with a plan and a small file.
package applytest

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/plan"
)

// File is two layers, absolute, retracted before the second one.
const File = `G21
G90
M82
M109 S210
G28
M106 S128
M204 S900
G1 Z0.2 F600
G1 X50 Y50 F3000
G1 X60 Y50 E1 F1500
G1 E0.2 F2100
; floor 1
G1 Z0.4 F600
G0 X50 Y51 F6000
G1 E1 F2100
G1 X60 Y51 E2 F1500
M104 S0
`

// Tall is a tower of twelve layers whose nozzle changes at layer 2 and 8.
func Tall() string {
	var b strings.Builder
	b.WriteString("M82\nM109 S215\nG28\n")
	e := 0.0
	for n := 1; n <= 12; n++ {
		fmt.Fprintf(&b, "; tier %d\n", n)
		switch n {
		case 2:
			b.WriteString("M104 S205 ; later\n")
		case 8:
			b.WriteString("M104 S200\nM104 T1 S150\n")
		}
		fmt.Fprintf(&b, "G1 Z%.1f F600\nG0 X50 Y%d F6000\n", 0.2*float64(n), 50+n%2)
		for k := range 6 {
			e += 1
			fmt.Fprintf(&b, "G1 X%d Y%d E%.1f F900\nG0 X%d\n", 60+k, 50+k, e, 50+k)
		}
	}
	b.WriteString("M104 S0\nM84\n")
	return b.String()
}

// Lay applies a plan to a file; nothing may stop it. It returns the file that comes of it.
func Lay(t testing.TB, file string, p *plan.Plan) (*apply.Result, string) {
	t.Helper()
	src, ix := Reading(t, file)
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	res, err := apply.Plan(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range res.Findings {
		if f.Level == finding.Stop {
			t.Fatal(f)
		}
	}
	return res, Written(t, src, res.Edits)
}

// TakeOut takes out of a file what was put in, and returns what it was before.
func TakeOut(t testing.TB, file string) (*apply.Taken, string) {
	t.Helper()
	src := strings.NewReader(file)
	taken, err := apply.TakeOut(src)
	if err != nil {
		t.Fatal(err)
	}
	return taken, Written(t, src, taken.Edits)
}

// Written is what edits make of a file.
func Written(t testing.TB, src layer.Source, edits []edit.Edit) string {
	t.Helper()
	var out bytes.Buffer
	if _, err := edit.Write(&out, src, edits); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

// Reading reads a file.
func Reading(t testing.TB, file string) (layer.Source, *layer.Index) {
	t.Helper()
	src := strings.NewReader(file)
	ix, err := layer.Read(t.Context(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return src, ix
}

// Block returns the lines of an ear's block without comments, one a line.
func Block(out, id string) string {
	_, rest, _ := strings.Cut(out, "; dogear ear "+id+":")
	in, _, _ := strings.Cut(rest, "; dogear ear "+id+" ends")
	var lines []string
	for l := range strings.Lines(in) {
		l, _, _ = strings.Cut(strings.TrimSpace(l), " ;")
		if l != "" && l[0] != ';' && !strings.Contains(l, "before layer") {
			lines = append(lines, l)
		}
	}
	return strings.Join(lines, "\n")
}

// InOrder reports whether texts stand in a text one behind another.
func InOrder(text string, all ...string) bool {
	for _, t := range all {
		_, rest, ok := strings.Cut(text, t)
		if !ok {
			return false
		}
		text = rest
	}
	return true
}
