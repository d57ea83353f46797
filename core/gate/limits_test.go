package gate

import (
	"context"
	"encoding/json"
	"strings"
	"testing"

	"dogear/core/bind"
	"dogear/core/finding"
	"dogear/core/pickup"
	"dogear/core/plan"
)

// TestAcceptByName lets a finding pass by its code and its line, both of them, and by no other.
func TestAcceptByName(t *testing.T) {
	p := func() *plan.Plan { return own("G28 Z") }
	r, err := planned(t, pier(20, true), p())
	if err != nil || r.Stopped() == nil {
		t.Fatal(err, r.Findings())
	}
	f := *r.Stopped()
	for name, c := range map[string]struct {
		accept string
		passes bool
	}{
		"its name":         {f.Name(), true},
		"another line":     {f.Code + "@1", false},
		"another code":     {"drag" + strings.TrimPrefix(f.Name(), f.Code), false},
		"no line":          {f.Code, false},
		"a line, no code":  {strings.TrimPrefix(f.Name(), f.Code), false},
		"nothing":          {"", false},
		"more behind it":   {f.Name() + "0", false},
		"the line written": {f.Name() + "@", false},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := planned(t, pier(20, true), p(), c.accept)
			if err != nil {
				t.Fatal(err)
			}
			held := false
			for _, a := range r.Accepted() {
				held = held || a.Name() == f.Name()
			}
			if held != c.passes {
				t.Errorf("accepted %v, findings %+v", r.Accepted(), r.Findings())
			}
		})
	}
}

// TestFindingsOrder puts the gravest first, and an empty list where nothing was found.
func TestFindingsOrder(t *testing.T) {
	r, err := planned(t, pier(20, true), own("G91", "G1 Z9 F600", "G90", "FLAG_UP", "G28 Z"))
	if err != nil {
		t.Fatal(err)
	}
	all := r.Findings()
	for i := 1; i < len(all); i++ {
		if all[i].Level.Compare(all[i-1].Level) > 0 {
			t.Errorf("%s stands behind %s", all[i].Name(), all[i-1].Name())
		}
	}
	if len(all) < 2 || all[0].Level != finding.Stop || all[len(all)-1].Level == finding.Stop {
		t.Errorf("%+v", all)
	}
	all[0].Level = finding.Note // it is a copy
	if r.Stopped() == nil {
		t.Error("a release can be talked into being written")
	}
	r, err = planned(t, pier(20, true), &plan.Plan{})
	if err != nil {
		t.Fatal(err)
	}
	if j, err := json.Marshal(r.Findings()); err != nil || string(j) != "[]" || r.Edited() {
		t.Errorf("%s %v", j, err)
	}
}

// TestLineEnds writes what is put in with the line ends of the file.
func TestLineEnds(t *testing.T) {
	file := strings.ReplaceAll(pier(20, true), "\n", "\r\n")
	src, ix := read(t, file)
	r, _, err := Touch(context.Background(), src, ix, nil, pickup.Choice{Start: pickup.Next,
		Layer: 10}, Asked{})
	if err != nil {
		t.Fatal(err)
	}
	loose := func(text string) int { return strings.Count(text, "\n") - strings.Count(text, "\r\n") }
	if out := written(t, r); loose(out) != 0 {
		t.Errorf("a touch check of a file of another system: %q", out[:80])
	}
	r, err = planned(t, file, own("G28 Z"))
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, f := range r.Findings() {
		names = append(names, f.Name())
	}
	if r, err = planned(t, file, own("G28 Z"), names...); err != nil {
		t.Fatal(err)
	}
	if out := written(t, r); loose(out) != 0 || !strings.Contains(out, "; dogear accepted") {
		t.Error("what was accepted is said with other line ends")
	}
}

