package bench_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestMutesThroughTheWeb mutes a path, proves it, and brings it back; each request builds on those
// before.
func TestMutesThroughTheWeb(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.Bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	at := fmt.Sprint(truth.Layers[14].First)
	for _, s := range []struct {
		path string
		kv   []string
		code int
		want string
	}{
		{"/mutes", []string{"from", at, "to", at}, 200, "Bring back"},
		{"/mutes", []string{"from", at, "to", at}, 409, "muted twice"},
		{"/mutes", []string{"from", "9", "to", "8"}, 422, "from which line"},
		{"/mutes", []string{"from", "1", "to", "99999999"}, 422, "from which line"},
	} {
		if code, body := c.Form(path+s.path, s.kv...); code != s.code || !strings.Contains(body, s.want) {
			t.Errorf("%s %v: %d %s", s.path, s.kv, code, body[:min(len(body), 200)])
		}
	}
	if _, body := c.Do("GET", path+"/proof", nil, nil); !strings.Contains(body,
		"Same plastic, less what is muted") {
		t.Error("the proof does not say what is muted")
	}
	if _, body := c.Do("GET", path+"/proof", nil, nil); !strings.Contains(body,
		"; dogear muted: G1 X") || !strings.Contains(body, "this goes on as if they had run") ||
		!strings.Contains(body, "tide-gauge_muted_") {
		t.Error("the proof does not show the muted line and what is inserted behind it")
	}
	_, out := c.Do("GET", path+"/write", nil, nil)
	if strings.Count(out, "; dogear muted: G1 X") != 1 {
		t.Error("the line is not a comment in the written file")
	}
	if code, body := c.Form(path+"/mutes/remove", "from", at, "to", at); code != 200 ||
		strings.Contains(body, "Bring back") {
		t.Error(code)
	}
	if _, out := c.Do("GET", path+"/write", nil, nil); out != string(file) {
		t.Error("brought back, the file is not what it was")
	}
}
