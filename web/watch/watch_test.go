package watch_test

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/web"
	"dogear/web/site"
	"dogear/web/watch"
	"dogear/web/webtest"
)

// TestWatchPage follows a print from the start to its end on a printer that takes a tenth longer
// than was estimated: the next one on it begins with that.
func TestWatchPage(t *testing.T) {
	c, now := webtest.Clocked(t)
	if _, text := c.Form("/demo"); strings.Contains(text, "error") {
		t.Fatal(text)
	}
	const p = "/prints/7/watch" // the lighthouse
	do := func(what string, kv ...string) watch.Moment {
		t.Helper()
		code, text := c.Form(p+"/"+what, kv...)
		var m watch.Moment
		if err := json.Unmarshal([]byte(text), &m); err != nil || code != 200 {
			t.Fatalf("%s: %d %s", what, code, text)
		}
		return m
	}
	c.Page(t, p, "I pressed start")
	if code, text := c.Form(p + "/stopped"); code != 409 {
		t.Errorf("nobody watches yet: %d %s", code, text)
	}
	m := do("start")
	total := 0.0
	for k := 0; m.Next != nil; k++ {
		total += m.Left / m.Rate
		if k > 0 && (m.Rate < 1.09 || m.Rate > 1.11) {
			t.Errorf("stop %d: it goes by a pace of %g", k, m.Rate)
		}
		*now = now.Add(time.Duration(m.Left / m.Rate * 1.1 * float64(time.Second)))
		if m = do("stopped"); m.State != "waits" || m.Next == nil {
			t.Fatalf("%+v", m)
		}
		if m.Next.Colour == "" || m.Next.Out == "" || len(m.Next.Steps) == 0 {
			t.Errorf("%+v", m.Next)
		}
		*now = now.Add(4 * time.Minute)
		m = do("goes-on")
	}
	if !m.Last || len(m.Stops) == 0 || m.Stops[0].Took != 240 {
		t.Fatalf("%+v", m)
	}
	c.Page(t, "/watch", "Lighthouse, banded", "until the end")
	c.Page(t, "/", "1 print runs now")
	*now = now.Add(time.Duration(m.Left * float64(time.Second)))
	if m = do("over"); m.State != "over" || m.Over.Stood != 240*float64(len(m.Stops)) {
		t.Errorf("%+v", m)
	}
	c.Page(t, "/watch", "Nothing is watched just now")
	c.Page(t, "/kit", "takes 1.10 times what files estimate")
	if m = do("start"); m.Rate < 1.09 {
		t.Errorf("the next one begins with %g", m.Rate)
	}
	// It stops when it is expected to, and somebody comes later.
	*now = now.Add(time.Duration((m.Left + 300) * float64(time.Second)))
	if m = do("goes-on"); m.State != "runs" || m.Stops[0].Took < 299 || m.Stops[0].Took > 301 {
		t.Errorf("%+v", m)
	}
	if code, text := c.Form(p+"/is", "kind", "layer", "value", "999"); code != 422 {
		t.Errorf("%d %s", code, text)
	}
	if m = do("is", "kind", "layer", "value", "120"); m.Layer != 120 {
		t.Errorf("%+v", m)
	}
	code, text := c.Form(p + "/wrong")
	if code != 200 || !strings.Contains(text, "/prints/7/pickup") {
		t.Errorf("%d %s", code, text)
	}
	c.Page(t, "/prints/7/pickup", "Clock when it stopped")
	// All that stands in the diary, a line each.
	c.Page(t, "/prints/7/diary", "started", "stopped", "after 4 min", "done", "times the estimate",
		"went wrong", "about layer 120")
	_, table := c.Do("GET", "/prints/7/diary/csv", nil, nil)
	rows, err := csv.NewReader(strings.NewReader(table)).ReadAll()
	if err != nil || len(rows) < 15 || rows[1][1] != "started" ||
		rows[len(rows)-1][1] != "went wrong" {
		t.Errorf("%v\n%s", err, table)
	}
}

// TestFast lets the time of the watch pass sixty times as fast.
func TestFast(t *testing.T) {
	at := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	s, err := web.New(site.Config{Store: webtest.New(t, archive.Limits{}).S.Store, Fast: 60,
		Now: func() time.Time { return at }})
	if err != nil {
		t.Fatal(err)
	}
	if at = at.Add(time.Minute); s.Now().Sub(at) != 59*time.Minute || watch.Hour(s.Site) != "60 s" {
		t.Errorf("%v, an hour in %q", s.Now(), watch.Hour(s.Site))
	}
}
