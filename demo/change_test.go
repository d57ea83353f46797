package demo_test

import (
	"bytes"
	"context"
	"math/rand/v2"
	"reflect"
	"testing"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/proof/second"
)

// someChange is a change between two folds, before layers or inside them.
func someChange(rnd *rand.Rand, ix *layer.Index, id string) plan.Change {
	n := len(ix.Layers)
	from := 1 + rnd.IntN(n-1)
	c := plan.Change{ID: id, BeforeLayer: from, UntilLayer: from + 1 + rnd.IntN(n+1-from)}
	if rnd.IntN(3) == 0 {
		l := ix.Layers[from-1]
		c.BeforeLayer, c.BeforeLine = 0, l.First+rnd.Int64N(l.Last-l.First)+1
	}
	if rnd.IntN(3) == 0 && c.UntilLayer <= n {
		l := ix.Layers[c.UntilLayer-1]
		c.UntilLayer, c.UntilLine = 0, l.First+rnd.Int64N(l.Last-l.First)+1
	}
	fan := float64(rnd.IntN(101))
	switch rnd.IntN(4) {
	case 0:
		c.Speed = float64(40 + rnd.IntN(100))
	case 1:
		c.Flow = float64(80 + rnd.IntN(40))
	case 2:
		c.Fan = &fan
	default:
		c.Speed, c.Flow, c.Fan, c.Nozzle = 70, 104, &fan, 225
	}
	return c
}

// TestChanges lays changes onto every part in every dialect, with stops among
// them: within one all is laid as it says, outside nothing differs, and they can
// be taken out again.
func TestChanges(t *testing.T) {
	eachSliced(t, func(t *testing.T, s *sliced) {
		file, ix := s.file, s.ix
		if len(ix.Layers) < 6 {
			t.Skip("too flat")
		}
		rnd := rand.New(rand.NewPCG(uint64(s.turn), uint64(len(file))))
		for range 4 {
			p := &plan.Plan{Format: plan.Format, Printer: plan.Generic(),
				Changes: []plan.Change{someChange(rnd, ix, "c1")}}
			if two := someChange(rnd, ix, "c2"); p.Changes[0].Clash(&two) == "" {
				p.Changes = append(p.Changes, two)
			}
			p.Ears = []plan.Ear{{ID: "a1", BeforeLayer: 1 + rnd.IntN(len(ix.Layers)), Kind: plan.Insert,
				Routine: []byte(`[{"do":"retract","mm":2},{"do":"lift","mm":9},{"do":"fan","percent":33},` +
					`{"do":"cool","celsius":180},{"do":"stop"},{"do":"heat","wait":true},{"do":"return"},` +
					`{"do":"restore"}]`)}}
			want := *p
			want.Changes = append([]plan.Change(nil), p.Changes...)
			_, out := applied(t, file, ix, p)
			own, err := proof.Marks(bytes.NewReader(out))
			if err != nil || len(own.Changed) != len(p.Changes) {
				t.Fatal(own, err)
			}
			opt := second.Options{Box: ix.Box, Changed: own.Changed}
			v, err := second.Compare(context.Background(), bytes.NewReader(file), bytes.NewReader(out),
				opt)
			if err != nil || !v.Same {
				t.Fatalf("%+v: %+v %v", p.Changes, v.First, err)
			}
			within(t, file, out, ix, p, own)
			for _, f := range prove(t, file, out).Findings {
				t.Errorf("%+v: %+v", p.Changes, f)
			}
			back, err := apply.TakeOut(bytes.NewReader(out))
			if err != nil {
				t.Fatal(err)
			}
			var again bytes.Buffer
			if _, err := edit.Write(&again, bytes.NewReader(out), back.Edits); err != nil ||
				!bytes.Equal(again.Bytes(), file) {
				t.Fatalf("the original does not come back (%v)", err)
			}
			if len(back.Plan.Changes) != len(want.Changes) || len(back.Lost) > 0 {
				t.Fatalf("%+v came back, lost %v", back.Plan.Changes, back.Lost)
			}
			for _, c := range want.Changes {
				found := false
				for _, b := range back.Plan.Changes {
					found = found || reflect.DeepEqual(b, c)
				}
				if !found {
					t.Errorf("%+v is not among %+v", c, back.Plan.Changes)
				}
			}
		}
	})
}

// within checks that what is laid within a change is laid as it says.
func within(t *testing.T, file, out []byte, ix *layer.Index, p *plan.Plan, own *proof.Own) {
	t.Helper()
	type laid struct {
		speed, flow float64
		fan         int64
		nozzle      int64
	}
	read := func(text []byte) (all []laid, lines []int64) {
		err := index(t, text).Walk(bytes.NewReader(text), 0, 1<<40,
			func(line int64, _ []byte, _ *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
				if a.Kind == gcode.Lay {
					all, lines = append(all, laid{m.Speed(), m.Flow(), m.Fan, m.Nozzle()}), append(lines, line)
				}
				return true
			})
		if err != nil {
			t.Fatal(err)
		}
		return all, lines
	}
	was, _ := read(file)
	now, lines := read(out)
	if len(was) != len(now) {
		t.Fatalf("%d moves are laid, not %d", len(now), len(was))
	}
	changed := 0
	for i := range now {
		want := was[i]
		for _, o := range own.Changed {
			if lines[i] < o.Lines[0] || lines[i] > o.Lines[1] {
				continue
			}
			changed++
			for k := range p.Changes {
				if c := &p.Changes[k]; (c.Speed != 0) == o.Speed && (c.Flow != 0) == o.Flow &&
					(c.Fan != nil) == o.Fan && (c.Nozzle != 0) == o.Heat {
					if c.Speed != 0 {
						want.speed *= c.Speed / 100
					}
					if c.Flow != 0 {
						want.flow *= c.Flow / 100
					}
					if c.Fan != nil {
						want.fan = int64(*c.Fan*2.55+0.5) * 1e6
					}
					if c.Nozzle != 0 {
						want.nozzle = int64(c.Nozzle) * 1e6
					}
				}
			}
		}
		if got := now[i]; abs(got.speed-want.speed) > 1e-4 || abs(got.flow-want.flow) > 1e-4 ||
			got.fan != want.fan || got.nozzle != want.nozzle {
			t.Fatalf("line %d is laid %+v, want %+v\n%+v", lines[i], got, want, p.Changes)
		}
	}
	if changed == 0 {
		t.Errorf("nothing is laid within %+v", p.Changes)
	}
}

func abs(v float64) float64 { return max(v, -v) }
