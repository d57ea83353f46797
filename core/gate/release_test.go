package gate

import (
	"bytes"
	"context"
	"errors"
	"io"
	"slices"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/plan"
	"dogear/core/proof"
)

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
		"into the bed":          {own("G1 Z30 F600", "G1 X2 Y2 F6000", "G1 Z-1 F600"), "below-bed"},
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
		t.Run(name, func(t *testing.T) {
			for _, rel := range []bool{false, true} {
				r, err := planned(t, pier(12, rel), c.p)
				if err != nil {
					t.Fatalf("%v", err)
				}
				if c.want == "" {
					continue
				}
				var codes []string
				for i := range r.findings {
					if r.findings[i].Level == finding.Stop {
						codes = append(codes, r.findings[i].Code)
					}
				}
				if !slices.Contains(codes, c.want) {
					t.Errorf("%s (in steps: %v): %v, want %s", name, rel, r.findings, c.want)
					continue
				}
				var b bytes.Buffer
				if _, err := r.Write(&b); !errors.Is(err, ErrStopped) || b.Len() > 0 {
					t.Error("it was written")
				}
				if _, _, err := r.Reader(); !errors.Is(err, ErrStopped) {
					t.Error("it can be read")
				}
				// One at a time: as long as one is left, nothing is written.
				var names []string
				for i := range r.findings {
					if r.findings[i].Level == finding.Stop {
						names = append(names, r.findings[i].Name())
					}
				}
				if len(names) > 1 {
					if r, _ := planned(t, pier(12, rel), c.p, names[1:]...); r.Stopped() == nil {
						t.Error("one finding was let pass with another")
					}
				}
				r, err = planned(t, pier(12, rel), c.p, names...)
				if err != nil || r.Stopped() != nil {
					t.Errorf("accepted, but %+v %v", r.Stopped(), err)
					continue
				}
				out := written(t, r)
				for _, n := range names {
					if !strings.Contains(out, "; "+n+" ") {
						t.Errorf("the file does not name %s", n)
					}
				}
				if _, was := applytest.TakeOut(t, out); was != pier(12, rel) {
					t.Error("the original does not come back")
				}
			}
		})
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
			for i := range r.findings {
				if r.findings[i].Level == finding.Stop {
					names = append(names, r.findings[i].Name())
				}
			}
			if r, err = planned(t, file, p, names...); err != nil || r.Stopped() != nil {
				t.Fatalf("%s, %s: %v %v", name, what, err, r.findings)
			}
			out := written(t, r)
			if out == file {
				t.Errorf("%s, %s: nothing was written", name, what)
			}
			if _, got := applytest.TakeOut(t, out); got != file {
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
			if _, err := apply.TakeOut(bytes.NewReader(n.Bytes())); err != nil {
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
			t.Fatalf("%s: %v %+v", line, err, r.findings)
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
				func(f finding.Finding) bool { return f.Code == "change-not-in-force" }); got != want {
				t.Errorf("%s: found %v, want %v: %+v", line, got, want, rep.Findings)
			}
		}
	}
}

// TestHandshake examines the file that asks a printer how it stops, as everything else.
func TestHandshake(t *testing.T) {
	r, f, err := Handshake(t.Context(), plan.Generic(), nil)
	if err != nil || r.Stopped() != nil {
		t.Fatal(err, r.findings)
	}
	var b bytes.Buffer
	if n, err := r.Write(&b); err != nil || n != int64(len(f.Text())) ||
		!bytes.Equal(b.Bytes(), f.Text()) {
		t.Errorf("%d bytes, %v", n, err)
	}
}

// TestKept hands out again what was written once, and CheckName says what names no finding.
func TestKept(t *testing.T) {
	src := strings.NewReader("G1 X1\nG1 X2\n")
	first := &Release{src: src, edits: []edit.Edit{{Offset: 6, Text: []byte("M0\n")}},
		kept: "nothing moves below 9 mm"}
	k, err := first.Keep()
	if err != nil {
		t.Fatal(err)
	}
	r, err := k.Release(src)
	if err != nil || r.Seal() != first.Seal() {
		t.Fatal(err)
	}
	for name, other := range map[string]Kept{"other edits": {Edits: []edit.Edit{{Offset: 6,
		Text: []byte("M1\n")}}, SHA256: k.SHA256}, "nothing of what was examined": {Edits: k.Edits}} {
		if _, err := other.Release(src); !errors.Is(err, ErrNotExamined) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := k.Release(strings.NewReader("G1 X1\nG1 X9\n")); !errors.Is(err, ErrNotExamined) {
		t.Errorf("another file: %v", err)
	}
	in, size, err := r.Reader()
	if err != nil {
		t.Fatal(err)
	}
	got, err := io.ReadAll(in)
	if err != nil || string(got) != "G1 X1\nM0\nG1 X2\n" || size != int64(len(got)) {
		t.Errorf("%q, %d bytes, %v", got, size, err)
	}
	for name, good := range map[string]bool{"drag@12": true, "drag": false, "@3": false,
		"drag@0": false, "drag@x": false} {
		if (finding.CheckName(name) == nil) != good {
			t.Errorf("%q", name)
		}
	}
}
