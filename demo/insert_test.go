package demo_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/demo"
)

// pocketsOf finds the pockets of a file.
func pocketsOf(t *testing.T, file []byte) (*layer.Index, []landmark.Pocket) {
	t.Helper()
	ix := index(t, file)
	r, err := landmark.Find(context.Background(), bytes.NewReader(file), ix, nil)
	if err != nil {
		t.Fatal(err)
	}
	return ix, r.Pockets
}

// TestProudInserts puts things into the hollows of a block too early, in every
// dialect: the same plastic is laid, and nothing comes near them below their top.
func TestProudInserts(t *testing.T) {
	for _, d := range dialects(t) {
		t.Run(d.Name, func(t *testing.T) {
			t.Parallel()
			file, _ := demo.Slice(demo.Hollows(0.25), d)
			ix, pockets := pocketsOf(t, file)
			ear := func(id string, before int, at [2]float64, part plan.InsertPart) plan.Ear {
				return plan.Ear{ID: id, BeforeLayer: before, Kind: plan.Insert, Insert: &part,
					At: [][2]float64{at}, Bridge: &plan.Bridge{Speed: 60}}
			}
			p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{
				ear("pin", 24, [2]float64{128, 116}, plan.InsertPart{Shape: "disc", Across: 5, Height: 3.8,
					Steel: true}),
				ear("nut", 29, [2]float64{116, 110}, plan.InsertPart{Shape: "hex", Across: 10, Height: 6.4,
					Steel: true}),
				ear("ball", 33, [2]float64{88, 110}, plan.InsertPart{Shape: "ball", Across: 8, Height: 8,
					Steel: true}),
				{ID: "colour", BeforeLayer: 34, Kind: plan.Colour},
			}}
			res, out := holds(t, file, ix, p, pockets...)
			if len(res.Overs) < 20 || len(res.Slows) < 2 {
				t.Errorf("%d ways are lifted, %d bridges slowed", len(res.Overs), len(res.Slows))
			}
			clear := []thing{{88, 110, 4, 10.8, "ball"}, {128, 116, 2.5, 7.75, "pin"},
				{116, 110, 5, 9.4, "nut"}}
			keepsClear(t, res, out, clear)
		})
	}
}

// thing is a round thing in a pocket, from its ear on.
type thing struct {
	x, y, r, top float64
	ear          string
}

// keepsClear runs a file and checks, apart from how the lifts were worked out,
// that no way passes over a thing below its top.
func keepsClear(t *testing.T, res *apply.Result, out []byte, things []thing) {
	t.Helper()
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	from := map[string]int64{}
	for i := range res.Blocks {
		from[res.Blocks[i].Ear.ID] = res.OutLines(i)[1]
	}
	line := int64(0)
	for s := range strings.SplitAfterSeq(string(out), "\n") {
		line++
		c.Parse([]byte(s))
		m.Exec(&c, &a)
		if a.Kind == gcode.Lay || !a.MoveX {
			continue
		}
		for _, o := range things {
			z := min(a.From[2], m.Pos[2]).Millimetres()
			if line <= from[o.ear] || z >= o.top-0.06 {
				continue
			}
			x0, y0 := a.From[0].Millimetres()-o.x, a.From[1].Millimetres()-o.y
			dx, dy := (m.Pos[0] - a.From[0]).Millimetres(), (m.Pos[1] - a.From[1]).Millimetres()
			k := math.Max(0, math.Min(1, -(x0*dx+y0*dy)/math.Max(dx*dx+dy*dy, 1e-9)))
			if gap := math.Hypot(x0+k*dx, y0+k*dy) - o.r; gap < 0.4 && a.Arc.Turn == 0 {
				t.Fatalf("line %d: %q passes the %s at %.2f mm, %.2f mm beside it; it is %.2f mm high", line,
					strings.TrimSpace(s), o.ear, z, gap, o.top)
			}
		}
	}
}

// TestTooProud stops a file from being written that would be laid into what goes
// in.
func TestTooProud(t *testing.T) {
	file, _ := demo.Slice(demo.Hollows(0.25), demo.DialectNamed("plain"))
	ix, pockets := pocketsOf(t, file)
	for name, c := range map[string]struct {
		part plan.InsertPart
		stop bool
	}{
		"fits":      {plan.InsertPart{Shape: "disc", Across: 5, Height: 3.9}, false},
		"just fits": {plan.InsertPart{Shape: "disc", Across: 5, Height: 4}, false},
		"too high":  {plan.InsertPart{Shape: "disc", Across: 5, Height: 4.2}, true},
		// it does not go in: said, not refused
		"too wide":   {plan.InsertPart{Shape: "disc", Across: 6, Height: 3}, false},
		"two of two": {plan.InsertPart{Shape: "disc", Across: 5, Height: 2}, false},
	} {
		t.Run(name, func(t *testing.T) {
			n := 33 // the layer that closes the shaft
			p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: n,
				Kind: plan.Insert, Insert: &c.part, Count: 1, At: [][2]float64{{128, 116}}}}}
			if name == "two of two" {
				p.Ears[0].Count = 2
			}
			if err := p.Check(); err != nil {
				t.Fatal(err)
			}
			res, err := apply.Plan(bytes.NewReader(file), ix, p, pockets)
			if err != nil {
				t.Fatal(err)
			}
			grave := ""
			for _, f := range res.Findings {
				if f.Level == finding.Stop {
					grave = f.Message
				}
			}
			if (grave != "") != c.stop || c.stop && !strings.Contains(grave, fmt.Sprintf("Layer %d would "+
				"be laid into", n)) {
				t.Errorf("%q", grave)
			}
		})
	}
}
