package cuesheet_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestCueSheet asks for the timetable as page, table and calendar.
func TestCueSheet(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.Bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.Page(t, p+"/cue", "Nothing is marked")
	c.Steps(t, []webtest.Step{
		{p + "/ears", []string{"before", "5", "filament", "white"}, 200, ""},
		{p + "/ears", []string{"before", "9", "kind", "insert"}, 200, ""},
		{p + "/ears/a2", []string{"all", "1", "note", "=two <b>nuts</b>", "heads_up", "1"}, 200, ""},
	})
	c.Page(t, p+"/cue", "Change to Gull white", "purge 45 mm", "=two &lt;b&gt;nuts")
	c.Page(t, p+"/cue?start=2026-11-28T09:30", "starts 28 Nov, 09:30", "Heads-up: be there in",
		"For the calendar")
	if _, text := c.Do("GET", p+"/cue/csv?start=2026-11-28T09:30", nil, nil); !strings.Contains(text,
		"2026-11-28 09:3") || !strings.Contains(text, "'=two") {
		t.Error(text)
	}
	if _, text := c.Do("GET", p+"/cue/ics?start=2026-11-28T09:30", nil, nil); strings.Count(text,
		"BEGIN:VALARM") != 2 {
		t.Error(text)
	}
	if code, _ := c.Do("GET", p+"/cue/ics", nil, nil); code != 409 {
		t.Error(code)
	}
	if code, _ := c.Do("GET", p+"/cue?start=soon", nil,
		map[string]string{"Accept": "text/html"}); code != 422 {
		t.Error(code)
	}
}

// TestAfterwards checks that pockets which stay open to the top are not forgotten: no stop
// is made for them, but the cue sheet says what goes in when the print is done.
func TestAfterwards(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	part := demo.Sockets(20)
	part.Layers = 18
	file, _ := demo.Slice(part, demo.DialectNamed("plain"))
	p := fmt.Sprintf("/prints/%d", c.Upload(file, "sockets.gcode"))
	c.Page(t, p+"/cue", "When it is done", "Put in: a pocket hex 5.8 across, open to the top, for "+
		"the M3 nut.")
	closed, _ := demo.Slice(demo.Sockets(20), demo.DialectNamed("plain"))
	p = fmt.Sprintf("/prints/%d", c.Upload(closed, "closed.gcode"))
	if _, body := c.Do("GET", p+"/cue", nil, nil); strings.Contains(body, "When it is done") {
		t.Error("pockets that are covered are called open")
	}
}
