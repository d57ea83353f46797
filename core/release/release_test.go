package release

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dogear/core/bind"
	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/routine"
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

// back takes out of a file what was put in.
func back(t *testing.T, file string) string {
	t.Helper()
	src := strings.NewReader(file)
	taken, err := routine.TakeOut(src)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if _, err := edit.Write(&b, src, taken.Edits); err != nil {
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

// TestStopped refuses what would harm the part or the printer, each by its name, and
// lets it pass when somebody takes just that upon themselves.
func TestStopped(t *testing.T) {
	x, y := 400.0, -300.0
	known := plan.Generic()
	known.Assumed = false
	with := func(p *plan.Plan, change func(*plan.Plan)) *plan.Plan { change(p); return p }
	for name, c := range map[string]struct {
		p    *plan.Plan
		want string
	}{
		"through the part": {own("G1 X52 Y52 Z1 F6000", "G1 X75 Y50"), "drag"},
		"and something is muted": {with(own("G1 X52 Y52 Z1 F6000", "G1 X75 Y50"),
			func(p *plan.Plan) { p.Mutes = []plan.Span{{From: 1, To: 1}} }), "drag"},
		"homes":                 {own("G28"), "homes-onto-part"},
		"the emergency stop":    {own("M112"), "machine-stopped"},
		"the power":             {own("M81"), "machine-stopped"},
		"the maker's settings":  {own("M502"), "settings-lost"},
		"without limits":        {own("M211 S0"), "limits-off"},
		"a home offset":         {own("M206 Z-2"), "place-shifted"},
		"a tool's offset":       {own("G10 P1 Z-2"), "place-shifted"},
		"a mesh":                {own("M420 S0"), "setting-not-restored"},
		"purges on the part":    {own("G1 E30 F200"), "filament-jump"},
		"purges above the part": {own("G1 Z30 F600", "G1 E30 F200"), "prime-on-part"},
		"switched off":          {own("M104 S0"), "no-heat"},
		"too hot": {&plan.Plan{Ears: []plan.Ear{{ID: "a", BeforeLayer: 9,
			Kind: plan.Insert, Routine: steps(plan.Step{Do: "heat", Celsius: 499})}}}, "too-hot"},
		"never so cold": {&plan.Plan{Ears: []plan.Ear{{ID: "a", BeforeLayer: 9,
			Kind: plan.Insert, Routine: steps(plan.Step{Do: "cool", Celsius: 1,
				Wait: true})}}}, "never-reached-temperature"},
		"for days":   {own("G4 S1000000"), "long-wait"},
		"the motors": {own("M84"), "motors-off"},
		"off a known bed": {&plan.Plan{Printer: known,
			Ears: []plan.Ear{{ID: "a", BeforeLayer: 9, Kind: plan.Insert,
				Routine: steps(plan.Step{Do: "lift", MM: 9}, plan.Step{Do: "park", X: &x,
					Y: &y})}}}, "outside-bed"},
		"homing is muted": {&plan.Plan{Mutes: []plan.Span{{From: 10, To: 10}}}, "not-homed"},
		"before it homes": {&plan.Plan{Ears: []plan.Ear{{ID: "a", BeforeLine: 7,
			Kind: plan.Colour}}}, "not-homed"},
		"behind the motors are off": {&plan.Plan{Ears: []plan.Ear{{ID: "a",
			BeforeLine: int64(strings.Count(pier(12, true), "\n")) + 0, Kind: plan.Colour}}}, ""},
	} {
		for _, rel := range []bool{false, true} {
			r, err := planned(t, pier(12, rel), c.p)
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			if c.want == "" {
				continue
			}
			var codes []string
			for i := range r.Findings {
				if r.Findings[i].Level == layer.Grave {
					codes = append(codes, r.Findings[i].Code)
				}
			}
			if !slices.Contains(codes, c.want) {
				t.Errorf("%s (in steps: %v): %v, want %s", name, rel, r.Findings, c.want)
				continue
			}
			var b bytes.Buffer
			if _, err := r.Write(&b); !errors.Is(err, ErrStopped) || b.Len() > 0 {
				t.Errorf("%s: it was written", name)
			}
			if _, _, err := r.Reader(); !errors.Is(err, ErrStopped) {
				t.Errorf("%s: it can be read", name)
			}
			// One at a time: as long as one is left, nothing is written.
			var names []string
			for i := range r.Findings {
				if r.Findings[i].Level == layer.Grave {
					names = append(names, Name(&r.Findings[i]))
				}
			}
			if len(names) > 1 {
				if r, _ := planned(t, pier(12, rel), c.p, names[1:]...); r.Stopped() == nil {
					t.Errorf("%s: one finding was let pass with another", name)
				}
			}
			r, err = planned(t, pier(12, rel), c.p, names...)
			if err != nil || r.Stopped() != nil {
				t.Errorf("%s: accepted, but %+v %v", name, r.Stopped(), err)
				continue
			}
			out := written(t, r)
			for _, n := range names {
				if !strings.Contains(out, "; "+n+" ") {
					t.Errorf("%s: the file does not name %s", name, n)
				}
			}
			if back(t, out) != pier(12, rel) {
				t.Errorf("%s: the original does not come back", name)
			}
		}
	}
}

// TestWayBack takes out of a written file what was put in: the original comes back
// byte for byte, whatever its ends and lines are like.
func TestWayBack(t *testing.T) {
	last := func(file string) int64 { _, ix := read(t, file); return ix.Lines }
	id := strings.Repeat("Tide_gauge-", 6)[:64]
	files := map[string]string{"lf": pier(12, false), "crlf": strings.ReplaceAll(pier(12, true),
		"\n", "\r\n"), "no end": strings.TrimRight(pier(12, true), "\n"),
		"crlf, no end": strings.TrimRight(strings.ReplaceAll(pier(12, false), "\n", "\r\n"), "\r\n"),
		"a line of 1 MB": strings.Replace(pier(12, false), "; course 5\n",
			"; "+strings.Repeat("swell ", 170_000)+"\n; course 5\n", 1),
		"heated": strings.Replace(pier(12, true), "; course 8\n", "M104 S200\n; course 8\n", 1)}
	for name, file := range files {
		big := int64(0)
		for i, l := range strings.Split(file, "\n") {
			if len(l) > 1000 {
				big = int64(i + 1)
			}
		}
		plans := map[string]*plan.Plan{
			"an ear":        {Ears: []plan.Ear{{ID: id, BeforeLayer: 5, Kind: plan.Colour}}},
			"the last line": {Mutes: []plan.Span{{From: last(file), To: last(file)}}},
			"to the end": {Changes: []plan.Change{{ID: id, BeforeLayer: 3, UntilLayer: 13,
				Speed: 80}}},
			"a filament": {Filaments: map[string]plan.Filament{"h": {Name: "Kelp",
				Nozzle: [2]float64{240,
					235}}}, Ears: []plan.Ear{{ID: "a", BeforeLayer: 2, Kind: plan.Colour, Filament: "h"}}},
			"everything": {Ears: []plan.Ear{
				{ID: "a", BeforeLayer: 5, Kind: plan.Colour, HeadsUp: &plan.HeadsUp{Layers: 2}}},
				Changes: []plan.Change{{ID: "c", BeforeLayer: 6, UntilLayer: 13, Flow: 90}},
				Mutes:   []plan.Span{{From: last(file), To: last(file)}}},
			"own lines of any": {Ears: []plan.Ear{{ID: "a", BeforeLayer: 5, Kind: plan.Own,
				Lines: []string{"; a b c", "M117 ; dog ears", "(dogear)", ";", "M117 \u00e9\u4e2d"}}}},
		}
		if big > 0 {
			plans["a muted line of 1 MB"] = &plan.Plan{Mutes: []plan.Span{{From: big, To: big}}}
		}
		for what, p := range plans {
			r, err := planned(t, file, p)
			if err != nil {
				t.Fatalf("%s, %s: %v", name, what, err)
			}
			var names []string // to mute the last line lets the motors be
			for i := range r.Findings {
				if r.Findings[i].Level == layer.Grave {
					names = append(names, Name(&r.Findings[i]))
				}
			}
			if r, err = planned(t, file, p, names...); err != nil || r.Stopped() != nil {
				t.Fatalf("%s, %s: %v %v", name, what, err, r.Findings)
			}
			out := written(t, r)
			if out == file {
				t.Errorf("%s, %s: nothing was written", name, what)
			}
			if got := back(t, out); got != file {
				at := 0
				for at < min(len(got), len(file)) && got[at] == file[at] {
					at++
				}
				t.Errorf("%s, %s: the original does not come back; at byte %d of %d: %q, want %q", name,
					what, at, len(file), got[at:min(at+60, len(got))], file[at:min(at+60, len(file))])
			}
			// Numbers for its lines change nothing of that.
			var n bytes.Buffer
			w := &edit.Renumber{W: &n}
			w.Write([]byte(out))
			w.Close()
			if _, err := routine.TakeOut(bytes.NewReader(n.Bytes())); err != nil {
				t.Errorf("%s, %s, renumbered: %v", name, what, err)
			}
		}
	}
}

// TestLooksLikeMarks refuses lines and files whose comments look like marks.
func TestLooksLikeMarks(t *testing.T) {
	for _, l := range []string{"; dogear ear a ends", ";dogear seal 12345678",
		"  ; Dogear muted: G1", "M117 x\n; dogear ear a ends", "(; dogear"} {
		if _, err := planned(t, pier(12, true), own(l)); err == nil ||
			!strings.Contains(err.Error(), "looks like a mark") {
			t.Errorf("%q: %v", l, err)
		}
	}
	for _, id := range []string{"a:b", "a b", "", strings.Repeat("a", 65), "a;", "é"} {
		p := &plan.Plan{Ears: []plan.Ear{{ID: id, BeforeLayer: 5, Kind: plan.Colour}}}
		if _, err := planned(t, pier(12, true), p); (err == nil) != (id == "") {
			t.Errorf("id %q: %v", id, err)
		}
	}
	r, err := planned(t, pier(12, true), &plan.Plan{Ears: []plan.Ear{{ID: "a", BeforeLayer: 5,
		Kind: plan.Colour}}})
	if err != nil {
		t.Fatal(err)
	}
	for name, file := range map[string]string{"its own": written(t, r),
		"a stranger's": strings.Replace(pier(12, true), "; course 4",
			"; dogear ear x: tide\n; course 4", 1),
		"a stranger's mute": strings.Replace(pier(12, true), "; course 4",
			"; dogear muted: G1 X1\n; course 4", 1)} {
		if _, err := planned(t, file, &plan.Plan{Ears: []plan.Ear{{ID: "b", BeforeLayer: 7,
			Kind: plan.Colour}}}); !errors.Is(err, ErrMarked) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestChangeInForce finds a change that somebody, or something, has ended too early.
func TestChangeInForce(t *testing.T) {
	fan := 40.0
	file := pier(12, true)
	_, ixO := read(t, file)
	for line, c := range map[string]plan.Change{"M220 S100": {Speed: 60}, "M221 S100": {Flow: 90},
		"M106 S128": {Fan: &fan}, "M104 S205": {Nozzle: 225}} {
		c.ID, c.BeforeLayer, c.UntilLayer = "c", 4, 10
		r, err := planned(t, file, &plan.Plan{Changes: []plan.Change{c}})
		if err != nil || r.Stopped() != nil {
			t.Fatalf("%s: %v %+v", line, err, r.Findings)
		}
		out := written(t, r)
		for spoilt, want := range map[string]bool{out: false,
			strings.Replace(out, "; course 7\n", line+"\n; course 7\n", 1): true} {
			_, ix := read(t, spoilt)
			rep, err := proof.Prove(context.Background(), strings.NewReader(file),
				strings.NewReader(spoilt), ixO, ix, nil)
			if err != nil {
				t.Fatal(err)
			}
			if got := slices.ContainsFunc(rep.Findings,
				func(f layer.Finding) bool { return f.Code == "change-not-in-force" }); got != want {
				t.Errorf("%s: found %v, want %v: %+v", line, got, want, rep.Findings)
			}
		}
	}
}

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
	for range 420 {
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
		if f := r.Stopped(); f != nil || !r.Report.Same {
			j, _ := json.Marshal(p)
			t.Fatalf("%+v %+v\n%s", f, r.Report.First, j)
		}
		out := written(t, r)
		marks, err := proof.Marks(strings.NewReader(out))
		if err != nil {
			t.Fatal(err)
		}
		_, ix := read(t, file)
		v, err := proof.Compare(context.Background(), strings.NewReader(file), strings.NewReader(out),
			proof.Options{Box: ix.Box, Again: marks.Again, Changed: marks.Changed})
		if err != nil || !v.Same {
			t.Fatalf("%+v %v", v.First, err)
		}
		if back(t, out) != file {
			t.Fatal("the original does not come back")
		}
		honest++
	}
	if honest < 400 {
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
		"primes on it": {pickup.Choice{Layer: 20, PrimeAt: &[2]float64{50, 70}}, "prime-on-part", ""},
		"too hot":      {pickup.Choice{Layer: 20, Nozzle: 420}, "too-hot", ""},
		"a loose top":  {pickup.Choice{Layer: 20, LooseTop: true}, "", "lowered onto the bed"},
		"gently": {pickup.Choice{Layer: 20, Ease: pickup.Ease{Layers: 2, Speed: 70,
			Hotter: 5}}, "", "Nothing moves below 4.00 mm"},
	} {
		r := make(c.c)
		f := r.Stopped()
		if got := r.Seal(); (f == nil) != (c.stop == "") || f != nil && f.Code != c.stop ||
			c.seal == "" && got != "" || !strings.Contains(got, c.seal) {
			t.Errorf("%s: %+v, sealed %q, want %q and %q\n%v", name, f, got, c.stop, c.seal, r.Findings)
		}
	}
	r := make(pickup.Choice{Layer: 20, DZ: -1})
	var names []string
	for i := range r.Findings {
		if r.Findings[i].Level == layer.Grave {
			names = append(names, Name(&r.Findings[i]))
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
		t.Errorf("%v %+v", err, r.Findings)
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
			if err != nil || r.Stopped() != nil || !r.Report.Same {
				t.Errorf("%+v: %v %+v", c, err, r.Findings)
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
		r, err := Bind(context.Background(), []bind.Piece{piece(1, 9), piece(10, 20)},
			[]bind.Joint{{Ear: plan.Ear{Kind: c.kind}, DZ: c.dz}}, &plan.Plan{}, Asked{})
		if err != nil {
			t.Fatal(err)
		}
		if f := r.Stopped(); (f == nil) != (c.stop == "") || f != nil && f.Code != c.stop {
			t.Errorf("%s: %+v, want %q", name, f, c.stop)
		}
	}
}

// TestOnto lays a plan onto other files: another slicing when asked, another model only
// by name.
func TestOnto(t *testing.T) {
	src, ix := read(t, pier(40, false))
	shape, err := routine.ShapeOf(src, ix)
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
		src, ix := read(t, c.file)
		if _, err := c.o.Move(src, ix, fresh(c.s), nil); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", name, err, c.want)
		}
	}
}
