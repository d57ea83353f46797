package plan

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"
)

func TestParseKit(t *testing.T) {
	good := `{"format":"dogear-kit/1","printers":{"shed":{
		"name":"club printer in the shed","park":[5,210],"stop":{"colour":"M600"}}},
		"filaments":{"red":{"name":"Signal red","colour":"#b8362b","nozzle":[215,210]}},
		"inserts":{"M8 nut":{"shape":"hex","across":13,"height":6.8}},
		"routines":{"short":[{"do":"stop"},{"do":"return"},{"do":"restore"}]}}`
	k, err := ParseKit(strings.NewReader(good))
	if err != nil {
		t.Fatal(err)
	}
	if p := k.Printers["shed"]; p.Bed != Generic().Bed || p.Top != 250 ||
		p.StopWord(Colour) != "M600" || p.StopWord(Insert) != "M0" {
		t.Errorf("%+v", p)
	}
	items := k.Items()
	if len(items) != 4 || items[0].Drawer != Printers || items[3].Key != "short" {
		t.Errorf("%+v", items)
	}
	// What is written out is read in again.
	j, err := json.Marshal(k)
	if err != nil {
		t.Fatal(err)
	}
	if k2, err := ParseKit(strings.NewReader(string(j))); err != nil ||
		fmt.Sprint(k2) != fmt.Sprint(k) {
		t.Errorf("%v %v, want %v", err, k2, k)
	}
	for text, want := range map[string]string{
		`[`:                         "JSON",
		`{"format":"dogear-kit/9"}`: "is understood",
		`{"format":"dogear-kit/1","printers":{" x":{}}}`:                          "no blank",
		`{"format":"dogear-kit/1","printers":{"x":{"bed":[5,0,5,9]}}}`:            "no size",
		`{"format":"dogear-kit/1","printers":{"x":{"stop":{"dance":"M0"}}}}`:      "no kind of ear",
		`{"format":"dogear-kit/1","printers":{"x":{"places":{"brush":[1e9,0]}}}}`: "out of range",
		`{"format":"dogear-kit/1","printers":{"x":{"head":[-1,0]}}}`:              "out of range",
		`{"format":"dogear-kit/1","filaments":{"x":{"colour":"red"}}}`:            "#rrggbb",
		`{"format":"dogear-kit/1","filaments":{"x":{"nozzle":[20,0]}}}`:           "no temperature",
		`{"format":"dogear-kit/1","filaments":{"x":{"bed":[0,500]}}}`:             "no temperature",
		`{"format":"dogear-kit/1","filaments":{"x":{"density":-1}}}`:              "density",
		`{"format":"dogear-kit/1","filaments":{"x":{"purge":-1}}}`:                "out of range",
		`{"format":"dogear-kit/1","inserts":{"x":{"shape":"star"}}}`:              "is not known",
		`{"format":"dogear-kit/1","inserts":{"x":{"across":-3}}}`:                 "out of range",
		`{"format":"dogear-kit/1","routines":{"x":[{"do":"stop"}]}}`:              "return",
		`{"format":"dogear-kit/1","routines":{"x":[{"do":"lines","lines":["` + strings.Repeat("x", 300) +
			`"]},{"do":"return"},{"do":"restore"}]}}`: "longer than",
	} {
		if _, err := ParseKit(strings.NewReader(text)); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%.70s: %v, want %q", text, err, want)
		}
	}
}

func TestShippedIsSound(t *testing.T) {
	keys := map[string]bool{}
	for _, it := range Shipped() {
		if keys[it.Drawer+it.Key] {
			t.Errorf("%s %s ships twice", it.Drawer, it.Key)
		}
		keys[it.Drawer+it.Key] = true
		var err error
		switch d := it.Doc.(type) {
		case Printer:
			err = d.Check()
		case Filament:
			if err = d.Check(); d.Nozzle != [2]float64{} {
				t.Errorf("%s ships with a heat, which nobody can know", it.Key)
			}
		case InsertPart:
			err = d.Check()
		}
		if err == nil {
			err = CheckKey(it.Key)
		}
		if err != nil {
			t.Errorf("%s: %v", it.Key, err)
		}
	}
	for _, n := range BuiltinNames() {
		if _, ok := Builtin()[n]; !ok {
			t.Errorf("%s is named, but does not ship", n)
		}
	}
	if len(BuiltinNames()) != len(Builtin()) {
		t.Error("not all that ship are named")
	}
}

func TestKnowsStop(t *testing.T) {
	p := Printer{Stop: map[string]string{Colour: "M600 B2"}, Knows: []string{"pause_it X"}}
	for w, want := range map[string]bool{"M0": true, "m25": true, "G4 S30": true, "@pause": true,
		"M600": true, "PAUSE_IT": true, "M601": false, "M226": false, "": true} {
		if p.KnowsStop(w) != want {
			t.Errorf("%q: %v", w, !want)
		}
	}
}

