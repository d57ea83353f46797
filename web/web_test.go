package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
)

func TestStrangersAreRefused(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file := []byte("M83\nG1 Z.2\nG1 X9 E1\nM104 S0\n")
	for name, h := range map[string]map[string]string{
		"other host":    {"Host": "evil.example:8080"},
		"other origin":  {"Origin": "http://evil.example"},
		"other site":    {"Sec-Fetch-Site": "cross-site"},
		"no token":      {csrfHeader: ""},
		"wrong token":   {csrfHeader: "guess"},
		"rebound name":  {"Host": "127.0.0.1.evil.example"},
		"opaque origin": {"Origin": "null"},
	} {
		if code, body := c.do("POST", "/prints", bytes.NewReader(file), h); code < 400 {
			t.Errorf("%s: %d %s", name, code, body)
		}
	}
	if list, _ := c.st.Prints(context.Background()); len(list) != 0 {
		t.Errorf("%d prints were taken", len(list))
	}
	if code, _ := c.do("GET", "/", nil,
		map[string]string{"Host": "evil.example"}); code != http.StatusMisdirectedRequest {
		t.Error(code)
	}
	for _, path := range []string{"/assets/../server.go", "/assets/%2e%2e/server.go", "/prints/x",
		"/prints/99", "/nowhere"} {
		if code, _ := c.do("GET", path, nil, nil); code != 404 {
			t.Errorf("%s: %d", path, code)
		}
	}
}

func TestUploads(t *testing.T) {
	c := newClient(t, archive.Limits{Size: 4 << 20})
	for _, b := range []struct {
		name string
		data []byte
		want string
	}{
		{"nothing.gcode", nil, "nothing in this file"},
		{"big.gcode", bytes.Repeat([]byte("G1 X1\n"), 1<<20), "larger than the limit"},
		{"picture.gcode", []byte("\x89PNG\r\n\x1a\n"), "picture"},
		{"two.zip", zipOf(t, "a.gcode", "b.gcode"), "several plates"},
		{"climbs.zip", zipOf(t, "../a.gcode"), "outside of itself"},
		{"still.gcode", []byte("G28\n"), "never moves"},
		{"wide.gcode", []byte("\xff\xfeG\x001\x00"), "UTF-16"},
	} {
		if _, refused := c.bring(b.name, b.data); !strings.Contains(refused, b.want) {
			t.Errorf("%s: %q, want something with %q", b.name, refused, b.want)
		}
	}
	if list, _ := c.st.Prints(context.Background()); len(list) != 0 {
		t.Errorf("%d refused prints are kept", len(list))
	}
	id, refused := c.bring("one.zip", zipOf(t, "deep/harbour_wall-coarse.gcode"))
	if refused != "" {
		t.Fatal(refused)
	}
	p, err := c.st.Print(context.Background(), id)
	if err != nil || p.Name != "harbour_wall-coarse.gcode" || p.Title != "Harbour wall coarse" {
		t.Errorf("%+v %v", p, err)
	}
}