// TestPickupAmongChanges begins within a change, behind it and behind another filament: what is in
// force there is what the plan says, and nothing is stopped.
func TestPickupAmongChanges(t *testing.T) {
	src, ix := read(t, pier(30, true))
	for _, layer := range []int{3, 8, 14, 17, 25} {
		fan := 30.0
		p := &plan.Plan{Format: plan.Format, First: "red", Filaments: map[string]plan.Filament{
			"red":  {Name: "Signal red", Nozzle: [2]float64{210, 205}},
			"kelp": {Name: "Kelp", Nozzle: [2]float64{235, 230}}},
			Ears:    []plan.Ear{{ID: "a", BeforeLayer: 20, Kind: plan.Colour, Filament: "kelp"}},
			Changes: []plan.Change{{ID: "c", BeforeLayer: 6, UntilLayer: 16, Speed: 70, Fan: &fan}}}
		if err := p.Check(); err != nil {
			t.Fatal(err)
		}
		r, err := Pickup(context.Background(), src, ix, p, nil, pickup.Choice{Start: pickup.Next,
			Layer: layer}, Asked{})
		if err != nil || r.Stopped() != nil || !r.Report().Same {
			t.Errorf("layer %d: %v %+v", layer, err, r.Findings())
		}
	}
	// What a choice itself accepts is accepted.
	c := pickup.Choice{Start: pickup.Next, Layer: 20, DZ: -1}
	r, err := Pickup(context.Background(), src, ix, nil, nil, c, Asked{})
	if err != nil || r.Stopped() == nil {
		t.Fatal(err)
	}
	for _, f := range r.Findings() {
		c.Accept = append(c.Accept, f.Name())
	}
	if r, err = Pickup(context.Background(), src, ix, nil, nil, c, Asked{}); err != nil ||
		r.Stopped() != nil {
		t.Error(err, r.Findings())
	}
}

// TestBindEnds binds pieces that end before their files do, and printers that lift by a setting.
func TestBindEnds(t *testing.T) {
	piece := func(from, to int) bind.Piece {
		src, ix := read(t, pier(20, true))
		return bind.Piece{Name: "pier", Src: src, Ix: ix, From: from, To: to}
	}
	pr := plan.Generic()
	pr.Shift = []string{"M290 Z{dz}"}
	for name, c := range map[string]struct {
		to int
		dz float64
		pr *plan.Printer
	}{"whole": {20, 0, nil}, "to its middle": {15, 0, nil}, "lifted by a setting": {20, 0.2, pr}} {
		t.Run(name, func(t *testing.T) {
			r, err := Bind(context.Background(), []bind.Piece{piece(1, 9), piece(10, c.to)},
				[]bind.Joint{{Ear: plan.Ear{Kind: plan.Nozzle}, DZ: c.dz}}, &plan.Plan{Printer: c.pr},
				Asked{})
			if err != nil || r.Stopped() != nil || !r.Report().Same {
				t.Fatalf("%v %+v", err, r.Findings())
			}
			out := written(t, r)
			if !strings.HasSuffix(strings.TrimSpace(out), "M84") ||
				strings.Contains(out, "Z4.00") != (c.to == 20) {
				t.Error("it does not end as the last file does")
			}
		})
	}
}

// TestSeals says what was measured, in the words that fit.
func TestSeals(t *testing.T) {
	fan := 30.0
	for name, c := range map[string]struct {
		p    *plan.Plan
		want string
	}{
		"an ear": {own("M0 look"), "Same plastic · axis exact"},
		"a change": {&plan.Plan{Changes: []plan.Change{{ID: "c", BeforeLayer: 5, UntilLayer: 9,
			Fan: &fan}}}, "only where you said so"},
		"a mute":  {&plan.Plan{Mutes: []plan.Span{{From: 60, To: 61}}}, "less what is muted"},
		"stopped": {own("G28 Z"), ""},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := planned(t, pier(20, true), c.p)
			if err != nil {
				t.Fatal(err)
			}
			if got := r.Seal(); !strings.Contains(got, c.want) || c.want == "" && got != "" {
				t.Errorf("%q, want %q: %+v", got, c.want, r.Findings())
			}
		})
	}
}