// TestGrams weighs a metre of the usual filament: about 3 g.
func TestGrams(t *testing.T) {
	if g := (&Filament{}).Grams(1000); math.Abs(g-2.98) > 0.01 {
		t.Error(g)
	}
	if g := (&Filament{Diameter: 2.85, Density: 1.04}).Grams(1000); math.Abs(g-6.63) > 0.01 {
		t.Error(g)
	}
}

// TestWords says every step in words, none of them empty or with a hole.
func TestWords(t *testing.T) {
	half, x := 50.0, 3.0
	p := &Plan{Printer: Generic(),
		Filaments: map[string]Filament{"white": {Name: "Gull white", Purge: 45}}}
	e := &Ear{Kind: Colour, Filament: "white", Note: "look", Nozzle: 0.6}
	for _, s := range []Step{{Do: "say", Text: "{filament} {note} {nozzle}"}, {Do: "tone"},
		{Do: "tone", Times: 2}, {Do: "retract", MM: 2}, {Do: "lift", MM: 9}, {Do: "park"},
		{Do: "park", Keep: true}, {Do: "park", At: "brush"}, {Do: "park", X: &x, Y: &x},
		{Do: "fan"}, {Do: "fan", Percent: &half}, {Do: "heat"}, {Do: "heat", Wait: true},
		{Do: "heat", Celsius: 200}, {Do: "cool", Celsius: 90, Wait: true}, {Do: "wait", Seconds: 9},
		{Do: "wait", Seconds: 9, Warn: 2}, {Do: "stop"},
		{Do: "unload"}, {Do: "unload", MM: 50}, {Do: "load"}, {Do: "load", MM: 50}, {Do: "purge", MM: 9},
		{Do: "wipe"}, {Do: "lines"}, {Do: "bond"}, {Do: "return"}, {Do: "restore"}} {
		w := s.Words(p, e)
		if len(w) < 4 || w == s.Do || strings.ContainsAny(w, "{}%!") && !strings.Contains(w, "50 %") {
			t.Errorf("%+v: %q", s, w)
		}
	}
	if w := (Step{Do: "purge", MM: 9}).Words(p, e); !strings.Contains(w, "45 mm") {
		t.Error(w)
	}
	if got := p.Fill("{note}", &Ear{Kind: Insert, Insert: &InsertPart{Name: "M8 nut"},
		Count: 2}); got != "Put in 2 × M8 nut" {
		t.Error(got)
	}
}

func FuzzParseKit(f *testing.F) {
	f.Add(`{"format":"dogear-kit/1","filaments":{"red":{"name":"Signal red","colour":"#b8362b"}}}`)
	f.Fuzz(func(t *testing.T, text string) {
		k, err := ParseKit(strings.NewReader(text))
		if err != nil {
			return
		}
		j, err := json.Marshal(k)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := ParseKit(strings.NewReader(string(j))); err != nil {
			t.Errorf("%s is not read in again: %v", j, err)
		}
	})
}

// TestPurgeOf takes what is known of a pair of filaments before what is known of the new one.
func TestPurgeOf(t *testing.T) {
	p := &Plan{Filaments: map[string]Filament{
		"white": {Purge: 45, After: map[string]float64{"tar": 90, "red": 0}}, "brass": {}}}
	for _, c := range []struct {
		from, to, kind string
		want           float64
	}{
		{"tar", "white", Colour, 90}, {"red", "white", Colour, 45}, {"", "white", Colour, 45},
		{"tar", "brass", Colour, 30}, {"tar", "none", Colour, 30}, {"tar", "white", Insert, 30},
	} {
		t.Run(c.from, func(t *testing.T) {
			e := Ear{Kind: c.kind, Filament: c.to, From: c.from}
			if got := p.PurgeOf(&e, Step{Do: "purge", MM: 30}); got != c.want {
				t.Errorf("%s behind %q: %g mm, want %g", c.to, c.from, got, c.want)
			}
		})
	}
	bad := Filament{After: map[string]float64{"tar": -1}}
	if bad.Check() == nil {
		t.Error("-1 mm is pushed through")
	}
}

// TestNextPurge learns: answers that are always the same lead somewhere, and the right one
// changes nothing.
func TestNextPurge(t *testing.T) {
	for _, c := range []struct {
		mm    float64
		clean string
		want  float64
	}{
		{30, JustRight, 30}, {45, TooLittle, 65}, {65, TooMuch, 50}, {5, TooMuch, 5},
		{1, TooLittle, 5}, {1990, TooLittle, 2000},
	} {
		t.Run(c.clean, func(t *testing.T) {
			if got, err := NextPurge(c.mm, c.clean); err != nil || got != c.want {
				t.Errorf("%g mm was %s: %g, %v, want %g", c.mm, c.clean, got, err, c.want)
			}
		})
	}
	if _, err := NextPurge(30, "lovely"); err == nil {
		t.Error("lovely")
	}
}
