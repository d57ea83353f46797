package routine_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/edit"
	"dogear/core/plan"
)

// several applies ears at the fold before layer 2 of the small test file and returns the
// result, with the lines of all of them but for what they remember.
func several(t *testing.T, p *plan.Plan) (*apply.Result, []string) {
	t.Helper()
	p.Format = plan.Format
	if p.Filaments == nil {
		p.Filaments = map[string]plan.Filament{"white": {Name: "Gull white", Colour: "#ece6d8",
			Purge: 45}}
	}
	for i := range p.Ears {
		p.Ears[i].BeforeLayer = 2
		if p.Ears[i].Kind == plan.Colour {
			p.Ears[i].Filament = "white"
		}
	}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	src, ix := applytest.Reading(t, applytest.File)
	res, err := apply.Plan(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for i := range res.Blocks {
		for _, l := range res.Blocks[i].Lines {
			if !strings.HasPrefix(l.Text, "; dogear >") && !strings.HasPrefix(l.Text, "; dogear seal ") {
				out = append(out, l.Text)
			}
		}
	}
	return res, out
}

// TestSeveralAtOneFold makes one stop of several ears: what is done there, in its order.
func TestSeveralAtOneFold(t *testing.T) {
	name := func(s string) json.RawMessage { j, _ := json.Marshal(s); return j }
	for _, c := range []struct {
		what  string
		ears  []plan.Ear
		order string // words that follow one another
		count map[string]int
	}{
		{"a nut and a colour, marked the other way round",
			[]plan.Ear{{ID: "c", Kind: plan.Colour}, {ID: "n", Kind: plan.Insert, Note: "a nut"}},
			"ear n:|M300|up, 25 mm|aside|ear n ends|ear c:|M0 a nut, Load Gull white, then resume|" +
				"purges 45|over the place|ear c ends",
			map[string]int{"M0": 1, "aside": 1, "up, ": 1, "purges": 1}},
		{"two things to put in", []plan.Ear{{ID: "a", Kind: plan.Insert, Note: "a nut"},
			{ID: "b", Kind: plan.Insert, Note: "a magnet"}},
			"ear a:|aside|ear a ends|ear b:|M0 a nut, a magnet, then resume|down|ear b ends",
			map[string]int{"M0": 1, "purges": 0}},
		{"one that cools, and a colour: two waits", []plan.Ear{{ID: "n", Kind: plan.Insert,
			Note: "many", Routine: name("drop many things in")}, {ID: "c", Kind: plan.Colour}},
			"nozzle to 150 C|M0 many, then resume|ear n ends|M0 Load Gull white, then resume|purges 45",
			map[string]int{"M0": 2, "purges": 1, "bond": 0}},
		{"two that cool: one wait, then hot", []plan.Ear{{ID: "n", Kind: plan.Insert, Note: "many",
			Routine: name("drop many things in")}, {ID: "m", Kind: plan.Insert, Note: "more"}},
			"nozzle to 150 C|ear m:|M0 many, more, then resume|M109|purges 8|dogear bond m",
			map[string]int{"M0": 1, "purges": 1}},
		{"the printer does the colour by itself", []plan.Ear{{ID: "n", Kind: plan.Insert,
			Note: "a nut"}, {ID: "c", Kind: plan.Colour, Stop: "M600"}},
			"aside|M0 a nut, then resume|ear n ends|M600|over the place", map[string]int{"M0": 1,
				"M600": 1, "purges": 0}},
		{"other stop words do not share a wait", []plan.Ear{{ID: "n", Kind: plan.Insert,
			Note: "a nut", Stop: "M25"}, {ID: "c", Kind: plan.Colour}},
			"a nut, then resume|M25|ear n ends|M0 Load Gull white, then resume|purges",
			map[string]int{"M25": 1, "M0": 1}},
		{"a window of time", []plan.Ear{{ID: "n", Kind: plan.Insert, Note: "a nut", Stop: "G4 S60"},
			{ID: "c", Kind: plan.Colour, Stop: "G4 S60"}},
			"M117 a nut: 60 s, then it goes on|G4 S50|ear n ends|Load Gull white: 60 s, then|G4 S50",
			map[string]int{"aside": 1}},
		{"a nozzle and a colour", []plan.Ear{{ID: "c", Kind: plan.Colour}, {ID: "z",
			Kind: plan.Nozzle, Nozzle: 0.6}}, "ear z:|aside|ear z ends|ear c:|Load Gull white|" +
			"purges 45|ear c ends", map[string]int{"purges": 1, "aside": 1}},
		{"own lines between", []plan.Ear{{ID: "o", Kind: plan.Own, Lines: []string{"M42 P1 S255"}},
			{ID: "n", Kind: plan.Insert, Note: "a nut"}, {ID: "c", Kind: plan.Colour}},
			"ear n:|aside|M0 a nut, then resume|ear o:|M42 P1 S255|ear o ends|ear c:|M0 Load|purges",
			map[string]int{"aside": 1, "M42": 1}},
	} {
		t.Run(c.what, func(t *testing.T) {
			_, lines := several(t, &plan.Plan{Ears: c.ears})
			text := strings.Join(lines, "\n")
			rest := text
			for _, w := range strings.Split(c.order, "|") {
				var ok bool
				if _, rest, ok = strings.Cut(rest, w); !ok {
					t.Fatalf("%q does not stand where it should:\n%s", w, text)
				}
			}
			for w, want := range c.count {
				n := 0
				for _, l := range lines {
					if !strings.HasPrefix(l, "; dogear") && strings.Contains(l, w) {
						n++
					}
				}
				if n != want {
					t.Errorf("%q %d times, want %d:\n%s", w, n, want, text)
				}
			}
		})
	}
}

// TestSeveralComeBack gives the original back, and each ear by its id.
func TestSeveralComeBack(t *testing.T) {
	res, _ := several(t, &plan.Plan{Ears: []plan.Ear{{ID: "c", Kind: plan.Colour},
		{ID: "n", Kind: plan.Insert, Note: "a nut"}, {ID: "m", Kind: plan.Insert, Note: "a magnet"}}})
	src, _ := applytest.Reading(t, applytest.File)
	var edited, back bytes.Buffer
	if _, err := edit.Write(&edited, src, res.Edits); err != nil {
		t.Fatal(err)
	}
	now := strings.NewReader(edited.String())
	out, err := apply.TakeOut(now)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := edit.Write(&back, now, out.Edits); err != nil {
		t.Fatal(err)
	}
	if back.String() != applytest.File {
		t.Errorf("this is not the original:\n%s", back.String())
	}
	var ids []string
	for _, e := range out.Plan.Ears {
		ids = append(ids, e.ID)
	}
	if got := strings.Join(ids, " "); got != "n m c" || len(out.Lost) > 0 {
		t.Errorf("ears %q, lost %v", got, out.Lost)
	}
}

// TestTwiceTheSame refuses what cannot be both.
func TestTwiceTheSame(t *testing.T) {
	for _, kind := range []string{plan.Colour, plan.Nozzle} {
		p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: 2, Kind: kind},
			{ID: "b", BeforeLine: 12, Kind: kind}}}
		if err := p.Check(); err != nil {
			t.Fatal(err)
		}
		src, ix := applytest.Reading(t, applytest.File)
		if _, err := apply.Plan(src, ix, p, nil); !errors.Is(err, apply.ErrTwice) {
			t.Error(kind, err)
		}
	}
}
