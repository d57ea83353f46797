package proof

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"dogear/core/layer"
)

// quay is a block of twelve layers with two walls each, as a file that counts its
// filament from the start or in steps.
func quay(rel bool) []string {
	out := []string{"; harbour quay", "M140 S60", "M104 S210", "M190 S60", "M109 S210", "G21", "G90"}
	mode := "M82"
	if rel {
		mode = "M83"
	}
	out = append(out, mode, "M204 S800", "G28", "M107", "G92 E0", "G1 Z5 F600", "G0 X5 Y10 F6000",
		"G1 Z0.3",
		"G1 X5 Y60 E3 F1200", "G92 E0")
	e := 0.0
	move := func(x, y int, de float64) string {
		e += de
		if rel {
			return fmt.Sprintf("G1 X%d Y%d E%.4f", x, y, de)
		}
		return fmt.Sprintf("G1 X%d Y%d E%.4f", x, y, e)
	}
	pull := func(de float64) string {
		e += de
		if rel {
			return fmt.Sprintf("G1 E%.4f F2100", de)
		}
		return fmt.Sprintf("G1 E%.4f F2100", e)
	}
	if rel {
		out[len(out)-2] = "G1 X5 Y60 E3 F1200"
	}
	e = 0
	for n := 1; n <= 12; n++ {
		out = append(out, fmt.Sprintf("; course %d", n), fmt.Sprintf("G1 Z%.2f F600", 0.2*float64(n)))
		if n == 2 {
			out = append(out, "M106 S128", "M104 S205")
		}
		for w := range 2 {
			a, b := 50+3*w, 90-3*w
			out = append(out, pull(-0.8), fmt.Sprintf("G0 X%d Y%d F6000", a, a), pull(0.8), "G1 F1500",
				move(b, a, 1.6-0.2*float64(w)), move(b, b, 1.6), move(a, b, 1.6), move(a, a, 1.6))
		}
	}
	return append(out, "M107", "M104 S0", "M140 S0", "G91", "G1 Z5 F600", "G90", "M84")
}

// course returns the lines from where layer n begins to where the next one does.
func course(f []string, n int) (from, to int) {
	to = len(f) - 7
	for i, l := range f {
		if l == fmt.Sprintf("; course %d", n) {
			from = i
		}
		if l == fmt.Sprintf("; course %d", n+1) {
			to = i
		}
	}
	return from, to
}

// edits on copies of a file
func putIn(f []string, at int, lines ...string) []string {
	return append(append(append([]string{}, f[:at]...), lines...), f[at:]...)
}

func cut(f []string, from, to int) []string {
	return append(append([]string{}, f[:from]...), f[to:]...)
}

func swap(f []string, at int, line string) []string {
	out := append([]string{}, f...)
	out[at] = line
	return out
}

// at inserts lines where layer 6 begins.
func at6(lines ...string) func(f []string) []string {
	return func(f []string) []string { from, _ := course(f, 6); return putIn(f, from, lines...) }
}

// laying is the index of the k-th laying move of layer n, from 0.
func laying(f []string, n, k int) int {
	from, to := course(f, n)
	for i := from; i < to; i++ {
		if strings.HasPrefix(f[i], "G1 X") {
			if k == 0 {
				return i
			}
			k--
		}
	}
	return -1
}

// lineOf returns the first line at or behind from that begins so.
func lineOf(f []string, from int, begins string) int {
	for i := from; i < len(f); i++ {
		if strings.HasPrefix(f[i], begins) {
			return i
		}
	}
	return -1
}

// restoreE is the line that gives the axis back the place it has in front of a line.
func restoreE(f []string, at int) string {
	for i := at - 1; i >= 0; i-- {
		if k := strings.Index(f[i], " E"); k >= 0 && strings.HasPrefix(f[i], "G1 ") {
			return "G92 " + strings.Fields(f[i][k+1:])[0]
		}
	}
	return "G92 E0"
}

// moreE lets a move lay more filament.
func moreE(f []string, at int, by float64) []string {
	k := strings.Index(f[at], " E")
	var e float64
	fmt.Sscanf(f[at][k+2:], "%g", &e)
	return swap(f, at, fmt.Sprintf("%s E%.4f", f[at][:k], e+by))
}

func without(f []string, lines ...string) []string {
	var out []string
	for _, l := range f {
		keep := true
		for _, w := range lines {
			keep = keep && l != w
		}
		if keep {
			out = append(out, l)
		}
	}
	return out
}

// spell puts what "#E" stands for: how the file counts, and where its axis stands.
func spell(f, edited []string, rel bool) []string {
	var out []string
	for i, l := range edited {
		if l != "#E" {
			out = append(out, l)
			continue
		}
		if rel {
			out = append(out, "M83")
			continue
		}
		at := 0
		for k := range f { // the line behind it stands in the original
			if i+1 < len(edited) && f[k] == edited[i+1] {
				at = k
				break
			}
		}
		out = append(out, "M82", restoreE(f, at))
	}
	return out
}

func proveText(t *testing.T, a, b string) *Report {
	t.Helper()
	var ix [2]*layer.Index
	for i, s := range [2]string{a, b} {
		var err error
		if ix[i], err = layer.Read(context.Background(), strings.NewReader(s),
			layer.Options{}); err != nil {
			t.Fatal(err)
		}
	}
	r, err := Prove(context.Background(), bytes.NewReader([]byte(a)), bytes.NewReader([]byte(b)),
		ix[0], ix[1], nil)
	if err != nil {
		t.Fatal(err)
	}
	return r
}
