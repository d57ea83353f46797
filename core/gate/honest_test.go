package gate

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/bind"
	"dogear/core/finding"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/proof/second"
	"dogear/demo/demotest"
)

// TestHonest writes random plans of every kind: none is stopped, the plastic is the
// same by another comparison, and the original comes back.
func TestHonest(t *testing.T) {
	rnd := rand.New(rand.NewPCG(13, 7))
	fils := map[string]plan.Filament{"red": {Name: "Signal red", Nozzle: [2]float64{215, 210},
		Unload: 60, Load: 50}, "kelp": {Name: "Kelp", Nozzle: [2]float64{245, 240}, Purge: 25},
		"white": {Name: "Gull white", Nozzle: [2]float64{195, 190},
			Load: 70}, "slate": {Name: "Wet slate"}}
	keys := []string{"red", "kelp", "white", "slate"}
	honest := 0
	for range demotest.Rounds(420) {
		file := pier(12, rnd.IntN(2) == 0)
		p := &plan.Plan{Filaments: fils, First: keys[rnd.IntN(4)]}
		at := rnd.Perm(10)
		for k := range 1 + rnd.IntN(3) {
			e := plan.Ear{ID: fmt.Sprint("a", k), BeforeLayer: 2 + at[k], Kind: plan.Kinds[rnd.IntN(4)]}
			switch e.Kind {
			case plan.Colour:
				e.Filament = keys[rnd.IntN(4)]
			case plan.Own:
				e.Lines = [][]string{{"M0 look at it"}, {"M117 low water"}, {"M300 S440 P100", "G4 S5"},
					{"G91", "G1 Z9 F600", "G90", "M25"}, {"M220 S50"}, {"M221 S150"}, {"M83"}, {"G20"}, {"M106 " +
						"S9"}, {"M140 S50"}, {"G55"}, {"G18"}}[rnd.IntN(12)]
			}
			if e.Kind != plan.Own && rnd.IntN(2) == 0 {
				e.Routine, _ = json.Marshal([]string{"swap by hand", "printer does it all", "timed window",
					"drop something in", "drop many things in", "nozzle swap", "sound only"}[rnd.IntN(7)])
			}
			if rnd.IntN(4) == 0 {
				e.Stop = []string{"M600", "M25", "M226", "M0"}[rnd.IntN(4)]
			}
			if rnd.IntN(4) == 0 {
				e.BondPass = &plan.BondPass{Flow: 0.3}
			}
			p.Ears = append(p.Ears, e)
		}
		if rnd.IntN(2) == 0 {
			from := 2 + rnd.IntN(8)
			fan := 30.0
			p.Changes = []plan.Change{{ID: "c", BeforeLayer: from,
				UntilLayer: from + 1 + rnd.IntN(12-from), Speed: 70, Fan: &fan}}
		}
		r, err := planned(t, file, p)
		if err != nil {
			t.Fatal(err)
		}
		if f := r.Stopped(); f != nil || !r.report.Same {
			j, _ := json.Marshal(p)
			t.Fatalf("%+v %+v\n%s", f, r.report.First, j)
		}
		out := written(t, r)
		marks, err := proof.Marks(strings.NewReader(out))
		if err != nil {
			t.Fatal(err)
		}
		_, ix := read(t, file)
		v, err := second.Compare(context.Background(), strings.NewReader(file), strings.NewReader(out),
			second.Options{Box: ix.Box, Again: marks.Again, Changed: marks.Changed})
		if err != nil || !v.Same {
			t.Fatalf("%+v %v", v.First, err)
		}
		if _, was := applytest.TakeOut(t, out); was != file {
			t.Fatal("the original does not come back")
		}
		honest++
	}
	if honest < demotest.Rounds(400) {
		t.Errorf("only %d honest edits", honest)
	}
}

