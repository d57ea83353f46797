package rehearse_test

import (
	"fmt"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestRehearsalStays opens the page of a rehearsal that runs: it goes on.
func TestRehearsalStays(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id := c.Upload(file, "gauge.gcode")
	p := fmt.Sprintf("/prints/%d/rehearse", id)
	c.Page(t, p)
	if code, _ := c.Form(p, "do", "speed", "speed", "1000"); code != 204 {
		t.Fatal(code)
	}
	r := c.S.Rehearsals.Of(id)
	c.Page(t, p)
	if c.S.Rehearsals.Of(id) != r {
		t.Error("a look at its page has begun it anew")
	}
	if code, _ := c.Form(p, "do", "again"); code != 204 || c.S.Rehearsals.Of(id) == r {
		t.Error("it cannot be begun anew")
	}
}
