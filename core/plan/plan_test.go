package plan

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	p, err := Parse(strings.NewReader(`{"format":"dogear-plan/1","ears":[{"before_layer":3,` +
		`"kind":"colour"}]}`))
	if err != nil || p.Printer.Top != 250 || p.Printer.StopWord(Colour) != "M0" ||
		p.Ears[0].ID != "e1" {
		t.Fatalf("%+v %v", p, err)
	}
	r, err := p.RoutineOf(&p.Ears[0])
	if err != nil || r[len(r)-1].Do != "restore" {
		t.Fatal(r, err)
	}
}

func TestParseRefuses(t *testing.T) {
	for name, c := range map[string]struct{ plan, want string }{
		"no JSON":      {`{`, "not JSON"},
		"other format": {`{"format":"other/2","ears":[]}`, `"dogear-plan/1" is understood`},
		"no place": {`{"format":"dogear-plan/1","ears":[{"id":"a","kind":"colour"}]}`,
			"ear a: say where"},
		"two places": {`{"format":"dogear-plan/1","ears":[{"id":"a","kind":"colour",` +
			`"before_layer":1,"at_height":2}]}`, "exactly one"},
		"no kind": {`{"format":"dogear-plan/1","ears":[{"before_layer":1}]}`, "say its kind"},
		"unknown kind": {`{"format":"dogear-plan/1","ears":[{"before_layer":1,"kind":"song"}]}`,
			`"song"`},
		"unknown routine": {`{"format":"dogear-plan/1","ears":[{"before_layer":1,"kind":"insert",` +
			`"routine":"dance"}]}`, `no routine "dance"`},
		"no end": {`{"format":"dogear-plan/1","ears":[{"before_layer":1,"kind":"insert",` +
			`"routine":[{"do":"stop"}]}]}`, "last two steps"},
		"end too early": {`{"format":"dogear-plan/1","ears":[{"before_layer":1,"kind":"insert",` +
			`"routine":[{"do":"restore"},{"do":"return"},{"do":"restore"}]}]}`, "step 1"},
		"unknown step": {`{"format":"dogear-plan/1","ears":[],"routines":{"r":[{"do":"jump"},` +
			`{"do":"return"},{"do":"restore"}]}}`, `no step "jump"`},
		"twice": {`{"format":"dogear-plan/1","ears":[{"id":"a","before_layer":1,` +
			`"kind":"insert"},{"id":"a","before_layer":2,"kind":"insert"}]}`, "twice"},
		"bad id": {`{"format":"dogear-plan/1","ears":[{"id":"a;\n","before_layer":1,` +
			`"kind":"insert"}]}`, "letters, digits"},
		"no such spool": {`{"format":"dogear-plan/1","filaments":{"red":{}},` +
			`"ears":[{"before_layer":1,"kind":"colour","filament":"blue"}]}`, "blue"},
		"flat bed": {`{"format":"dogear-plan/1","printer":{"bed":[9,0,0,9]},"ears":[]}`, "no size"},
		"landing": {`{"format":"dogear-plan/1","ears":[{"before_layer":1,"kind":"insert",` +
			`"land":"moon"}]}`, "moon"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Parse(strings.NewReader(c.plan))
			var pe *Error
			if err == nil || !strings.Contains(err.Error(), c.want) || !errors.As(err, &pe) {
				t.Errorf("%v, want something with %q", err, c.want)
			}
		})
	}
}

func TestBuiltinRoutinesAreWhole(t *testing.T) {
	for name, r := range Builtin() {
		if err := r.Check(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		for _, s := range r {
			if w := s.Words(&Plan{Printer: Generic()}, &Ear{Kind: Colour}); w == s.Do || w == "" {
				t.Errorf("%s: the step %q has no words", name, s.Do)
			}
		}
	}
}

func TestPrinterThatDoesItAll(t *testing.T) {
	p := &Plan{Format: Format, Printer: &Printer{Bed: Generic().Bed,
		Stop: map[string]string{Colour: "M600"}}, Ears: []Ear{{BeforeLayer: 2, Kind: Colour},
		{BeforeLayer: 3, Kind: Insert}}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	for i, want := range []string{"tone say stop return restore",
		"tone retract lift park say stop return restore"} {
		r, err := p.RoutineOf(&p.Ears[i])
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, s := range r {
			got = append(got, s.Do)
		}
		if strings.Join(got, " ") != want {
			t.Errorf("ear %d: %v, want %s", i, got, want)
		}
	}
}

// FuzzParse checks that what is accepted can be written and read again.
func FuzzParse(f *testing.F) {
	f.Add([]byte(`{"format":"dogear-plan/1","ears":[{"id":"a1","before_layer":38,"kind":"colour",` +
		`"filament":"white","routine":[{"do":"tone","hz":880},{"do":"return"},{"do":"restore"}]}]}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		p, err := Parse(strings.NewReader(string(b)))
		if err != nil {
			return
		}
		out, err := json.Marshal(p)
		if err != nil {
			t.Fatal(err)
		}
		q, err := Parse(strings.NewReader(string(out)))
		if err != nil || len(q.Ears) != len(p.Ears) {
			t.Fatalf("%s: %v", out, err)
		}
	})
}
