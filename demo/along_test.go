package demo_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"regexp"
	"slices"
	"testing"

	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/printer"
	"dogear/core/proof"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestCutMoves goes on from a place inside a move, in every dialect: it is let through, and on the
// bed lies the rest of the move, with its share of the filament, and then what the original lays.
func TestCutMoves(t *testing.T) {
	made := 0
	eachFile(t, 11, func(part, dialect string, file []byte, ix *layer.Index, random *rand.Rand) {
		src := bytes.NewReader(file)
		whole, _ := print(t, file, nil)
		for range 3 {
			n := 2 + random.IntN(len(ix.Layers)-1)
			moves, err := ix.Decode(src, n)
			if err != nil {
				t.Fatal(err)
			}
			var long []*layer.Move
			for i := range moves {
				if m := &moves[i]; m.Kind == gcode.Lay && m.Arc == nil && m.Length() > 3 {
					long = append(long, m)
				}
			}
			if len(long) == 0 {
				continue
			}
			m := long[random.IntN(len(long))]
			if m.Line >= ix.Layers[len(ix.Layers)-1].Last {
				continue
			}
			c := pickup.Choice{Start: pickup.Mid, Line: m.Line, Along: float64(1 + random.IntN(99)),
				Ease: pickup.Ease{Layers: random.IntN(2)},
				Z:    []string{pickup.ByTouch, pickup.ByKept}[random.IntN(2)]}
			if random.IntN(2) == 0 {
				c.DX, c.DZ = 0.3, 0.05
			}
			r, err := gate.Pickup(context.Background(), src, ix, &plan.Plan{Format: plan.Format}, nil, c,
				gate.Asked{})
			if err != nil {
				t.Fatalf("%s, %s, %+v: %v", part, dialect, c, err)
			}
			f := r.Stopped()
			if f != nil && f.Code == "drag" && (part == "ballast" || part == "piles") {
				continue // a wall half a layer higher stands beside it: refused
			}
			if f != nil || !r.Report().Same {
				t.Fatalf("%s, %s, %+v: %v, %+v", part, dialect, c, f, r.Report())
			}
			var out bytes.Buffer
			if _, err := r.Write(&out); err != nil {
				t.Fatal(err)
			}
			laid, p := print(t, out.Bytes(), nil)
			if p.State != printer.Done {
				t.Fatalf("%s, %s, %+v: %s", part, dialect, c, p.State)
			}
			restOf(t, part+", "+dialect, m, &c, whole, laid)
			made++
		}
	})
	if made < demotest.Least(60) {
		t.Error("only", made, "moves were cut")
	}
}

// restOf checks that what was laid in the end is the rest of a move and all that comes behind it.
func restOf(t *testing.T, name string, m *layer.Move, c *pickup.Choice,
	whole, laid []printer.Laid) {
	t.Helper()
	for len(whole) > 0 && whole[0].Line <= m.Line {
		whole = whole[1:]
	}
	k := len(laid) - len(whole) - 1
	if k < 0 {
		t.Fatalf("%s, %+v: %d moves are laid, %d should be", name, c, len(laid), len(whole)+1)
	}
	shift := [3]gcode.Nano{gcode.FromMM(c.DX), gcode.FromMM(c.DY), gcode.FromMM(c.DZ)}
	first, share := laid[k], 1-c.Along/100
	want := m.Laid.Millimetres() * share
	if math.Abs(first.Amount.Millimetres()-want) > 2e-5 {
		t.Errorf("%s, %+v: the rest takes %v mm, want %.5f", name, c, first.Amount, want)
	}
	for i := range 3 {
		if first.To[i] != m.To[i]+shift[i] {
			t.Errorf("%s, %+v: the rest ends at %v, the move at %v", name, c, first.To, m.To)
		}
		from := m.From[i].Millimetres() + c.Along/100*(m.To[i]-m.From[i]).Millimetres()
		if d := (first.From[i] - shift[i]).Millimetres() - from; math.Abs(d) > 0.001 {
			t.Errorf("%s, %+v: the rest begins %g mm off", name, c, d)
		}
	}
	for i := range whole {
		a, b := &whole[i], &laid[k+1+i]
		if a.Amount != b.Amount || b.To[0] != a.To[0]+shift[0] || b.To[1] != a.To[1]+shift[1] {
			t.Fatalf("%s, %+v: %+v is laid as %+v", name, c, *a, *b)
		}
	}
}

