package proof_test

import (
	"bytes"
	"fmt"
	"net/url"
	"os"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestByHand proves files that somebody edited by hand beside their original, and keeps
// nothing of them.
func TestByHand(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.Upload(file, "gauge.gcode"))
	c.Page(t, p+"/proof", "Edited by hand?")
	prove := func(name, text string) (int, string) {
		t.Helper()
		return c.Do("POST", p+"/byhand", bytes.NewReader([]byte(text)),
			map[string]string{"X-File-Name": url.PathEscape(name), "HX-Request": "true",
				"Content-Type": "application/octet-stream"})
	}
	lines := strings.Split(string(file), "\n")
	at := int(truth.Layers[7].First) - 2
	for _, k := range []struct {
		name, put, want string
		code            int
	}{
		{"a stop.gcode", "M25", "Same plastic", 200},
		{"<b>odd</b>.gcode", "G28", "would feel for the bed|homes|home", 200},
		{"less.gcode", "\x00", "Not the same plastic", 200},
	} {
		t.Run(k.name, func(t *testing.T) {
			text := webtest.SlicesAt(lines, map[int][]string{at: {k.put}})
			if k.put == "\x00" {
				text = strings.Join(append(append([]string{}, lines[:at+2]...), lines[at+12:]...), "\n")
			}
			code, body := prove(k.name, text)
			ok := false
			for _, w := range strings.Split(k.want, "|") {
				ok = ok || strings.Contains(body, w)
			}
			if code != k.code || !ok || strings.Contains(body, "<b>odd") {
				t.Errorf("%s: %d %s", k.name, code, body)
			}
		})
	}
	if code, body := prove("picture.gcode", "\x89PNG\r\n\x1a\n"); code != 422 {
		t.Error(code, body)
	}
	if code, body := prove("nothing.gcode", ""); code != 422 {
		t.Error(code, body)
	}
	left, err := os.ReadDir(c.Dir)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range left {
		if strings.Contains(e.Name(), "by-hand") {
			t.Errorf("%s is left behind", e.Name())
		}
	}
	prints, _ := c.St.Prints(t.Context())
	if len(prints) != 1 {
		t.Errorf("%d prints", len(prints))
	}
}
