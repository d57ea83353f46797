package demo_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/proof/second"
	"dogear/demo"
)

// pick writes a pick-up and checks what must hold of every one.
func pick(t *testing.T, file []byte, ix *layer.Index, c pickup.Choice) (*pickup.Pickup, []byte) {
	t.Helper()
	src := bytes.NewReader(file)
	p, err := pickup.Make(src, ix, nil, c, nil)
	if err != nil {
		t.Fatalf("%+v: %v", c, err)
	}
	for _, f := range p.Findings {
		if f.Level == finding.Stop {
			t.Fatalf("%+v: %s: %s", c, f.Code, f.Message)
		}
	}
	var out bytes.Buffer
	if _, err := edit.Write(&out, src, p.Edits); err != nil {
		t.Fatal(err)
	}
	if rest := file[p.Start.Offset:]; !bytes.HasSuffix(out.Bytes(), rest) {
		t.Fatalf("%+v: the rest is not byte for byte the original", c)
	}
	v, err := second.Compare(context.Background(), bytes.NewReader(file), bytes.NewReader(out.Bytes()),
		second.Options{Box: boxOf(ix, c), Start: p.Start.Line, Opening: int64(p.Length),
			Shift: p.Shift})
	if want := [3]gcode.Nano{gcode.FromMM(c.DX), gcode.FromMM(c.DY),
		gcode.FromMM(c.DZ)}; !c.LooseTop && p.Shift != want {
		t.Fatalf("moved by %v, want %v", p.Shift, want)
	}
	if err != nil {
		t.Fatal(err)
	}
	if !v.Same || v.Moves == 0 {
		t.Fatalf("%+v, line %d: after %d moves: %+v", c, p.Start.Line, v.Moves, v.First)
	}
	return p, out.Bytes()
}

func boxOf(ix *layer.Index, c pickup.Choice) [4]gcode.Nano {
	if c.LooseTop {
		return [4]gcode.Nano{1, 1, 2, 2} // the bed is empty
	}
	return ix.Box
}

// clear runs the opening and checks that the head stays above the part on every
// way, goes up before it goes across, and is not brought down by homing.
func clear(t *testing.T, p *pickup.Pickup, out []byte, box [4]gcode.Nano) {
	t.Helper()
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	top := p.Start.Top
	line := 0
	for s := range strings.SplitSeq(string(out), "\n") {
		if line++; line > p.Length {
			return
		}
		c.Parse([]byte(s))
		m.Exec(&c, &a)
		switch {
		case a.Kind == gcode.Probe, a.Kind == gcode.Home && (c.Has('Z') || c.Bare('Z') || !c.Bare('X')):
			t.Fatalf("line %d: %q looks for the bed", line, s)
		case a.Kind == gcode.Home && m.Known&gcode.KnowZ != 0 && m.Pos[2] < top+gcode.MM:
			t.Fatalf("line %d: the sides are homed at %v, the part ends at %v", line, m.Pos[2], top)
		case (a.Kind == gcode.Travel || a.Kind == gcode.Lay) && a.MoveX && m.Pos[2] < top+gcode.MM:
			t.Fatalf("line %d: crosses at %v, the part ends at %v", line, m.Pos[2], top)
		case a.Kind == gcode.Lay:
			t.Fatalf("line %d: %q lays", line, s)
		}
	}
}

// TestPickups goes on from every layer, and from a random line in it, in every
// dialect, with every way of finding the height that needs no choice.
func TestPickups(t *testing.T) {
	eachSliced(t, func(t *testing.T, s *sliced) {
		file, ix := s.file, s.ix
		random := rand.New(rand.NewPCG(6, uint64(len(file))))
		for n := 1; n <= len(ix.Layers); n++ {
			if testing.Short() && n%4 != len(file)%4 {
				continue
			}
			for k, c := range []pickup.Choice{
				{Start: pickup.Next, Layer: n}, {Start: pickup.Redo, Layer: n, DZ: 0.05, DX: -0.2},
				{Start: pickup.Next, Layer: n, LooseTop: true},
				{Start: pickup.Mid, Line: ix.Layers[n-1].First + 1 +
					random.Int64N(max(ix.Layers[n-1].Last-ix.Layers[n-1].First, 1))},
			} {
				if k < 3 && k != n%3 { // next, laid again and loose take turns
					continue
				}
				if c.Start == pickup.Next && n == len(ix.Layers) || c.Start == pickup.Redo && n == 1 {
					continue
				}
				c.Z = []string{pickup.ByTouch, pickup.ByKept}[(n+k)%2]
				if c.LooseTop && ix.Kind == layer.Sequential {
					_, err := pickup.Make(bytes.NewReader(file), ix, nil, c, nil)
					if errors.Is(err, pickup.ErrBelowBed) {
						continue // another object begins lower
					}
				}
				p, out := pick(t, file, ix, c)
				if !c.LooseTop {
					clear(t, p, out, ix.Box)
				}
			}
		}
	})
}

// TestPickupOfAPickup fails a second time: the file that finishes a print is
// finished itself, and lays what the first original would have laid.
func TestPickupOfAPickup(t *testing.T) {
	for _, d := range dialects(t) {
		t.Run(d.Name, func(t *testing.T) {
			file, _ := demo.Slice(small()["gauge"], d)
			ix, err := layer.Read(context.Background(), bytes.NewReader(file), layer.Options{})
			if err != nil {
				t.Fatal(err)
			}
			_, once := pick(t, file, ix, pickup.Choice{Start: pickup.Next, Layer: 3})
			ix2, err := layer.Read(context.Background(), bytes.NewReader(once), layer.Options{})
			if err != nil {
				t.Fatal(err)
			}
			if got, want := len(ix2.Layers), len(ix.Layers)-3; got != want {
				t.Fatalf("%d layers, want %d", got, want)
			}
			p, twice := pick(t, once, ix2, pickup.Choice{Start: pickup.Next, Layer: 4})
			clear(t, p, twice, ix2.Box)
			v, err := second.Compare(context.Background(), bytes.NewReader(file), bytes.NewReader(twice),
				second.Options{Box: ix.Box, Start: ix.Layers[7].Fold, Opening: int64(p.Length)})
			if err != nil || !v.Same {
				t.Errorf("%v %+v", err, v.First)
			}
		})
	}
}

func Example_pickup() {
	fmt.Println(pickup.ErrDone)
	// Output: the print is done with that layer; nothing is left to pick up
}