// TestPickup examines pick-ups: the seal is what was measured, and what would run into
// the part is stopped.
func TestPickup(t *testing.T) {
	file := pier(40, false)
	src, ix := read(t, file)
	make := func(c pickup.Choice, accept ...string) *Release {
		t.Helper()
		if c.Start == "" {
			c.Start = pickup.Next
		}
		r, err := Pickup(context.Background(), src, ix, nil, nil, c, Asked{Accept: accept})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	for name, c := range map[string]struct {
		c          pickup.Choice
		stop, seal string
	}{
		"touched": {pickup.Choice{Layer: 20}, "", "Nothing moves below 4.00 mm"},
		"held": {pickup.Choice{Layer: 20, Z: pickup.ByKept}, "",
			"Nothing moves below 4.00 mm"},
		"homed beside it": {pickup.Choice{Layer: 20, Z: pickup.ByClear, HomeAt: &[2]float64{10, 140}},
			"", "Over the part nothing moves below 4.00 mm"},
		"homed on it": {pickup.Choice{Layer: 20, Z: pickup.ByClear, HomeAt: &[2]float64{50, 50}},
			"homes-onto-part", ""},
		"a little lower": {pickup.Choice{Layer: 20, DZ: -0.15}, "", "Nothing moves below 4.00 mm"},
		"far too low":    {pickup.Choice{Layer: 20, DZ: -1}, "drag", ""},
		"moved": {pickup.Choice{Layer: 20, DX: 0.4, DY: -0.3}, "",
			"Nothing moves below 4.00 mm"},
		"again": {pickup.Choice{Layer: 20, Start: pickup.Redo}, "",
			"Nothing moves below 4.00 mm"},
		"primes on it": {pickup.Choice{Layer: 20, PrimeAt: &[2]float64{50, 70}},
			"prime-on-part", ""},
		"too hot":     {pickup.Choice{Layer: 20, Nozzle: 420}, "too-hot", ""},
		"a loose top": {pickup.Choice{Layer: 20, LooseTop: true}, "", "lowered onto the bed"},
		"a gentle loose top": {pickup.Choice{Layer: 20, LooseTop: true, Gentle: true}, "",
			"lowered onto the bed"},
		"gently": {pickup.Choice{Layer: 20, Ease: pickup.Ease{Layers: 2, Speed: 70,
			Hotter: 5}}, "", "Nothing moves below 4.00 mm"},
	} {
		t.Run(name, func(t *testing.T) {
			r := make(c.c)
			f := r.Stopped()
			if got := r.Seal(); (f == nil) != (c.stop == "") || f != nil && f.Code != c.stop ||
				c.seal == "" && got != "" || !strings.Contains(got, c.seal) {
				t.Errorf("%+v, sealed %q, want %q and %q\n%v", f, got, c.stop, c.seal, r.findings)
			}
		})
	}
	r := make(pickup.Choice{Layer: 20, DZ: -1})
	var names []string
	for i := range r.findings {
		if r.findings[i].Level == finding.Stop {
			names = append(names, r.findings[i].Name())
		}
	}
	if out := written(t, make(pickup.Choice{Layer: 20, DZ: -1}, names...)); !strings.Contains(out,
		"; "+names[0]+" ") {
		t.Error("what was accepted is not named")
	}
}

// TestPickupHeats never pushes filament cold: not where the file waits for nothing, and
// not where it says nothing of heat.
func TestPickupHeats(t *testing.T) {
	file := strings.ReplaceAll(pier(20, true), "M109 S210\n", "")
	src, ix := read(t, file)
	r, err := Pickup(context.Background(), src, ix, nil, nil,
		pickup.Choice{Start: pickup.Next, Layer: 8}, Asked{})
	if err != nil || r.Stopped() != nil || !strings.Contains(written(t, r), "\nM109 S205") {
		t.Errorf("%v %+v", err, r.Stopped())
	}
	for _, w := range []string{"M104 S210\n", "M109 S210\n", "M104 S205\n", "M104 S0\n"} {
		file = strings.ReplaceAll(file, w, "")
	}
	src, ix = read(t, file)
	if r, err = Pickup(context.Background(), src, ix, nil, nil,
		pickup.Choice{Start: pickup.Next, Layer: 8}, Asked{}); err != nil || r.Stopped() == nil ||
		r.Stopped().Code != "cold-extrusion" {
		t.Errorf("%v %+v", err, r.Stopped())
	}
	if r, err = Pickup(context.Background(), src, ix, nil, nil,
		pickup.Choice{Start: pickup.Next, Layer: 8, Nozzle: 200}, Asked{}); err != nil ||
		r.Stopped() != nil {
		t.Errorf("%v %+v", err, r.findings)
	}
}

// TestPickupOfTwoTools leaves the filament of the tool that waits where the print has
// left it, and draws it back where the rest is printed by itself.
func TestPickupOfTwoTools(t *testing.T) {
	file := pier(20, true)
	for n := 5; n < 20; n += 5 {
		there := fmt.Sprintf("G1 E-3 F2100\nT1\nG1 E3 F2100\n; course %d\n", n)
		back := fmt.Sprintf("G1 E-3 F2100\nT0\nG1 E3 F2100\n; course %d\n", n+2)
		file = strings.Replace(file, fmt.Sprintf("; course %d\n", n), there, 1)
		file = strings.Replace(file, fmt.Sprintf("; course %d\n", n+2), back, 1)
	}
	file = strings.Replace(file, "G28\n", "G28\nM104 T1 S200\nM109 T1 S200\n", 1)
	file = strings.Replace(file, "G92 E0\nG1 Z5", "G92 E0\nT1\nG1 E-3 F2100\nT0\nG1 Z5", 1)
	src, ix := read(t, file)
	for _, layer := range []int{3, 5, 6, 8, 11} {
		for _, c := range []pickup.Choice{{Start: pickup.Next, Layer: layer},
			{Start: pickup.Next, Layer: layer, Z: pickup.ByKept}, {Start: pickup.Next, Layer: layer,
				LooseTop: true}} {
			r, err := Pickup(context.Background(), src, ix, nil, nil, c, Asked{})
			if err != nil || r.Stopped() != nil || !r.report.Same {
				t.Errorf("%+v: %v %+v", c, err, r.findings)
			}
		}
	}
}

// TestTouch examines a touch check against the part that stands on the bed.
func TestTouch(t *testing.T) {
	src, ix := read(t, pier(40, false))
	for dz, stop := range map[float64]bool{0: false, 0.2: false, -1: true} {
		r, _, err := Touch(context.Background(), src, ix, nil,
			pickup.Choice{Start: pickup.Next, Layer: 20, DZ: dz}, Asked{})
		if err != nil || (r.Stopped() != nil) != stop {
			t.Errorf("%g: %v %+v", dz, err, r.Stopped())
		}
	}
}

// TestBind follows the tip of another nozzle, and stops a piece that is only lowered.
func TestBind(t *testing.T) {
	piece := func(from, to int) bind.Piece {
		src, ix := read(t, pier(20, from > 1))
		return bind.Piece{Name: "pier", Src: src, Ix: ix, From: from, To: to}
	}
	for name, c := range map[string]struct {
		kind string
		dz   float64
		stop string
	}{
		"as it is": {"", 0, ""}, "lower": {"", -0.5, "drag"}, "higher": {"", 0.5,
			"place-shifted"}, "a shorter nozzle": {plan.Nozzle, -0.5, ""}, "a longer " +
			"nozzle": {plan.Nozzle, 0.5, ""},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := Bind(context.Background(), []bind.Piece{piece(1, 9), piece(10, 20)},
				[]bind.Joint{{Ear: plan.Ear{Kind: c.kind}, DZ: c.dz}}, &plan.Plan{}, Asked{})
			if err != nil {
				t.Fatal(err)
			}
			if f := r.Stopped(); (f == nil) != (c.stop == "") || f != nil && f.Code != c.stop {
				t.Errorf("%+v, want %q", f, c.stop)
			}
		})
	}
}

