package apply_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// crossing is a frame of 30 mm round a pocket of 10 mm in its middle. On every
// layer the head crosses the pocket once; way writes how it does so.
func crossing(layers int, way func(z float64) string) []byte {
	var b strings.Builder
	b.WriteString("G90\nM83\nM109 S210\nG28\n")
	for n := 1; n <= layers; n++ {
		z := 0.2 * float64(n)
		fmt.Fprintf(&b, "; storey %d\nG1 Z%.2f F600\nG1 X5 Y5 F6000\nG1 X35 Y5 E1 F1500\n"+
			"G1 X35 Y35 E1\nG1 X5 Y35 E1\nG1 X5 Y20 E.5\n%s\nG1 X35 Y21 E.1 F1500\n", n, z, way(z))
	}
	return []byte(b.String())
}

func well(ix *layer.Index, layers int) []landmark.Pocket {
	closes := layers
	return []landmark.Pocket{{Shape: "round", Centre: [2]float64{20, 20}, Across: 10,
		Size: [2]float64{10, 10}, Inscribed: 10, FirstOpen: 6, LastOpen: layers - 1, Closes: &closes,
		FloorZ: 1, Depth: 0.2 * float64(layers-6), Widest: 6}}
}

// TestOver lifts ways of every kind over a pin that stands 3 mm proud: those that
// name no height, that name their own, in steps, in inches, with a checksum.
func TestOver(t *testing.T) {
	for name, c := range map[string]struct {
		way       func(z float64) string
		rewritten bool
	}{
		"plain":  {func(float64) string { return "G0 X35 Y20 F9000" }, false},
		"in two": {func(float64) string { return "G0 X20 Y20 F9000\nG0 X35 Y20" }, false},
		"its own Z": {func(z float64) string {
			return fmt.Sprintf(
				"G0 X35 Y20 Z%.2f F9000 ; across", z)
		}, true},
		"a hop": {func(z float64) string {
			return fmt.Sprintf(
				"G1 Z%.2f F600\nG0 X35 Y20 F9000\nG1 Z%.2f F600", z+0.4, z)
		}, false},
		"in steps": {func(float64) string { return "G91\nG0 X30 Y0 F9000\nG90" }, false},
		"rising steps": {func(z float64) string {
			return "G91\nG0 X30 Z.4 F9000\nG0 Z-.4\nG90"
		}, false},
		"in inches": {func(float64) string {
			return "G20\nG0 X1.3779528 Y.7874016 F354\nG21\n" +
				"G0 X35 Y20"
		}, false},
		"with a sum": {func(z float64) string {
			return fmt.Sprintf(
				"N7 G0 X35 Y20 Z%.2f*12", z)
		}, true},
		"pulling back":  {func(float64) string { return "G1 X35 Y20 E-1 F9000\nG1 E1 F2100" }, false},
		"small letters": {func(z float64) string { return fmt.Sprintf("g0x35y20z%.2f", z) }, true},
	} {
		t.Run(name, func(t *testing.T) {
			file := crossing(40, c.way)
			src := bytes.NewReader(file)
			ix, err := layer.Read(context.Background(), src, layer.Options{})
			if err != nil {
				t.Fatal(name, err)
			}
			p := &plan.Plan{Format: plan.Format,
				Ears: []plan.Ear{{ID: "pin", BeforeLayer: 16, Kind: plan.Insert,
					Insert: &plan.InsertPart{Shape: "disc", Across: 9.5, Height: 5}}}}
			if err := p.Check(); err != nil {
				t.Fatal(err)
			}
			res, err := apply.Plan(src, ix, p, well(ix, 40))
			if err != nil {
				t.Fatal(name, err)
			}
			want := 14 // layers 16 to 29, up to 6 mm
			if name == "a hop" {
				want = 12 // the last two hop high enough
			}
			if len(res.Overs) != want || c.rewritten != (len(res.Rewritten) == want) {
				t.Errorf("%d ways are lifted, %d rewritten", len(res.Overs), len(res.Rewritten))
			}
			var out bytes.Buffer
			if _, err := edit.Write(&out, src, res.Edits); err != nil {
				t.Fatal(name, err)
			}
			clears(t, name, out.String())
			taken, err := apply.TakeOut(bytes.NewReader(out.Bytes()))
			if err != nil {
				t.Fatal(name, err)
			}
			var back bytes.Buffer
			if _, err := edit.Write(&back, bytes.NewReader(out.Bytes()), taken.Edits); err != nil ||
				!bytes.Equal(back.Bytes(), file) {
				t.Errorf("what was taken out does not leave the original (%v)", err)
			}
			if got := res.OutLines(0); !strings.HasPrefix(strings.Split(out.String(), "\n")[got[0]-1],
				"; dogear ear pin") {
				t.Errorf("the ear is not on line %d", got[0])
			}
		})
	}
}

// clears runs a file: behind the ear, every way over the pin passes above it, and
// every line is laid at the height and speed of its layer.
func clears(t *testing.T, name, file string) {
	t.Helper()
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	in := false
	for i, l := range strings.Split(file, "\n") {
		in = in || strings.HasPrefix(l, "; dogear ear pin ends")
		c.Parse([]byte(l))
		m.Exec(&c, &a)
		z := min(a.From[2], m.Pos[2])
		over := a.From[0] < 15*gcode.MM && m.Pos[0] > 25*gcode.MM || m.Pos[0] == 20*gcode.MM
		if in && a.Kind != gcode.Lay && a.MoveX && over && z < 6*gcode.MM-60_000 {
			t.Fatalf("%s, line %d: %q passes at %s mm", name, i+1, l, z)
		}
		if a.Kind == gcode.Lay && (m.Pos[2]%(gcode.MM/5) != 0 || m.Feed != 1500*gcode.MM) {
			t.Fatalf("%s, line %d: %q lays at %s mm, at F%s", name, i+1, l, m.Pos[2], m.Feed)
		}
	}
	if m.Pos[2] != 8*gcode.MM {
		t.Errorf("%s: ends at %s mm", name, m.Pos[2])
	}
}

// TestOverTwo lets one ear come while something stands proud: its head stays
// above it, and the ways behind it are lifted all the same.
func TestOverTwo(t *testing.T) {
	file := crossing(40, func(float64) string { return "G0 X35 Y20 F9000" })
	src := bytes.NewReader(file)
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{
		{ID: "pin", BeforeLayer: 10, Kind: plan.Insert, Insert: &plan.InsertPart{Shape: "disc",
			Across: 9.5, Height: 6.5}},
		{ID: "look", BeforeLayer: 14, Kind: plan.Colour},
	}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	res, err := apply.Plan(src, ix, p, well(ix, 40))
	if err != nil {
		t.Fatal(err)
	}
	for i := range res.Blocks {
		high := gcode.Nano(0)
		for _, l := range res.Blocks[i].Lines {
			high = max(high, l.To[2])
		}
		if high < gcode.FromMM(7.5+10) {
			t.Errorf("%s lifts to %s mm only; the pin ends at 7.5", res.Blocks[i].Ear.ID, high)
		}
	}
	if len(res.Overs) != 28 {
		t.Errorf("%d ways are lifted", len(res.Overs))
	}
	// A printer that ends just above it cannot lift over it.
	p.Printer.Top = 8.2
	if res, err = apply.Plan(src, ix, p, well(ix, 40)); err != nil || !grave(res) {
		t.Error("there is no room to lift, and nothing is said", err)
	}
}

func grave(r *apply.Result) bool {
	for _, f := range r.Findings {
		if f.Level == finding.Stop {
			return true
		}
	}
	return false
}
