package arrive_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/assets"
	"dogear/web/webtest"
)

// TestDownload gets a file in parts, asks for its head, and for what does not exist.
func TestDownload(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.Upload(file, "gauge.gcode"))
	if code, body := c.Form(p+"/ears", "where", "5", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	code, whole := c.Do("GET", p+"/write", nil, nil)
	if code != 200 || len(whole) <= len(file) {
		t.Fatal(code, len(whole))
	}
	half := fmt.Sprintf("bytes=%d-", len(whole)/2)
	if code, rest := c.Do("GET", p+"/write", nil, map[string]string{"Range": half}); code != 206 ||
		rest != whole[len(whole)/2:] {
		t.Errorf("%d: %d bytes", code, len(rest))
	}
	if code, all := c.Do("GET", p+"/write", nil,
		map[string]string{"Range": half, "If-Range": `"another"`}); code != 200 || all != whole {
		t.Errorf("%d: %d bytes", code, len(all))
	}
	if code, _ := c.Do("GET", p+"/write", nil,
		map[string]string{"Range": "bytes=999999999-"}); code != 416 {
		t.Error(code)
	}
	for at, want := range map[string]int{p + "/cue/pdf": 404, p + "/cue/csv": 200, "/": 200, p: 200,
		p + "/write": 200} {
		if code, body := c.Do("HEAD", at, nil, nil); code != want || body != "" {
			t.Errorf("HEAD %s: %d, %d bytes; want %d", at, code, len(body), want)
		}
	}
	// Text is compressed where the browser takes it, files are not.
	for at, small := range map[string]bool{"/": true, p: true, assets.URL("app.js"): true,
		p + "/write": false} {
		_, plain := c.Do("GET", at, nil, nil)
		_, packed := c.Do("GET", at, nil, map[string]string{"Accept-Encoding": "br, gzip"})
		if (len(packed) < len(plain)*2/3) != small {
			t.Errorf("%s: %d bytes of %d", at, len(packed), len(plain))
		}
	}
	if strings.Contains(whole, "\x00") {
		t.Error("odd bytes")
	}
}