// TestOnto lays a plan onto other files: another slicing when asked, another model only
// by name.
func TestOnto(t *testing.T) {
	src, ix := read(t, pier(40, false))
	shape, err := apply.ShapeOf(src, ix)
	if err != nil {
		t.Fatal(err)
	}
	fresh := func(s *plan.Shape) *plan.Plan {
		z := 1.6
		p := &plan.Plan{Format: plan.Format, File: &plan.File{SHA256: "aa", Shape: s},
			Ears: []plan.Ear{{ID: "a", BeforeLayer: 9, Z: &z, Kind: plan.Colour},
				{ID: "b", BeforeLayer: 35, Z: new(6.8), Kind: plan.Colour}, {ID: "c", BeforeLayer: 36,
					Z: new(7.0), Kind: plan.Colour}}}
		if err := p.Check(); err != nil {
			t.Fatal(err)
		}
		return p
	}
	thin := strings.ReplaceAll(pier(40, true), "\nG1 Z0.2 ", "\nG1 Z0.20 ")
	lower := pier(10, false)
	for name, c := range map[string]struct {
		file string
		o    Onto
		s    *plan.Shape
		want error
	}{
		"the same file":           {thin, Onto{SHA256: "aa"}, shape, nil},
		"another one":             {thin, Onto{SHA256: "bb"}, shape, ErrOtherFile},
		"another slicing":         {thin, Onto{SHA256: "bb", Reanchor: true}, shape, nil},
		"another model":           {lower, Onto{SHA256: "bb", Reanchor: true}, shape, ErrOtherModel},
		"another model, asked":    {lower, Onto{SHA256: "bb", Reanchor: true, Other: true}, shape, nil},
		"of a shape nobody knows": {lower, Onto{SHA256: "bb", Reanchor: true}, nil, ErrOtherModel},
	} {
		t.Run(name, func(t *testing.T) {
			src, ix := read(t, c.file)
			if _, err := c.o.Move(src, ix, fresh(c.s), nil); !errors.Is(err, c.want) {
				t.Errorf("%v, want %v", err, c.want)
			}
		})
	}
}
