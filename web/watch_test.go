package web

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"

	"dogear/core/archive"
	"dogear/store"
)

// clocked is a client whose server goes by a clock of the test's own.
func clocked(t *testing.T) (c *client, now *time.Time) {
	t.Helper()
	at := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	c = newClient(t, archive.Limits{})
	c.s.cfg.Now = func() time.Time { return at }
	return c, &at
}

// TestWatchPage follows a print from the start to its end on a printer that takes a tenth longer
// than was estimated: the next one on it begins with that.
func TestWatchPage(t *testing.T) {
	c, now := clocked(t)
	if _, text := c.form("/demo"); strings.Contains(text, "error") {
		t.Fatal(text)
	}
	const p = "/prints/7/watch" // the lighthouse
	do := func(what string, kv ...string) watchMoment {
		t.Helper()
		code, text := c.form(p+"/"+what, kv...)
		var m watchMoment
		if err := json.Unmarshal([]byte(text), &m); err != nil || code != 200 {
			t.Fatalf("%s: %d %s", what, code, text)
		}
		return m
	}
	c.page(t, p, "I pressed start")
	if code, text := c.form(p + "/stopped"); code != 409 {
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
	c.page(t, "/watch", "Lighthouse, banded", "until the end")
	c.page(t, "/", "1 print runs now")
	*now = now.Add(time.Duration(m.Left * float64(time.Second)))
	if m = do("over"); m.State != "over" || m.Over.Stood != 240*float64(len(m.Stops)) {
		t.Errorf("%+v", m)
	}
	c.page(t, "/watch", "Nothing is watched just now")
	c.page(t, "/kit", "takes 1.10 times what files estimate")
	if m = do("start"); m.Rate < 1.09 {
		t.Errorf("the next one begins with %g", m.Rate)
	}
	// It stops when it is expected to, and somebody comes later.
	*now = now.Add(time.Duration((m.Left + 300) * float64(time.Second)))
	if m = do("goes-on"); m.State != "runs" || m.Stops[0].Took < 299 || m.Stops[0].Took > 301 {
		t.Errorf("%+v", m)
	}
	if code, text := c.form(p+"/is", "kind", "layer", "value", "999"); code != 422 {
		t.Errorf("%d %s", code, text)
	}
	if m = do("is", "kind", "layer", "value", "120"); m.Layer != 120 {
		t.Errorf("%+v", m)
	}
	code, text := c.form(p + "/wrong")
	if code != 200 || !strings.Contains(text, "/prints/7/pickup") {
		t.Errorf("%d %s", code, text)
	}
	c.page(t, "/prints/7/pickup", "Clock when it stopped")
	// All that stands in the diary, a line each.
	c.page(t, "/prints/7/diary", "started", "stopped", "after 4 min", "done", "times the estimate",
		"went wrong", "about layer 120")
	_, table := c.do("GET", "/prints/7/diary/csv", nil, nil)
	rows, err := csv.NewReader(strings.NewReader(table)).ReadAll()
	if err != nil || len(rows) < 15 || rows[1][1] != "started" ||
		rows[len(rows)-1][1] != "went wrong" {
		t.Errorf("%v\n%s", err, table)
	}
}

// TestDiary keeps what a print's diary says from being a formula, and from growing without end.
func TestDiary(t *testing.T) {
	c, p := wallOnShelf(t)
	c.page(t, p+"/diary", "Nothing happened to this print yet")
	c.form(p+"/ears", "before", "20", "kind", "stop")
	if code, _ := c.do("GET", p+"/write", nil, nil); code != 200 {
		t.Fatal(code)
	}
	c.page(t, p+"/diary", "written", "wall_stop-20")
	for k := range store.MostEntries + 5 {
		if err := c.st.Note(t.Context(), 1, "learned", fmt.Sprint("=", k)); err != nil {
			t.Fatal(err)
		}
	}
	all, err := c.st.Diary(t.Context(), 1)
	if err != nil || len(all) != store.MostEntries {
		t.Errorf("%d lines, %v", len(all), err)
	}
	if _, table := c.do("GET", p+"/diary/csv", nil, nil); !strings.Contains(table, ",'=7\n") {
		t.Error("a spreadsheet would work it out")
	}
}

// TestPhone reads the code that is drawn for a phone's camera, as a camera would; what it leads to
// lets that phone in to one print, once.
func TestPhone(t *testing.T) {
	c, _ := clocked(t)
	if _, text := c.form("/demo"); strings.Contains(text, "error") {
		t.Fatal(text)
	}
	if _, text := c.form("/prints/7/phone"); !strings.Contains(text, "serve --host") {
		t.Errorf("nobody reaches it: %s", text)
	}
	c.s.ReachedAt("https://192.0.2.7:8080")
	_, text := c.form("/prints/7/phone")
	link := regexp.MustCompile(`https://192\.0\.2\.7:8080/in/[\w-]+`).FindString(text)
	side := regexp.MustCompile(`viewBox="0 0 (\d+) `).FindStringSubmatch(text)
	path := regexp.MustCompile(`<path d="([^"]+)"`).FindStringSubmatch(text)
	if link == "" || side == nil || path == nil {
		t.Fatal(text)
	}
	if got := readCode(t, side[1], path[1]); got != link {
		t.Errorf("the camera reads %q, the link is %q", got, link)
	}
	u, err := url.Parse(link)
	if err != nil {
		t.Fatal(err)
	}
	c.page(t, u.Path, "Open the watch")
	c.page(t, u.Path, "Open the watch") // looking at it uses nothing up
	if code, text := c.form(u.Path); code != 200 {
		t.Errorf("%d %s", code, text)
	}
	if code, _ := c.form(u.Path); code != 410 {
		t.Errorf("it lets in a second time: %d", code)
	}
	if code, _ := c.form("/in/made-up"); code != 410 {
		t.Errorf("a link that was never made: %d", code)
	}
}

// readCode draws a path of squares as a picture and reads the code in it.
func readCode(t *testing.T, side, path string) string {
	t.Helper()
	const dots = 6
	n, err := strconv.Atoi(side)
	if err != nil {
		t.Fatal(err)
	}
	m := image.NewGray(image.Rect(0, 0, n*dots, n*dots))
	for i := range m.Pix {
		m.Pix[i] = 255
	}
	for _, s := range regexp.MustCompile(`M(\d+) (\d+)h(\d+)v1`).FindAllStringSubmatch(path, -1) {
		var v [3]int
		for k := range v {
			v[k], _ = strconv.Atoi(s[k+1])
		}
		for y := v[1] * dots; y < (v[1]+1)*dots; y++ {
			for x := v[0] * dots; x < (v[0]+v[2])*dots; x++ {
				m.SetGray(x, y, color.Gray{})
			}
		}
	}
	b, err := gozxing.NewBinaryBitmapFromImage(m)
	if err != nil {
		t.Fatal(err)
	}
	r, err := qrcode.NewQRCodeReader().Decode(b, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r.GetText()
}

// TestPhoneSeesOne lets a phone in to one print of a Dogear that asks for a passphrase: the rest of
// the shelf stays shut.
func TestPhoneSeesOne(t *testing.T) {
	c, _ := clocked(t)
	if _, text := c.form("/demo"); strings.Contains(text, "error") {
		t.Fatal(text)
	}
	hash, err := HashPassphrase("low water at noon")
	if err != nil {
		t.Fatal(err)
	}
	c.s.ReachedAt("http://192.0.2.7:8080")
	_, text := c.form("/prints/7/phone")
	link := regexp.MustCompile(`/in/[\w-]+`).FindString(text)
	c.s.cfg.Passphrase = hash
	if code, _ := c.do("GET", "/prints/7/watch", nil, nil); code != 401 {
		t.Fatal(code)
	}
	if code, text := c.form(link); code != 200 {
		t.Fatal(code, text)
	}
	for path, want := range map[string]int{"/prints/7/watch": 200, "/prints/7/watch/now": 200,
		"/": 403, "/prints/7": 403, "/prints/70/watch": 403, "/prints/6/watch": 403, "/kit": 403,
		"/watch": 403, "/prints/7/write": 403, "/assets/app.css": 200} {
		if code, _ := c.do("GET", path, nil, nil); code != want {
			t.Errorf("%s: %d, want %d", path, code, want)
		}
	}
	if code, text := c.form("/prints/7/watch/start"); code != 200 {
		t.Error(code, text)
	}
	for _, path := range []string{"/prints/7/remove", "/prints/7/phone", "/prints/6/watch/start"} {
		if code, _ := c.form(path); code != 403 {
			t.Errorf("%s: %d", path, code)
		}
	}
}

// TestFast lets the time of the watch pass sixty times as fast.
func TestFast(t *testing.T) {
	at := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	s, err := New(Config{Store: newClient(t, archive.Limits{}).s.cfg.Store, Fast: 60,
		Now: func() time.Time { return at }})
	if err != nil {
		t.Fatal(err)
	}
	if at = at.Add(time.Minute); s.cfg.Now().Sub(at) != 59*time.Minute || s.hour() != "60 s" {
		t.Errorf("%v, an hour in %q", s.cfg.Now(), s.hour())
	}
}
