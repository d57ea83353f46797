package web

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
)

// TestWriting follows "Write the file" from the click to the shelf: ready, remembered, and
// older than the marks once they change.
func TestWriting(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.upload(file, "gauge.gcode"))
	c.page(t, "/", "Choose the layer, and mark it", "gauge.gcode", "seen from above",
		"data:image/png")
	if code, body := c.form(p+"/ears", "where", "13", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	c.page(t, "/", "Read the proof, and write it")
	shown := func() string {
		t.Helper()
		for range 200 {
			code, body := c.do("GET", p+"/writing", nil, nil)
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
	if page := c.page(t, p); strings.Contains(page, "Written last") {
		t.Error("looking at it counts as writing")
	}
	if code, body := c.do("GET", p+"/write", nil, nil); code != 200 {
		t.Fatal(code, body)
	}
	c.page(t, "/", "Written today at", "its cue sheet")
	for _, at := range []string{p, p + "/proof"} {
		if page := c.page(t, at, "Written last today at"); strings.Contains(page, "have changed") {
			t.Errorf("%s: the file is as marked", at)
		}
	}
	if code, body := c.form(p+"/ears", "where", "15", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	c.page(t, "/", "Marked anew: write it again")
	c.page(t, p, "The marks have changed since.")
	// Taken back, the marks are those that were written.
	if code, body := c.form(p + "/undo"); code != 200 {
		t.Fatal(code, body)
	}
	c.page(t, "/", "Written today at")
}

// TestWritingStopped says what stops a file, with the way to what causes it.
func TestWritingStopped(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.upload(file, "gauge.gcode"))
	if code, body := c.form(p+"/ears", "where", "13", "kind", "own lines"); code != 200 {
		t.Fatal(code, body)
	}
	home := []string{"all", "1", "kind", "own lines", "lines", "G28 Z"}
	if code, body := c.form(p+"/ears/a1", home...); code != 200 {
		t.Fatal(code, body)
	}
	var body string
	for range 200 {
		if _, body = c.do("GET", p+"/writing", nil, nil); !strings.Contains(body, "Writing …") {
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
	if code, _ := c.do("GET", p+"/write", nil, nil); code != 409 {
		t.Error(code)
	}
	if page := c.page(t, p); strings.Contains(page, "Written last") {
		t.Error("a file that was stopped counts as written")
	}
}

// TestWhen says moments as one would.
func TestWhen(t *testing.T) {
	now := time.Date(2026, 3, 1, 0, 30, 0, 0, time.Local)
	for want, at := range map[string]time.Time{
		"today at 00:10":          now.Add(-20 * time.Minute),
		"yesterday at 23:50":      now.Add(-40 * time.Minute),
		"on 27 February at 09:05": time.Date(2026, 2, 27, 9, 5, 0, 0, time.Local),
		"on 31 December 2025":     time.Date(2025, 12, 31, 9, 5, 0, 0, time.Local),
	} {
		if got := when(at, now); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
