package web

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/core/printer"
	"dogear/demo"
)

// TestRehearsal runs a marked print on the simulated printer, lets it go wrong,
// and goes on with a pick-up.
func TestRehearsal(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.steps(t, []step{{p + "/ears", []string{"before", "5", "filament", "white"}, 200, ""}, {p + "/ears/a1", []string{"all", "1", "heads_up", "1", "heads_up_unit", "layers"}, 200, ""}})
	c.page(t, p+"/rehearse", "Let it go wrong", "the nozzle jams")
	u := p + "/rehearse"
	c.steps(t, []step{
		{u, []string{"do", "dance"}, 422, "does not understand"},
		{u, []string{"do", "speed", "speed", "fast"}, 422, "no such speed"},
		{u, []string{"do", "fault", "fault", "flood"}, 422, "no such fault"},
		{u, []string{"do", "pickup"}, 409, "othing is on the bed"},
		{u, []string{"do", "speed", "speed", "10000"}, 204, ""},
	})
	r := c.s.rehearsals.all[id]
	at, seen := 0, moment{}
	until := func(state string) {
		t.Helper()
		for range 200 {
			seen, at = r.beat(at)
			if seen.State == state {
				return
			}
			time.Sleep(10 * time.Millisecond)
		}
		t.Fatalf("it is %s, want %s", seen.State, state)
	}
	until(printer.Waiting)
	if seen.Ear != "a1" || len(seen.Steps) < 8 || !strings.Contains(seen.Message, "Gull white") || seen.Top != 0.8 {
		t.Errorf("%+v", seen)
	}
	// Lines of the edited file are turned into lines of the original.
	b := bytes.Split(file, []byte("\n"))
	if l := string(b[seen.Original-1]); !strings.Contains(l, "seconds so far") && !strings.Contains(l, "layer 4") {
		t.Errorf("it stands in front of line %d: %s", seen.Original, l)
	}
	c.steps(t, []step{{u, []string{"do", "resume"}, 204, ""}, {u, []string{"do", "speed", "speed", "200"}, 204, ""}})
	for range 100 {
		if seen, at = r.beat(at); seen.Layer > 7 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	c.steps(t, []step{{u, []string{"do", "fault", "fault", "power"}, 204, ""}})
	until(printer.Dead)
	c.steps(t, []step{{u, []string{"do", "pickup"}, 200, ""}})
	c.page(t, p+"/pickup", "Touched with the nozzle", fmt.Sprintf("line %s", group(r.original(seen.Line+1))), "Write the pick-up")
	if seen.Speed == 0 || len(seen.Events) > mostLogged {
		t.Errorf("%+v", seen)
	}
}