// TestCutWhat refuses places that cannot be cut.
func TestCutWhat(t *testing.T) {
	file := []byte("M109 S210\nG28\nM83\nG1 Z0.2 F600\nG0 X10 Y10 F6000\nG1 X50 E2 F1200\n" +
		"G1 Y50 E2\nG1 Z0.4\nG0 X10 Y10\nG1 X50 E2\nG2 X60 Y20 I0 J10 E1\nG1 Y50 E2\nM104 S0\n")
	ix := index(t, file)
	for _, c := range []struct {
		line  int64
		along float64
		ok    bool
	}{{10, 50, true}, {10, 0.5, false}, {10, 99.5, false}, {10, math.NaN(), false}, {9, 50, false},
		{11, 50, false}, {12, 50, true}, {2, 50, false}, {13, 50, false}} {
		t.Run(fmt.Sprintf("line %d, %g %%", c.line, c.along), func(t *testing.T) {
			_, err := pickup.Make(bytes.NewReader(file), ix, nil, pickup.Choice{Start: pickup.Mid,
				Line: c.line, Along: c.along, Z: pickup.ByTouch}, nil)
			if (err == nil) != c.ok {
				t.Errorf("line %d, %g %%: %v", c.line, c.along, err)
			}
		})
	}
}

// longMove is a file with the line of a long laying move of its layer 12.
func longMove(t *testing.T) (*bytes.Reader, *layer.Index, int64) {
	t.Helper()
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	ix := index(t, file)
	src := bytes.NewReader(file)
	moves, err := ix.Decode(src, 12)
	if err != nil {
		t.Fatal(err)
	}
	line := moves[slices.IndexFunc(moves, func(m layer.Move) bool {
		return m.Kind == gcode.Lay && m.Length() > 20
	})].Line
	return src, ix, line
}

// TestCutTampered examines openings that lay another rest than the move has left: more of it, to
// another place, with another speed, or none at all.
func TestCutTampered(t *testing.T) {
	src, ix, line := longMove(t)
	c := pickup.Choice{Start: pickup.Mid, Line: line, Along: 40, Z: pickup.ByTouch}
	made, err := pickup.Make(src, ix, nil, c, nil)
	if err != nil {
		t.Fatal(err)
	}
	s := &made.Start
	rest := regexp.MustCompile(`(?m)^G1 X(\S+) Y(\S+) E(\S+) F(\S+) ; the rest of line .*$`)
	for name, to := range map[string]string{"as it is": "$0", "none": "; nothing",
		"twice": "$0\n$0", "more": "G1 X$1 Y$2 E3 F$4", "elsewhere": "G1 X$1 Y90 E$3 F$4",
		"faster": "G1 X$1 Y$2 E$3 F9000"} {
		edits := slices.Clone(made.Edits)
		was := edits[0].Text
		edits[0].Text = rest.ReplaceAll(was, []byte(to))
		if name != "as it is" && bytes.Equal(was, edits[0].Text) {
			t.Fatalf("no rest of a move: %s", was)
		}
		j := &proof.Jump{Src: src, Ix: ix, Line: s.Line, At: made.Expects, Stands: true,
			Rest: &proof.Rest{From: s.Rest.From, To: s.Rest.To, Laid: s.Rest.Laid}}
		rep, err := proof.Check(context.Background(), &proof.Work{Src: src, Ix: ix, Edits: edits,
			Jumps: map[int64]*proof.Jump{s.Offset: j}, Top: s.Top})
		if err != nil {
			t.Fatal(err)
		}
		good := rep.Same && len(codesOf(rep.Findings, finding.Stop)) == 0
		if good != (name == "as it is") {
			t.Errorf("%s: let through %v, %+v", name, good, rep.Findings)
		}
	}
}

func codesOf(all []finding.Finding, level finding.Level) (out []string) {
	for _, f := range all {
		if f.Level == level {
			out = append(out, f.Code)
		}
	}
	return out
}

// TestCutMuted refuses to cut a move that the plan mutes.
func TestCutMuted(t *testing.T) {
	src, ix, line := longMove(t)
	p := &plan.Plan{Format: plan.Format, Printer: plan.Generic(),
		Mutes: []plan.Span{{From: line, To: line}}}
	c := pickup.Choice{Start: pickup.Mid, Line: line, Along: 40, Z: pickup.ByTouch}
	_, err := gate.Pickup(context.Background(), src, ix, p, nil, c, gate.Asked{})
	if !errors.Is(err, pickup.ErrCutChanged) {
		t.Errorf("the rest of a muted move would be laid: %v", err)
	}
	c.Along = 0
	if _, err = gate.Pickup(context.Background(), src, ix, p, nil, c, gate.Asked{}); err != nil {
		t.Error(err)
	}
}
