package bench_test

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/bench"
	"dogear/web/webtest"
)

// TestEars marks, changes and removes; each request builds on those before.
func TestEars(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.Bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	for _, s := range []struct {
		path string
		kv   []string
		code int
		want string
	}{
		{"/ears", []string{"before", "13", "filament", "red"}, 200, "Signal red"},
		{"/ears", []string{"before", "13", "filament", "white"}, 409,
			"a colour change before layer 13 already"},
		{"/ears", []string{"before", "99", "filament", "white"}, 422, "no layer 99"},
		{"/ears", []string{"before", "x", "filament", "white"}, 422, "is no place"},
		{"/ears", []string{"before", "5", "filament", "gold"}, 422, "no such filament"},
		{"/ears", []string{"before", "5"}, 422, "ay what happens there"},
		{"/ears", []string{"kind", "stop"}, 422, "ay before which layer"},
		{"/ears", []string{"before", "5", "kind", "stop"}, 200, "Plain stop"},
		{"/ears/a2", []string{"before", "6"}, 200, "before layer 6"},
		{"/ears/a2", []string{"before", "13"}, 200, "One stop, 2 things"},
		{"/ears/a2", []string{"filament", "kelp"}, 409, "a colour change before layer 13 already"},
		{"/ears/a2", []string{"before", "7"}, 200, "before layer 7"},
		{"/ears/a2", []string{"filament", "kelp"}, 200, "Kelp"},
		{"/ears/a9", []string{"filament", "kelp"}, 404, "not there any more"},
		{"/ears/a1/remove", nil, 200, "Kelp"},
		{"/undo", nil, 200, "Signal red"},
		{"/first", []string{"filament", "tar"}, 200, "Tar black"},
	} {
		code, body := c.Form(path+s.path, s.kv...)
		if code != s.code || !strings.Contains(body, s.want) {
			t.Errorf("%s %v: %d, want %d with %q in\n%s", s.path, s.kv, code, s.code, s.want,
				body[:min(len(body), 300)])
		}
	}
	if _, body := c.Do("GET", path+"/plan", nil, nil); !strings.Contains(body,
		`"format":"dogear-plan/1"`) || !strings.Contains(body, `"before_layer":13`) {
		t.Error(body)
	}
	if code, body := c.Do("GET", path+"/layers/13", nil, nil); code != 200 || len(body) < 4 ||
		len(body) != 4+22*int(uint32(body[0])|uint32(body[1])<<8|uint32(body[2])<<16) {
		t.Error(code, len(body))
	}
	looks(t, c, path)
	if code, _ := c.Do("GET", path+"/layers/18", nil, nil); code != 404 {
		t.Error(code)
	}
	if code, _ := c.Form(path + "/remove"); code != 200 {
		t.Error(code)
	}
	if code, _ := c.Do("GET", path, nil, map[string]string{"Accept": "text/html"}); code != 404 {
		t.Error(code)
	}
}

// looks asks for everything the bench and the lines ask for.
func looks(t *testing.T, c *webtest.Client, path string) {
	t.Helper()
	var order struct {
		Seconds float64
		Paths   []bench.ThreadPath
		Borders []struct{ Line int64 }
	}
	_, body := c.Do("GET", path+"/layers/13/thread", nil, nil)
	if err := json.Unmarshal([]byte(body), &order); err != nil || len(order.Paths) < 20 ||
		len(order.Borders) < 5 {
		t.Fatalf("%d paths, %d borders, %v", len(order.Paths), len(order.Borders), err)
	}
	for i, p := range order.Paths {
		if p.From >= p.To || p.Begin > p.End || p.Line < 1 || i > 0 && (p.From < order.Paths[i-1].To ||
			p.Begin < order.Paths[i-1].Begin || p.Line <= order.Paths[i-1].Line) {
			t.Fatalf("path %d: %+v behind %+v", i, p, order.Paths[max(i-1, 0)])
		}
	}
	// A fold in front of any path of the thread can be marked and proved.
	mid := order.Paths[len(order.Paths)/2]
	if code, body := c.Form(path+"/ears", "line", fmt.Sprint(mid.Line), "filament",
		"kelp"); code != 200 || !strings.Contains(body, "inside layer 13") {
		t.Error(code, body[:min(300, len(body))])
	}
	if _, body := c.Do("GET", path+"/proof", nil, nil); !strings.Contains(body, "Same plastic") {
		t.Error("an ear inside a layer does not prove")
	}
	if _, body := c.Do("GET", path+"/layers/13/overlay", nil, nil); len(body) < 8 {
		t.Error("no overlay")
	}
	for _, view := range []string{"above", "below", "front", "side", "slant"} {
		code, body := c.Do("GET", path+"/cover/"+view+"?cut=13", nil, nil)
		u := func(i int) int { return int(body[i]) | int(body[i+1])<<8 | int(body[i+2])<<16 }
		if code != 200 || len(body) != 12+8*u(8)+5*u(0)*u(4) || u(8) != 12 || u(0) < 5 {
			t.Errorf("%s: %d, %d bytes", view, code, len(body))
		}
	}
	// A line at which nothing is marked yet cuts the cover too, to show what is left there.
	whole, cut := webtest.PartsOf(c, path+"/cover/above"),
		webtest.PartsOf(c, path+fmt.Sprintf("/cover/above?line=%d", mid.Line+1))
	if cut != whole+1 {
		t.Errorf("%d parts, cut behind line %d %d", whole, mid.Line, cut)
	}
	if code, _ := c.Do("GET", path+"/cover/inside", nil, nil); code != 404 {
		t.Error(code)
	}
	var list []struct {
		N     int64
		Words string
	}
	_, body = c.Do("GET", path+"/text?from=40&count=3", nil, nil)
	if err := json.Unmarshal([]byte(body), &list); err != nil || len(list) != 3 || list[0].N != 40 ||
		list[2].Words == "" {
		t.Error(body, err)
	}
	if code, _ := c.Do("GET", path+"/text?from=0&count=3", nil, nil); code != 422 {
		t.Error(code)
	}
	if _, body := c.Do("GET", path+"/line/40", nil, nil); !strings.Contains(body, `"layer":1`) ||
		!strings.Contains(body, "head at X") {
		t.Error(body)
	}
	for q, want := range map[string]string{"z 0.55 0.65": "up to 0.6 mm", "layer": "layer 0 ---",
		"solid": "; solid", "m109 s215": "M109 S215"} {
		var r struct{ Line int64 }
		_, body := c.Do("GET", path+"/search?q="+url.QueryEscape(q), nil, nil)
		if err := json.Unmarshal([]byte(body), &r); err != nil || r.Line == 0 {
			t.Errorf("%s: %s", q, body)
			continue
		}
		if _, body := c.Do("GET", fmt.Sprintf("%s/line/%d", path, r.Line), nil,
			nil); !strings.Contains(body, want) {
			t.Errorf("%s is found on line %d: %s", q, r.Line, body)
		}
	}
	if _, body := c.Do("GET", path+"/search?q=zeppelin&from=100", nil, nil); !strings.Contains(body,
		`"line":0`) {
		t.Error(body)
	}
}
