package rehearse_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/core/figures"
	"dogear/core/printer"
	"dogear/demo"
	"dogear/store"
	"dogear/web/rehearse"
	"dogear/web/webtest"
)

// TestRehearsal runs a marked print on the simulated printer, lets it go wrong,
// and goes on with a pick-up.
func TestRehearsal(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.Bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.Steps(t, []webtest.Step{{p + "/ears", []string{"before", "5", "filament", "white"}, 200, ""},
		{p + "/ears/a1", []string{"all", "1", "heads_up", "1", "heads_up_unit", "layers"}, 200, ""}})
	c.Page(t, p+"/rehearse", "Let it go wrong", "the nozzle jams")
	u := p + "/rehearse"
	c.Steps(t, []webtest.Step{
		{u, []string{"do", "dance"}, 422, "does not understand"},
		{u, []string{"do", "speed", "speed", "fast"}, 422, "no such speed"},
		{u, []string{"do", "fault", "fault", "flood"}, 422, "no such fault"},
		{u, []string{"do", "pickup"}, 409, "othing is on the bed"},
		{u, []string{"do", "speed", "speed", "10000"}, 204, ""},
	})
	r := c.S.Rehearsals.Of(id)
	at, seen := 0, rehearse.Moment{}
	until := func(state string) {
		t.Helper()
		for range 200 {
			seen, at = r.Beat(at)
			if seen.State == state {
				return
			}
			time.Sleep(10 * time.Millisecond)
		}
		t.Fatalf("it is %s, want %s", seen.State, state)
	}
	until(printer.Waiting)
	if seen.Ear != "a1" || len(seen.Steps) < 8 || !strings.Contains(seen.Message, "Gull white") ||
		seen.Top != 0.8 {
		t.Errorf("%+v", seen)
	}
	// Lines of the edited file are turned into lines of the original.
	b := bytes.Split(file, []byte("\n"))
	if l := string(b[seen.Original-1]); !strings.Contains(l, "seconds so far") &&
		!strings.Contains(l, "layer 4") {
		t.Errorf("it stands in front of line %d: %s", seen.Original, l)
	}
	c.Steps(t, []webtest.Step{{u, []string{"do", "resume"}, 204, ""},
		{u, []string{"do", "speed", "speed", "200"}, 204, ""}})
	for range 100 {
		if seen, at = r.Beat(at); seen.Layer > 7 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	c.Steps(t, []webtest.Step{{u, []string{"do", "fault", "fault", "power"}, 204, ""}})
	until(printer.Dead)
	c.Steps(t, []webtest.Step{{u, []string{"do", "pickup"}, 200, ""}})
	c.Page(t, p+"/pickup", "Touched with the nozzle",
		fmt.Sprintf("line %s", figures.Count(r.Original(seen.Line+1))), "Write the pick-up")
	if seen.Speed == 0 || len(seen.Events) > rehearse.MaxLogged {
		t.Errorf("%+v", seen)
	}
}

// TestRehearsedLines maps every line of the edited file that is the original's
// back to where it stands there, whatever was put in.
func TestRehearsedLines(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.Hollows(0.2), demo.DialectNamed("plain"))
	id, _ := c.Bring("block.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.Steps(t, []webtest.Step{
		{p + "/ears", []string{"before", "20", "filament", "white"}, 200, ""},
		{p + "/ears/a1", []string{"all", "1", "heads_up", "1", "heads_up_unit", "layers"}, 200, ""},
		{p + "/changes", []string{"from", "1", "to", "10", "speed", "70", "fan", "30"}, 200, ""},
		{p + "/changes", []string{"from", "20", "to", "30", "flow", "95"}, 200, ""},
		{p + "/mutes", []string{"from", "900", "to", "905"}, 200, ""},
	})
	b, err := c.S.Books.Get(t.Context(),
		func() store.Print { q, _ := c.St.Print(t.Context(), id); return q }())
	if err != nil {
		t.Fatal(err)
	}
	m, err := c.S.Marks(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	r, err := c.S.Rehearsals.Load(b, m)
	if err != nil {
		t.Fatal(err)
	}
	_, out := c.Do("GET", p+"/write", nil, nil)
	was, now := strings.Split(string(file), "\n"), strings.Split(out, "\n")
	found := 0
	for i, line := range now {
		n := r.Original(int64(i + 1))
		if n < 1 || n > int64(len(was)) {
			t.Fatalf("line %d is line %d", i+1, n)
		}
		if strings.Contains(line, "E") && strings.HasPrefix(line, "G1 X") &&
			strings.Contains(line, "Y") && !strings.Contains(line, ";") {
			if was[n-1] != line {
				t.Fatalf("line %d (%s) is said to be line %d (%s)", i+1, line, n, was[n-1])
			}
			found++
		}
	}
	if found < 1000 {
		t.Errorf("only %d lines were compared", found)
	}
}
