package demo_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/proof/second"
)

// routines are all that ship, in a fixed order.
func routines() []string { return slices.Sorted(maps.Keys(plan.Builtin())) }

// everyLayer is a plan with an ear before each layer; kinds, landings, stop
// words, heads-ups and bond passes take turns. Ear k runs the routine number
// k+turn, so that as many turns as there are routines run each at each layer.
func everyLayer(n, turn int) *plan.Plan {
	names := routines()
	p := &plan.Plan{Format: plan.Format, First: "red", Filaments: map[string]plan.Filament{
		"red": {Name: "Signal red", Unload: 60}, "white": {Name: "Gull white", Load: 70, Purge: 40}}}
	for k := 1; k <= n; k++ {
		e := plan.Ear{ID: fmt.Sprintf("e%d", k), BeforeLayer: k, Kind: plan.Colour, Filament: "white"}
		e.Routine, _ = json.Marshal(names[(k+turn)%len(names)])
		switch (k + turn) % 5 {
		case 1:
			e.Land = plan.WhereItWas
		case 2:
			e.Kind, e.Note = plan.Insert, "two nuts; flat side down"
		case 3:
			e.Kind, e.Filament = plan.Nozzle, ""
			e.HeadsUp = &plan.HeadsUp{Layers: 1}
		case 4:
			e.Stop = "M600"
		}
		if (k+turn)%7 == 0 {
			e.BondPass = &plan.BondPass{Flow: 0.3}
		}
		p.Ears = append(p.Ears, e)
	}
	return p
}

