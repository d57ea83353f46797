package proof_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestWriting follows "Write the file" from the click to the shelf: ready, remembered, and
// older than the marks once they change.
func TestWriting(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.Upload(file, "gauge.gcode"))
	c.Page(t, "/", "Choose the layer, and mark it", "gauge.gcode", "seen from above",
		"data:image/png")
	if code, body := c.Form(p+"/ears", "where", "13", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	c.Page(t, "/", "Read the proof, and write it")
	shown := func() string {
		t.Helper()
		for range 200 {
			code, body := c.Do("GET", p+"/writing", nil, nil)
			if code != 200 {
				t.Fatal(code, body)
			}
			if !strings.Contains(body, "Writing …") {
				return body
			}
			time.Sleep(10 * time.Millisecond)
		}
		t.Fatal("the writing does not end")
		return ""
	}
	if body := shown(); !strings.Contains(body, "gauge_stop-13_") ||
		!strings.Contains(body, "Same plastic") {
		t.Error(body)
	}
	if page := c.Page(t, p); strings.Contains(page, "Written last") {
		t.Error("looking at it counts as writing")
	}
	if code, body := c.Do("GET", p+"/write", nil, nil); code != 200 {
		t.Fatal(code, body)
	}
	c.Page(t, "/", "Written today at", "its cue sheet")
	for _, at := range []string{p, p + "/proof"} {
		if page := c.Page(t, at, "Written last today at"); strings.Contains(page, "have changed") {
			t.Errorf("%s: the file is as marked", at)
		}
	}
	if code, body := c.Form(p+"/ears", "where", "15", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	c.Page(t, "/", "Marked anew: write it again")
	c.Page(t, p, "The marks have changed since.")
	// Taken back, the marks are those that were written.
	if code, body := c.Form(p + "/undo"); code != 200 {
		t.Fatal(code, body)
	}
	c.Page(t, "/", "Written today at")
}

// TestWritingStopped says what stops a file, with the way to what causes it.
func TestWritingStopped(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.Upload(file, "gauge.gcode"))
	if code, body := c.Form(p+"/ears", "where", "13", "kind", "own lines"); code != 200 {
		t.Fatal(code, body)
	}
	home := []string{"all", "1", "kind", "own lines", "lines", "G28 Z"}
	if code, body := c.Form(p+"/ears/a1", home...); code != 200 {
		t.Fatal(code, body)
	}
	var body string
	for range 200 {
		if _, body = c.Do("GET", p+"/writing", nil, nil); !strings.Contains(body, "Writing …") {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	for _, want := range []string{"Not written", `role="alert"`, p + "?before=13",
		"Read the proof"} {
		if !strings.Contains(body, want) {
			t.Errorf("%q is missing in %s", want, body)
		}
	}
	if code, _ := c.Do("GET", p+"/write", nil, nil); code != 409 {
		t.Error(code)
	}
	if page := c.Page(t, p); strings.Contains(page, "Written last") {
		t.Error("a file that was stopped counts as written")
	}
}
