package gate

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"dogear/core/layer"
	"dogear/core/plan"
)

// pier is a block of n layers with two walls each, as a file that counts its filament
// from the start or in steps.
func pier(n int, rel bool) string {
	var b strings.Builder
	mode := "M82"
	if rel {
		mode = "M83"
	}
	fmt.Fprintf(&b, "; harbour pier\nM140 S60\nM104 S210\nM190 S60\nM109 S210\nG21\nG90\n%s\nM204 "+
		"S800\nG28\nM107\nG92 E0\nG1 Z5 F600\nG0 X150 Y150 F6000\nG0 X5 Y10\nG1 Z0.3\nG1 X5 Y60 E3 "+
		"F1200\nG92 E0\n", mode)
	e := 0.0
	word := func(de float64) string {
		if e += de; rel {
			return fmt.Sprintf("E%.4f", de)
		}
		return fmt.Sprintf("E%.4f", e)
	}
	for k := 1; k <= n; k++ {
		fmt.Fprintf(&b, "; course %d\nG1 Z%.2f F600\n", k, 0.2*float64(k))
		if k == 2 {
			b.WriteString("M106 S128\nM104 S205\n")
		}
		for w := range 2 {
			lo, hi := 50+3*w, 90-3*w
			fmt.Fprintf(&b, "G1 %s F2100\nG0 X%d Y%d F6000\nG1 %s F2100\nG1 F1500\n", word(-0.8), lo, lo,
				word(0.8))
			for _, p := range [4][2]int{{hi, lo}, {hi, hi}, {lo, hi}, {lo, lo}} {
				fmt.Fprintf(&b, "G1 X%d Y%d %s\n", p[0], p[1], word(1.6))
			}
		}
	}
	b.WriteString("M107\nM104 S0\nM140 S0\nG91\nG1 Z5 F600\nG90\nM84\n")
	return b.String()
}

func read(t *testing.T, file string) (layer.Source, *layer.Index) {
	t.Helper()
	src := bytes.NewReader([]byte(file))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return src, ix
}

func planned(t *testing.T, file string, p *plan.Plan, accept ...string) (*Release, error) {
	t.Helper()
	src, ix := read(t, file)
	p.Format = plan.Format
	if err := p.Check(); err != nil {
		return nil, err
	}
	return Plan(context.Background(), src, ix, p, nil, Asked{Accept: accept})
}

// written writes a release that must be written.
func written(t *testing.T, r *Release) string {
	t.Helper()
	var b bytes.Buffer
	if _, err := r.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func steps(s ...plan.Step) json.RawMessage {
	j, _ := json.Marshal(append(s, plan.Step{Do: "return"}, plan.Step{Do: "restore"}))
	return j
}

func own(lines ...string) *plan.Plan {
	return &plan.Plan{Ears: []plan.Ear{{ID: "a", BeforeLayer: 9, Kind: plan.Own, Lines: lines}}}
}
