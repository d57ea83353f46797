package layer

import (
	"fmt"
	"strings"
	"testing"
)

func TestMarks(t *testing.T) {
	file := func(between func(n int) string) string {
		var b strings.Builder
		b.WriteString("M83\n; height 0.2 of all\n; 40 pieces\n")
		for n := range 20 {
			fmt.Fprintf(&b, "%sG1 Z%.2f\n; wall\nG1 X%d E1\n; fill\nG1 X%d Y%d E1\n", between(n),
				0.2*float64(n+1), 10+n%2, n%2, n)
		}
		b.WriteString("M104 S0\n")
		return b.String()
	}
	for _, c := range []struct {
		name                 string
		between              func(n int) string
		mark, height, clock  string
		offset               int64
		hasOffset, hasNumber bool
	}{
		{"counting from 0", func(n int) string { return fmt.Sprintf("; floor %d\n", n) }, "; floor #", "",
			"", -1, true, true},
		{"counting from 1 of many", func(n int) string { return fmt.Sprintf("; floor %d of 20\n", n+1) },
			"; floor # of #", "", "", 0, true, true},
		{"message", func(n int) string { return fmt.Sprintf("M117 floor%d\n", n+3) }, "M117 floor#", "",
			"", 2, true, true},
		{"plain mark and height", func(n int) string {
			return fmt.Sprintf("; up\n; top %.2f\n"+
				"; thick 0.2\n", 0.2*float64(n+1))
		}, "; up", "; top #", "", 0, false, false},
		{"clock and number",
			func(n int) string { return fmt.Sprintf("; %.1f s\n; no %d\n", 7.5*float64(n), n) }, "; no #",
			"", "; # s", -1, true, true},
		{"none", func(n int) string { return "" }, "", "", "", 0, false, false},
		{"constant numbers are settings", func(n int) string { return "; width 0.45\n" }, "", "", "", 0,
			false, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			ix := read(t, file(c.between))
			m := ix.Marks
			if m.Layer != c.mark || m.Height != c.height || m.Clock != c.clock || m.Offset != c.offset ||
				m.HasOffset != c.hasOffset || ix.Layers[7].HasNumber != c.hasNumber {
				t.Errorf("%+v", m)
			}
		})
	}
}

func TestMarksDisagree(t *testing.T) {
	var b strings.Builder
	b.WriteString("M83\n")
	for n := range 40 {
		if n != 20 && n != 30 {
			fmt.Fprintf(&b, "; tier %d\n", n)
		}
		fmt.Fprintf(&b, "G1 Z%.1f F3000\nG1 X%d E9\nG1 X%d Y%d E9\n", 0.2*float64(n+1), 100+n%2, n%2, n)
	}
	b.WriteString("M104 S0\n")
	ix := read(t, b.String())
	if len(ix.Layers) != 40 || len(ix.Findings) != 1 || !strings.Contains(ix.Findings[0].Message,
		"layers 21, 31") || ix.Layers[20].HasNumber {
		t.Errorf("%d layers, %+v", len(ix.Layers), ix.Findings)
	}
}
