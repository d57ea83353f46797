package demo_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"
	"testing"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/routine"
	"dogear/demo"
)

// everyLayer is a plan with an ear before each layer; kinds, landings and stop
// words take turns.
func everyLayer(n int) *plan.Plan {
	p := &plan.Plan{Format: plan.Format, Filaments: map[string]plan.Filament{"white": {Name: "Gull white"}}}
	for k := 1; k <= n; k++ {
		e := plan.Ear{ID: fmt.Sprintf("e%d", k), BeforeLayer: k, Kind: plan.Colour, Filament: "white"}
		switch k % 5 {
		case 1:
			e.Land = plan.WhereItWas
		case 2:
			e.Kind, e.Note = plan.Insert, "two nuts; flat side down"
		case 3:
			e.Kind = plan.Nozzle
		case 4:
			e.Stop = "M600"
		}
		p.Ears = append(p.Ears, e)
	}
	return p
}

func apply(t *testing.T, file []byte, ix *layer.Index, p *plan.Plan) (*routine.Result, []byte) {
	t.Helper()
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	src := bytes.NewReader(file)
	res, err := routine.Apply(src, ix, p)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range res.Findings {
		if f.Level == layer.Grave {
			t.Fatalf("%s: %s", f.Code, f.Message)
		}
	}
	var out bytes.Buffer
	n, err := edit.Write(&out, src, res.Edits)
	if err != nil || n != int64(out.Len()) {
		t.Fatal(n, err)
	}
	return res, out.Bytes()
}

// TestSameDeposit lays a stop before every layer of every part in every
// dialect: all laying moves stay exactly equal, and the inserted lines can be
// taken out again without a trace.
func TestSameDeposit(t *testing.T) {
	for part, solid := range small() {
		for _, d := range demo.Dialects() {
			t.Run(part+"/"+d.Name, func(t *testing.T) {
				file, _ := demo.Slice(solid, d)
				ix, err := layer.Read(context.Background(), bytes.NewReader(file), layer.Options{})
				if err != nil {
					t.Fatal(err)
				}
				p := everyLayer(len(ix.Layers))
				res, out := apply(t, file, ix, p)
				v, err := proof.Compare(context.Background(), bytes.NewReader(file), bytes.NewReader(out), proof.Options{Box: ix.Box})
				if err != nil {
					t.Fatal(err)
				}
				if !v.Same {
					t.Fatalf("after %d moves: %+v", v.Moves, *v.First)
				}
				if v.StopsNew != len(p.Ears) {
					t.Errorf("%d new stops, want %d", v.StopsNew, len(p.Ears))
				}
				if got := withoutOurs(out); !bytes.Equal(got, file) {
					t.Error("taking our lines out does not give the original back")
				}
				stopsBetween(t, file, ix, res, out)
				read, err := io.ReadAll(edit.NewReader(bytes.NewReader(file), res.Edits))
				if err != nil || !bytes.Equal(read, out) {
					t.Error("the stream differs from the written file", err)
				}
			})
		}
	}
}

// withoutOurs removes the blocks between our comment lines.
func withoutOurs(out []byte) []byte {
	var keep []byte
	ours := false
	for line := range bytes.SplitAfterSeq(out, []byte("\n")) {
		begins := bytes.HasPrefix(line, []byte("; dogear ear "))
		if begins && bytes.HasSuffix(bytes.TrimSpace(line), []byte(" ends")) {
			ours = false
			continue
		}
		if begins {
			ours = true
		}
		if !ours {
			keep = append(keep, line...)
		}
	}
	return keep
}

// stopsBetween runs the edited file and checks, by geometry alone, that each
// stop lies between the right layers, and that the head is out of the way:
// lifted, aside, and never across the part below its top.
func stopsBetween(t *testing.T, file []byte, ix *layer.Index, res *routine.Result, out []byte) {
	t.Helper()
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	line, block := int64(0), 0
	lastZ, top := gcode.Nano(0), gcode.Nano(0)
	for s := range strings.SplitAfterSeq(string(out), "\n") {
		line++
		c.Parse([]byte(s))
		m.Exec(&c, &a)
		for block < len(res.Blocks) && line > res.OutLines(block)[1] {
			block++
		}
		inside := block < len(res.Blocks) && line >= res.OutLines(block)[0]
		if a.Kind == gcode.Lay && line > int64(ix.Prime.Last) {
			lastZ, top = m.Pos[2], max(top, m.Pos[2])
		}
		if !inside {
			continue
		}
		n := res.Blocks[block].Fold.Layer
		if a.Kind == gcode.Travel && a.MoveX && m.Pos[2] < top+gcode.MM {
			t.Fatalf("line %d: crosses the part at %v, its top is %v", line, m.Pos[2], top)
		}
		if a.Kind != gcode.Stop {
			continue
		}
		if n > 1 && lastZ != ix.Layers[n-2].Z {
			t.Fatalf("line %d: the stop before layer %d stands behind height %v, want %v", line, n, lastZ, ix.Layers[n-2].Z)
		}
		if c.Is('M', 0) && m.Pos[2] < top+10*gcode.MM {
			t.Fatalf("line %d: the head waits at %v, the part ends at %v", line, m.Pos[2], top)
		}
	}
}