func applied(t *testing.T, file []byte, ix *layer.Index, p *plan.Plan,
	pockets ...landmark.Pocket) (*apply.Result, []byte) {
	t.Helper()
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	src := bytes.NewReader(file)
	res, err := apply.Plan(src, ix, p, pockets)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range res.Findings {
		if f.Level == finding.Stop {
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
	eachSliced(t, func(t *testing.T, s *sliced) {
		file, ix := s.file, s.ix
		for turn := range routines() {
			if testing.Short() && turn != len(file)%len(routines()) {
				continue
			}
			p := everyLayer(len(ix.Layers), turn)
			holds(t, file, ix, p)
		}
	})
}

// holds applies a plan to a file and checks what must hold of every edit.
func holds(t *testing.T, file []byte, ix *layer.Index, p *plan.Plan,
	pockets ...landmark.Pocket) (*apply.Result, []byte) {
	t.Helper()
	res, out := applied(t, file, ix, p, pockets...)
	own, err := proof.Marks(bytes.NewReader(out))
	if err != nil {
		t.Fatal(err)
	}
	v, err := second.Compare(context.Background(), bytes.NewReader(file), bytes.NewReader(out),
		second.Options{Box: ix.Box, Again: own.Again, Changed: own.Changed})
	if err != nil {
		t.Fatal(err)
	}
	if !v.Same {
		t.Fatalf("after %d moves: %+v", v.Moves, *v.First)
	}
	want := 0
	for i := range res.Blocks {
		// Of several ears at one fold some share a wait; a pause is no stop.
		b := &res.Blocks[i]
		if plan.StopsFor(p.StopOf(&b.Ear)) == 0 &&
			slices.ContainsFunc(b.Steps, func(s plan.Step) bool { return s.Do == "stop" }) {
			want++
		}
	}
	if v.StopsNew != want {
		t.Errorf("%d new stops, want %d", v.StopsNew, want)
	}
	if got := withoutOurs(out); len(res.Rewritten) == 0 && !bytes.Equal(got, file) {
		t.Error("taking our lines out does not give the original back")
	}
	takenOut(t, file, out, p)
	stopsBetween(t, file, ix, res, out)
	read, err := io.ReadAll(edit.NewReader(bytes.NewReader(file), res.Edits))
	if err != nil || !bytes.Equal(read, out) {
		t.Error("the stream differs from the written file", err)
	}
	return res, out
}

// takenOut opens an edited file without its plan: the original comes back, and
// so does what was decided.
func takenOut(t *testing.T, file, out []byte, p *plan.Plan) {
	t.Helper()
	taken, back := applytest.TakeOut(t, string(out))
	if back != string(file) {
		t.Error("what was taken out does not leave the original")
	}
	was, _ := json.Marshal([]any{p.Ears, p.Mutes})
	is, _ := json.Marshal([]any{taken.Plan.Ears, taken.Plan.Mutes})
	if !bytes.Equal(was, is) || len(taken.Lost) > 0 {
		t.Errorf("the ears come back otherwise, lost %v\nwas %s\nis  %s", taken.Lost, was, is)
	}
}

// TestInsideLayers stops at random lines inside layers.
func TestInsideLayers(t *testing.T) {
	eachSliced(t, func(t *testing.T, s *sliced) {
		file, ix := s.file, s.ix
		random := rand.New(rand.NewPCG(5, uint64(len(file))))
		p := everyLayer(len(ix.Layers), int(random.Uint32N(7)))
		for i := range p.Ears {
			l := &ix.Layers[i]
			p.Ears[i].BeforeLayer, p.Ears[i].BeforeLine = 0,
				l.First+1+random.Int64N(max(l.Last-l.First, 1))
		}
		holds(t, file, ix, p)
	})
}

// withoutOurs removes the blocks between our comment lines.
func withoutOurs(out []byte) []byte {
	var keep []byte
	ours := false
	for line := range bytes.SplitAfterSeq(out, []byte("\n")) {
		begins := bytes.HasPrefix(line, []byte("; dogear ear ")) ||
			bytes.HasPrefix(line, []byte("; dogear heads-up ")) || bytes.HasPrefix(line,
			[]byte("; dogear over ")) || bytes.HasPrefix(line, []byte("; dogear slow "))
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
func stopsBetween(t *testing.T, file []byte, ix *layer.Index, res *apply.Result, out []byte) {
	t.Helper()
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	line, block := int64(0), 0
	lastZ, top := gcode.Nano(0), gcode.Nano(0)
	ends, low, high := heightsOf(file, ix)
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
		if res.Blocks[block].Fold.Inside { // at a height of the layer itself
			if lastZ > high[n-1] || lastZ < low[n-1] {
				t.Fatalf("line %d: the stop inside layer %d stands behind height %v", line, n, lastZ)
			}
		} else if n > 1 && lastZ != ends[n-2] {
			t.Fatalf("line %d: the stop before layer %d stands behind height %v, want %v", line, n, lastZ,
				ends[n-2])
		}
		lifts := slices.ContainsFunc(res.Blocks[block].Steps,
			func(s plan.Step) bool { return s.Do == "lift" })
		if c.Is('M', 0) && m.Pos[2] < top+10*gcode.MM && lifts {
			t.Fatalf("line %d: the head waits at %v, the part ends at %v", line, m.Pos[2], top)
		}
	}
}

// heightsOf runs the file and returns of each layer the height at which its last move
// ends, and the lowest and highest at which one does.
func heightsOf(file []byte, ix *layer.Index) (ends, low, high []gcode.Nano) {
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	n := len(ix.Layers)
	ends, low, high = make([]gcode.Nano, n), make([]gcode.Nano, n), make([]gcode.Nano, n)
	line := int64(0)
	for s := range strings.SplitAfterSeq(string(file), "\n") {
		line++
		c.Parse([]byte(s))
		m.Exec(&c, &a)
		k := ix.At(line) - 1
		if a.Kind != gcode.Lay || line <= ix.Prime.Last || k < 0 {
			continue
		}
		if line == ix.Layers[k].First {
			low[k] = m.Pos[2]
		}
		ends[k] = m.Pos[2]
		low[k], high[k] = min(low[k], m.Pos[2]), max(high[k], m.Pos[2])
	}
	return ends, low, high
}
