package place

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"dogear/core/layer"
)

// clock is what the file says of the time behind layer n: its first half goes faster than its
// second, for the same moves.
func clock(n int) float64 { return 65*float64(n) + 15*float64(max(n-20, 0)) }

// told is a print of 40 layers that shows 2.5 % a layer and tells the time behind each.
func told(t *testing.T) (*layer.Index, layer.Source) {
	t.Helper()
	var b strings.Builder
	b.WriteString("G28\nM83\nM104 S210\n")
	for n := range 40 {
		fmt.Fprintf(&b, ";layer %d\nM73 P%d R%d\nG1 Z%.1f F600\n", n, n*5/2, 40-n, 0.2*float64(n+1))
		for k := range 40 {
			fmt.Fprintf(&b, "G1 X%d Y%d E1 F1200\n", 10+40*(k%2), 10+k)
		}
		fmt.Fprintf(&b, ";elapsed %.1f s\n", clock(n+1))
	}
	src := bytes.NewReader([]byte(b.String()))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if ix.Marks.Clock != ";elapsed # s" {
		t.Fatalf("the clock is %q, the print takes %g s", ix.Marks.Clock, ix.Seconds)
	}
	return ix, src
}

func TestShown(t *testing.T) {
	ix, src := told(t)
	for _, c := range []struct{ text, want string }{
		{"M73 P50", "21"}, {"m73 p50 r20", "21"}, {"M73P51", "22"},
		{"50 %", "21"},
		{";elapsed 650.0 s", "11"}, {";elapsed 650.1 s", "11"}, {";layer 7", "8"},
		{"; layer 7", "stand in the file"}, {"M73 P99", "never shows 99 %"},
	} {
		t.Run(c.text, func(t *testing.T) {
			p, err := Parse(ix, src, c.text)
			got := fmt.Sprint(err)
			if err == nil {
				got = ""
				for _, f := range p.Folds {
					got += fmt.Sprintf(" %d", f.Layer)
				}
			}
			if !strings.Contains(got+" ", c.want) {
				t.Errorf("%s %+v, want %s", got, p, c.want)
			}
		})
	}
	// A time is meant by the estimate or by the file's own clock: both are offered.
	p, err := Parse(ix, src, "25 min")
	if err != nil || len(p.Folds) != 2 || p.Folds[0].Layer != 21 || p.Folds[1].Layer != 23 ||
		!strings.Contains(p.Folds[1].Words, "by the file's own clock") {
		t.Errorf("%+v %v, the print takes %g s", p, err, ix.Seconds)
	}
	if p, err := Parse(ix, nil, "25 min"); err != nil || len(p.Folds) != 1 {
		t.Errorf("without the file: %+v %v", p, err)
	}
}
