package web

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
)

// TestPart reads what a browser may ask for.
func TestPart(t *testing.T) {
	for header, want := range map[string]string{
		"bytes=0-9": "0 9 true", "bytes=90-": "90 99 true", "bytes=-5": "95 99 true",
		"bytes=5-5":    "5 5 true",
		"bytes=90-500": "90 99 true", "bytes=-500": "0 99 true", "bytes=100-": "-1 0 false",
		"bytes=-0": "-1 0 false", "bytes=9-2": "0 0 false", "bytes=0-1,4-5": "0 0 false",
		"lines=1-2": "0 0 false",
		"":          "0 0 false", "bytes=": "0 0 false", "bytes=a-b": "0 0 false",
		"bytes=99999999999999999999-": "0 0 false",
	} {
		from, to, ok := part(header, 100)
		if got := fmt.Sprint(from, to, ok); got != want {
			t.Errorf("%q: %s, want %s", header, got, want)
		}
	}
}

// TestDownload gets a file in parts, asks for its head, and for what does not exist.
func TestDownload(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.upload(file, "gauge.gcode"))
	if code, body := c.form(p+"/ears", "where", "5", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	code, whole := c.do("GET", p+"/write", nil, nil)
	if code != 200 || len(whole) <= len(file) {
		t.Fatal(code, len(whole))
	}
	half := fmt.Sprintf("bytes=%d-", len(whole)/2)
	if code, rest := c.do("GET", p+"/write", nil, map[string]string{"Range": half}); code != 206 ||
		rest != whole[len(whole)/2:] {
		t.Errorf("%d: %d bytes", code, len(rest))
	}
	if code, all := c.do("GET", p+"/write", nil,
		map[string]string{"Range": half, "If-Range": `"another"`}); code != 200 || all != whole {
		t.Errorf("%d: %d bytes", code, len(all))
	}
	if code, _ := c.do("GET", p+"/write", nil,
		map[string]string{"Range": "bytes=999999999-"}); code != 416 {
		t.Error(code)
	}
	for at, want := range map[string]int{p + "/cue/pdf": 404, p + "/cue/csv": 200, "/": 200, p: 200,
		p + "/write": 200} {
		if code, body := c.do("HEAD", at, nil, nil); code != want || body != "" {
			t.Errorf("HEAD %s: %d, %d bytes; want %d", at, code, len(body), want)
		}
	}
	// Text is compressed where the browser takes it, files are not.
	for at, small := range map[string]bool{"/": true, p: true, assetURL("app.js"): true,
		p + "/write": false} {
		_, plain := c.do("GET", at, nil, nil)
		_, packed := c.do("GET", at, nil, map[string]string{"Accept-Encoding": "br, gzip"})
		if (len(packed) < len(plain)*2/3) != small {
			t.Errorf("%s: %d bytes of %d", at, len(packed), len(plain))
		}
	}
	if strings.Contains(whole, "\x00") {
		t.Error("odd bytes")
	}
}

// TestTwoTabs changes one item of the Kit in two tabs: the later one is told.
func TestTwoTabs(t *testing.T) {
	c := newClient(t, archive.Limits{})
	kit, err := c.st.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	key := kit.Keys["filaments"][0]
	was := kit.Signs["filaments/"+key]
	if page := c.page(t, "/kit/filaments/edit?key="+key, was); !strings.Contains(page, `name="was"`) {
		t.Fatal("the form does not carry what the item was")
	}
	if code, body := c.form("/kit/filaments", "key", key, "was", was, "name", "One", "colour",
		"#112233"); code != 200 {
		t.Fatal(code, body)
	}
	if code, body := c.form("/kit/filaments", "key", key, "was", was, "name", "Two", "colour",
		"#445566"); code != 409 || !strings.Contains(body, "omebody else") {
		t.Fatal(code, body)
	}
	if code, body := c.form("/kit/filaments/remove", "key", key, "was", was); code != 409 ||
		!strings.Contains(body, "omebody else") {
		t.Error(code, body)
	}
	if kit, _ = c.st.Kit(t.Context()); kit.Filaments[key].Name != "One" {
		t.Error(kit.Filaments[key])
	}
	// Two new ones of one name, at once, are two.
	for _, name := range []string{"Kelp two", "Kelp two"} {
		if code, body := c.form("/kit/filaments", "key", "", "was", "", "name", name, "colour",
			"#112233"); code != 200 {
			t.Error(code, body)
		}
	}
}

// TestRehearsalStays opens the page of a rehearsal that runs: it goes on.
func TestRehearsalStays(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id := c.upload(file, "gauge.gcode")
	p := fmt.Sprintf("/prints/%d/rehearse", id)
	c.page(t, p)
	if code, _ := c.form(p, "do", "speed", "speed", "1000"); code != 204 {
		t.Fatal(code)
	}
	r := c.s.rehearsals.all[id]
	c.page(t, p)
	if c.s.rehearsals.all[id] != r {
		t.Error("a look at its page has begun it anew")
	}
	if code, _ := c.form(p, "do", "again"); code != 204 || c.s.rehearsals.all[id] == r {
		t.Error("it cannot be begun anew")
	}
}
