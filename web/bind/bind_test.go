package bind_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestBindPages binds two slicings of the harbour wall and puts the result on
// the shelf.
func TestBindPages(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	d := demo.DialectNamed("plain")
	coarse, _ := demo.Slice(demo.Pier(0.3, 0), d)
	fine, _ := demo.Slice(demo.Pier(0.15, 0), d)
	other, _ := demo.Slice(demo.Dome(), d)
	c.Page(t, "/bind", "No two prints on the shelf")
	a, _ := c.Bring("pier-coarse.gcode", coarse)
	b, _ := c.Bring("pier-fine.gcode", fine)
	ids := [2]int64{a, b}
	far, _ := c.Bring("lamp-roof.gcode", other)
	both := fmt.Sprintf("/bind?p=%d&p=%d", ids[0], ids[1])
	c.Page(t, "/", `href="`+strings.ReplaceAll(both, "&", "&amp;")+`"`)
	if body := c.Page(t, "/bind", "Pier coarse", "Pier fine", "Bind these two"); strings.Contains(body,
		`<b class="font-semibold">Lamp roof`) {
		t.Error("something else is offered to be bound")
	}
	c.Page(t, both, "Joined at", "Pier coarse ends with layer 8, Pier fine goes on with layer 16",
		"All fits", "pier-bound.gcode", "15 heights are shared")
	at := fmt.Sprintf("p=%d:1-8&p=%d:16-31", ids[0], ids[1])
	for _, q := range []struct{ query, says string }{
		{at + "&move=0:3.4", "ends with layer 11, Pier fine goes on with layer 22"},
		{at + "&move=0:99", "ends with layer 15, Pier fine goes on with layer 30"},
		{at + "&j=nozzle&n=0.25", "21 lines stand at this joint"},
		{at + "&j=nozzle&n=0,25&dz=-0.04", "Joined at"},
		{at + "&turn=0", "Pier fine ends with layer 15, Pier coarse goes on with layer 9"},
		{at + fmt.Sprintf("&add=%d", ids[0]), "Pier fine ends with layer 23, Pier coarse goes on with " +
			"layer 13"},
		{at + fmt.Sprintf("&add=%d&at=0", ids[0]), "at 2.40 mm"},
		{fmt.Sprintf("p=%d:1-8&p=%d:15-31", ids[0], ids[1]), "would be laid twice"},
		{fmt.Sprintf("p=%d:1-8&p=%d:9-31", ids[0], far), "not the same model"},
		{fmt.Sprintf("p=%d:1-8&p=%d:15-31", ids[0], ids[1]), `selected>not one that both share`},
		{at + fmt.Sprintf("&p=%d:25-31&j=nozzle&n=0.25&j=colour&drop=0", ids[1]),
			`value="colour" selected`},
	} {
		c.Page(t, "/bind?"+q.query, q.says)
	}
	c.Steps(t, []webtest.Step{
		{"/bind/shelf?" + fmt.Sprintf("p=%d:1-8&p=%d:15-31", ids[0], ids[1]), nil, 409,
			"would be laid twice"},
		{"/bind/shelf?" + fmt.Sprintf("p=%d:1-8", ids[0]), nil, 400, "two pieces or more"},
		{"/bind/shelf?p=99:1-8&p=98", nil, 404, ""},
		{"/bind/shelf?" + at + "&dz=50", nil, 422, "from -5 to 5"},
	})
	code, out := c.Do("GET", "/bind/file?"+at+"&j=nozzle&n=0.25", nil, nil)
	if code != 200 || !strings.Contains(out, "; dogear joint 1: nozzle swap, then Pier fine from "+
		"layer 16\n") || !strings.HasSuffix(out, string(fine[len(fine)-200:])) ||
		!strings.HasPrefix(out, string(coarse[:200])) {
		t.Errorf("%d %.300s", code, out)
	}
	c.Steps(t, []webtest.Step{{"/bind/shelf?" + at + "&j=nozzle&n=0.25", nil, 200, ""}})
	c.Read(far + 1)
	c.Page(t, "/", "Pier bound")
	c.Page(t, fmt.Sprintf("/prints/%d/proof", far+1), "Same plastic")
	if code, _ := c.Do("GET", fmt.Sprintf("/bind/over?below=%d:8&above=%d:16", ids[0], ids[1]), nil,
		nil); code != 200 {
		t.Error(code)
	}
	for _, q := range []string{"", "?below=1:0&above=1:1", "?below=x&above=1:1",
		"?below=1:9999&above=2:1"} {
		if code, _ := c.Do("GET", "/bind/over"+q, nil, nil); code != 404 {
			t.Errorf("%q: %d", q, code)
		}
	}
	thick, _ := demo.Slice(demo.Posts(), d)
	posts, _ := c.Bring("posts.gcode", thick)
	if code, body := c.Do("GET", fmt.Sprintf("/bind?p=%d&p=%d", a, posts), nil, nil); code != 422 ||
		!strings.Contains(body, "one after another") {
		t.Error(code, body)
	}
	other28, _ := demo.Slice(demo.Pier(0.28, 0), d)
	odd, _ := c.Bring("odd.gcode", other28)
	if code, body := c.Do("GET", fmt.Sprintf("/bind?p=%d&p=%d", a, odd), nil, nil); code != 422 &&
		!strings.Contains(body, "heights are shared") {
		t.Error(code, body)
	}
}

// TestBindAlong takes the ears of the pieces along, each to the layer that it has in the bound
// file, and says which stayed behind.
func TestBindAlong(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	d := demo.DialectNamed("plain")
	coarse, _ := demo.Slice(demo.Pier(0.3, 0), d)
	fine, _ := demo.Slice(demo.Pier(0.15, 0), d)
	a, _ := c.Bring("pier-coarse.gcode", coarse)
	b, _ := c.Bring("pier-fine.gcode", fine)
	ear := func(id int64, before, note string) {
		t.Helper()
		if code, body := c.Form(fmt.Sprintf("/prints/%d/ears", id), "where", before, "kind", "insert",
			"all", "1", "note", note); code != 200 {
			t.Fatal(code, body)
		}
	}
	ear(a, "5", "")
	ear(a, "12", "") // above the joint: of no part of this piece
	ear(b, "20", "")
	ear(b, "16", "") // at the joint
	ear(b, "line 1203", "")
	c.Steps(t, []webtest.Step{{fmt.Sprintf("/bind/shelf?p=%d:1-8&p=%d:16-31&j=nozzle&n=0.25&h=1", a,
		b), nil,
		200, ""}})
	id := b + 1
	c.Read(id)
	page := c.Page(t, fmt.Sprint("/prints/", id), "2 ears of the pieces came along", "stayed behind",
		`data-before="5"`, `data-before="13"`)
	if n := strings.Count(page, `data-ear="`); n != 2 {
		t.Errorf("%d ears", n)
	}
	c.Page(t, fmt.Sprintf("/prints/%d/proof", id), "Same plastic")
	// Without ears nothing is said.
	c.Steps(t, []webtest.Step{{fmt.Sprintf("/bind/shelf?p=%d:1-3&p=%d:6-15", a, b), nil, 200, ""}})
	c.Read(id + 1)
	if page := c.Page(t, fmt.Sprint("/prints/", id+1)); strings.Contains(page, "came along") {
		t.Error("ears came along that were not there")
	}
}
