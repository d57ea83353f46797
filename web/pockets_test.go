package web

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
)

func TestRuns(t *testing.T) {
	for _, c := range []struct {
		steps, order []int
		want         string
	}{
		{[]int{1}, []int{1, 2}, "1"}, {[]int{1, 2}, []int{1, 2}, "1, 2"},
		{[]int{4, 6, 8}, []int{1, 4, 6, 8, 9}, "4–8"},
		{[]int{1, 2, 3, 9}, []int{1, 2, 3, 4, 9}, "1–3, 9"}, {nil, nil, ""},
	} {
		if got := runs(c.steps, c.order); got != c.want {
			t.Errorf("%v: %q, want %q", c.steps, got, c.want)
		}
	}
}

// TestCueSheet asks for the timetable as page, table and calendar.
func TestCueSheet(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.page(t, p+"/cue", "Nothing is marked")
	c.steps(t, []step{
		{p + "/ears", []string{"before", "5", "filament", "white"}, 200, ""},
		{p + "/ears", []string{"before", "9", "kind", "insert"}, 200, ""},
		{p + "/ears/a2", []string{"all", "1", "note", "=two <b>nuts</b>", "heads_up", "1"}, 200, ""},
	})
	c.page(t, p+"/cue", "Change to Gull white", "purge 45 mm", "=two &lt;b&gt;nuts")
	c.page(t, p+"/cue?start=2026-11-28T09:30", "starts 28 Nov, 09:30", "Heads-up: be there in",
		"For the calendar")
	if _, text := c.do("GET", p+"/cue/csv?start=2026-11-28T09:30", nil, nil); !strings.Contains(text,
		"2026-11-28 09:3") || !strings.Contains(text, "'=two") {
		t.Error(text)
	}
	if _, text := c.do("GET", p+"/cue/ics?start=2026-11-28T09:30", nil, nil); strings.Count(text,
		"BEGIN:VALARM") != 2 {
		t.Error(text)
	}
	if code, _ := c.do("GET", p+"/cue/ics", nil, nil); code != 409 {
		t.Error(code)
	}
	if code, _ := c.do("GET", p+"/cue?start=soon", nil,
		map[string]string{"Accept": "text/html"}); code != 422 {
		t.Error(code)
	}
}

// TestPockets lists the buoy's pocket, and says whether what goes in fits.
func TestPockets(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.Buoy(), demo.DialectNamed("hopping"))
	id, refused := c.bring("buoy.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	c.page(t, p, "Pockets", "across flats, 13.8 deep, open until layer 79",
		"Put in M8 nut before layer 80", "as late as possible")
	c.steps(t, []step{
		{p + "/pockets", []string{"pockets", "0", "insert", "M8 nut"}, 200,
			"the printer stops before layer 80, as late as possible"},
		{p + "/pockets", []string{"pockets", "0", "insert", "M8 nut"}, 409,
			"There is something for this pocket before layer 80 already"},
		{p + "/pockets", []string{"pockets", "7", "insert", "M8 nut"}, 422, "no such pocket"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "pocket", "110,110"}, 200,
			"It drops in, 0."},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "3"}, 200,
			"It is never covered"},
	})
	c.page(t, p+"/proof", "would be laid into", "Fix the points above before writing the file")
	if code, _ := c.do("GET", p+"/write", nil, nil); code != 409 {
		t.Error(code)
	}
	c.steps(t, []step{
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "slow", "1", "slow_to",
			"50"}, 200, "It drops in"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "slow", "1", "slow_to",
			"5"}, 422, "from 10 to 100"},
		{p + "/ears/a1", []string{"where", "60"}, 200, "The head is lifted over it until layer 77 is " +
			"laid"},
	})
	c.page(t, p+"/proof", "Same plastic", "ways are lifted", "1 bridge is laid slower")
	code, out := c.do("GET", p+"/write", nil, nil)
	if code != 200 || strings.Count(out, ": up") < 10 || strings.Count(out, "M220 S50") != 1 {
		t.Error(code, strings.Count(out, ": up"))
	}
	c.steps(t, []step{
		{p + "/ears/a1", []string{"where", "83"}, 200, "No pocket that is closed later"},
		{p + "/ears/a1", []string{"where", "80"}, 200, "It drops in"},
		{p + "/ears/a1", []string{"all", "1", "insert", "disc magnet 8 × 3", "count", "2", "pole",
			"opposite"}, 200, "by turns up and down"},
	})
	c.page(t, p+"/cue", "Mark one face of each magnet")
}

// TestAfterwards checks that pockets which stay open to the top are not forgotten: no stop
// is made for them, but the cue sheet says what goes in when the print is done.
func TestAfterwards(t *testing.T) {
	c := newClient(t, archive.Limits{})
	part := demo.Sockets(20)
	part.Layers = 18
	file, _ := demo.Slice(part, demo.DialectNamed("plain"))
	p := fmt.Sprintf("/prints/%d", c.upload(file, "sockets.gcode"))
	c.page(t, p+"/cue", "When it is done", "Put in: a pocket hex 5.8 across, open to the top, for "+
		"the M3 nut.")
	closed, _ := demo.Slice(demo.Sockets(20), demo.DialectNamed("plain"))
	p = fmt.Sprintf("/prints/%d", c.upload(closed, "closed.gcode"))
	if _, body := c.do("GET", p+"/cue", nil, nil); strings.Contains(body, "When it is done") {
		t.Error("pockets that are covered are called open")
	}
}