// TestCancel breaks off the reading of a large file; nothing of it stays.
func TestCancel(t *testing.T) {
	c := newClient(t, archive.Limits{})
	var b bytes.Buffer
	b.WriteString("M83\n")
	for n := range 6000 {
		fmt.Fprintf(&b, "G1 Z%.2f F600\n", float64(n+1)*0.2)
		for k := range 200 {
			fmt.Fprintf(&b, "G1 X%d Y%d E.1\n", k%2*50, k)
		}
	}
	code, body := c.do("POST", "/prints", &b, map[string]string{"X-File-Name": "tall.gcode",
		"Content-Type": "application/octet-stream"})
	if code != 201 {
		t.Fatal(code, body)
	}
	if code, body := c.do("POST", "/prints/1/cancel", nil, nil); code != 204 {
		t.Fatal(code, body)
	}
	for range 200 {
		_, body = c.do("GET", "/prints/1/reading", nil, nil)
		if strings.Contains(body, "refused") {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if !strings.Contains(body, "cancelled") {
		t.Error(body)
	}
	if list, _ := c.st.Prints(context.Background()); len(list) != 0 {
		t.Errorf("%d prints are kept", len(list))
	}
}

// TestNothingBecomesHTML brings a file whose name and comments are markup.
func TestNothingBecomesHTML(t *testing.T) {
	c := newClient(t, archive.Limits{})
	evil := `<script>alert(1)</script>`
	file := "; " + evil + "\nM83\nG1 Z.2\nG1 X9 E1\n; " + evil + "\n" + "G1 Z.4\nG1 X0 E1\n" +
		"<img src=x>\nM104 S0\n"
	id, refused := c.bring(evil+"\"'.gcode", []byte(file))
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	if code, body := c.form(path+"/ears", "before", "2", "kind", "stop"); code != 200 {
		t.Fatal(code, body)
	}
	code, body := c.form(path+"/ears/a1", "has_note", "1", "note", evil+"\nG28")
	if code != 200 || strings.Contains(body, "<script>alert") {
		t.Error(code, body)
	}
	for _, p := range []string{"/", path, path + "/proof"} {
		if _, body := c.do("GET", p, nil, nil); strings.Contains(body, "<script>alert") ||
			strings.Contains(body, "<img src=x") {
			t.Errorf("%s lets markup of a file through", p)
		}
	}
	_, out := c.do("GET", path+"/write", nil, nil)
	for l := range strings.Lines(out) {
		if strings.HasPrefix(l, "G28") {
			t.Error("a note became a line of its own")
		}
	}
}

func TestEars(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
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
		code, body := c.form(path+s.path, s.kv...)
		if code != s.code || !strings.Contains(body, s.want) {
			t.Errorf("%s %v: %d, want %d with %q in\n%s", s.path, s.kv, code, s.code, s.want,
				body[:min(len(body), 300)])
		}
	}
	if _, body := c.do("GET", path+"/plan", nil, nil); !strings.Contains(body,
		`"format":"dogear-plan/1"`) || !strings.Contains(body, `"before_layer":13`) {
		t.Error(body)
	}
	if code, body := c.do("GET", path+"/layers/13", nil, nil); code != 200 || len(body) < 4 ||
		len(body) != 4+22*int(uint32(body[0])|uint32(body[1])<<8|uint32(body[2])<<16) {
		t.Error(code, len(body))
	}
	looks(t, c, path)
	if code, _ := c.do("GET", path+"/layers/18", nil, nil); code != 404 {
		t.Error(code)
	}
	if code, _ := c.form(path + "/remove"); code != 200 {
		t.Error(code)
	}
	if code, _ := c.do("GET", path, nil, map[string]string{"Accept": "text/html"}); code != 404 {
		t.Error(code)
	}
}

// looks asks for everything the bench and the lines ask for.
func looks(t *testing.T, c *client, path string) {
	t.Helper()
	var order struct {
		Seconds float64
		Paths   []threadPath
		Borders []struct{ Line int64 }
	}
	_, body := c.do("GET", path+"/layers/13/thread", nil, nil)
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
	if code, body := c.form(path+"/ears", "line", fmt.Sprint(mid.Line), "filament",
		"kelp"); code != 200 || !strings.Contains(body, "inside layer 13") {
		t.Error(code, body[:min(300, len(body))])
	}
	if _, body := c.do("GET", path+"/proof", nil, nil); !strings.Contains(body, "Same plastic") {
		t.Error("an ear inside a layer does not prove")
	}
	if _, body := c.do("GET", path+"/layers/13/overlay", nil, nil); len(body) < 8 {
		t.Error("no overlay")
	}
	for _, view := range []string{"above", "below", "front", "side", "slant"} {
		code, body := c.do("GET", path+"/cover/"+view+"?cut=13", nil, nil)
		u := func(i int) int { return int(body[i]) | int(body[i+1])<<8 | int(body[i+2])<<16 }
		if code != 200 || len(body) != 12+8*u(8)+5*u(0)*u(4) || u(8) != 12 || u(0) < 5 {
			t.Errorf("%s: %d, %d bytes", view, code, len(body))
		}
	}
	// A line at which nothing is marked yet cuts the cover too, to show what is left there.
	whole, cut := partsOf(c, path+"/cover/above"),
		partsOf(c, path+fmt.Sprintf("/cover/above?line=%d", mid.Line+1))
	if cut != whole+1 {
		t.Errorf("%d parts, cut behind line %d %d", whole, mid.Line, cut)
	}
	if code, _ := c.do("GET", path+"/cover/inside", nil, nil); code != 404 {
		t.Error(code)
	}
	var list []lineView
	_, body = c.do("GET", path+"/text?from=40&count=3", nil, nil)
	if err := json.Unmarshal([]byte(body), &list); err != nil || len(list) != 3 || list[0].N != 40 ||
		list[2].Words == "" {
		t.Error(body, err)
	}
	if code, _ := c.do("GET", path+"/text?from=0&count=3", nil, nil); code != 422 {
		t.Error(code)
	}
	if _, body := c.do("GET", path+"/line/40", nil, nil); !strings.Contains(body, `"layer":1`) ||
		!strings.Contains(body, "head at X") {
		t.Error(body)
	}
	for q, want := range map[string]string{"z 0.55 0.65": "up to 0.6 mm", "layer": "layer 0 ---",
		"solid": "; solid", "m109 s215": "M109 S215"} {
		var r struct{ Line int64 }
		_, body := c.do("GET", path+"/search?q="+url.QueryEscape(q), nil, nil)
		if err := json.Unmarshal([]byte(body), &r); err != nil || r.Line == 0 {
			t.Errorf("%s: %s", q, body)
			continue
		}
		if _, body := c.do("GET", fmt.Sprintf("%s/line/%d", path, r.Line), nil,
			nil); !strings.Contains(body, want) {
			t.Errorf("%s is found on line %d: %s", q, r.Line, body)
		}
	}
	if _, body := c.do("GET", path+"/search?q=zeppelin&from=100", nil, nil); !strings.Contains(body,
		`"line":0`) {
		t.Error(body)
	}
}
