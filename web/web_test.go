package web

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/core/routine"
	"dogear/demo"
	"dogear/store"
)

// client talks to a server as a browser on this machine would.
type client struct {
	t      *testing.T
	s      *Server
	st     *store.Store
	dir    string
	cookie string
	token  string
}

func newClient(t *testing.T, lim archive.Limits) *client {
	t.Helper()
	dir := t.TempDir()
	st, err := store.Open(context.Background(), dir)
	if err != nil {
		t.Fatal(err)
	}
	s, err := New(Config{Store: st, Temp: dir, Limits: lim})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		s.jobs.stop()
		st.Close()
	})
	s.jobs.atOnce = time.Minute // tests want to see what is found at once
	if err := s.LoadKit(context.Background()); err != nil {
		t.Fatal(err)
	}
	c := &client{t: t, s: s, st: st, dir: dir}
	code, body := c.do("GET", "/", nil, nil)
	m := regexp.MustCompile(`name="csrf" content="([^"]+)"`).FindStringSubmatch(body)
	if code != 200 || m == nil {
		t.Fatal(code, body)
	}
	c.token = m[1]
	return c
}

func (c *client) do(method, path string, body io.Reader, header map[string]string) (int, string) {
	c.t.Helper()
	r := httptest.NewRequest(method, path, body)
	r.Host = "127.0.0.1:8080"
	r.Header.Set("Cookie", c.cookie)
	if method != "GET" && c.token != "" {
		r.Header.Set(csrfHeader, c.token)
		r.Header.Set("Origin", "http://127.0.0.1:8080")
	}
	for k, v := range header {
		if k == "Host" {
			r.Host = v
			continue
		}
		r.Header.Set(k, v)
	}
	res, err := c.s.App().Test(r, fiber.TestConfig{Timeout: 60 * time.Second})
	if err != nil {
		c.t.Fatal(method, path, err)
	}
	defer res.Body.Close()
	for _, k := range res.Cookies() {
		kept := slices.DeleteFunc(strings.Split(c.cookie, "; "),
			func(o string) bool { return o == "" || strings.HasPrefix(o, k.Name+"=") })
		if k.MaxAge >= 0 {
			kept = append(kept, k.Name+"="+k.Value)
		}
		c.cookie = strings.Join(kept, "; ")
	}
	b, err := io.ReadAll(res.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	if res.Header.Get("Content-Security-Policy") == "" {
		c.t.Errorf("%s %s has no policy", method, path)
	}
	return res.StatusCode, string(b)
}

func (c *client) form(path string, kv ...string) (int, string) {
	c.t.Helper()
	v := url.Values{}
	for i := 0; i+1 < len(kv); i += 2 {
		v.Set(kv[i], kv[i+1])
	}
	return c.do("POST", path, strings.NewReader(v.Encode()),
		map[string]string{"Content-Type": "application/x-www-form-urlencoded", "HX-Request": "true"})
}

// bring uploads a file and waits until it is read or refused.
func (c *client) bring(name string, data []byte) (id int64, refused string) {
	c.t.Helper()
	code, body := c.do("POST", "/prints", bytes.NewReader(data),
		map[string]string{"X-File-Name": url.PathEscape(name),
			"Content-Type": "application/octet-stream"})
	var a struct {
		ID    int64
		Error string
	}
	if err := json.Unmarshal([]byte(body), &a); err != nil {
		c.t.Fatal(code, body)
	}
	if code != 201 {
		return 0, a.Error
	}
	if refused := c.read(a.ID); refused != "" {
		return 0, refused
	}
	return a.ID, ""
}

// read waits until a print is read; it says why one is refused.
func (c *client) read(id int64) (refused string) {
	c.t.Helper()
	for range 600 {
		_, body := c.do("GET", fmt.Sprintf("/prints/%d/reading", id), nil, nil)
		var r struct{ State, Error string }
		if err := json.Unmarshal([]byte(body), &r); err != nil {
			c.t.Fatal(body)
		}
		switch r.State {
		case "ready":
			return ""
		case "refused":
			return r.Error
		}
		time.Sleep(20 * time.Millisecond)
	}
	c.t.Fatal("the reading does not end")
	return ""
}

func zipOf(t *testing.T, names ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, n := range names {
		w, err := z.Create(n)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte("M83\nG1 Z.2\nG1 X9 E1\nM104 S0\n")); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

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
		{"two.zip", zipOf(t, "a.gcode", "b.gcode"), "several files"},
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
		{"/ears", []string{"before", "13", "filament", "white"}, 409, "an ear before layer 13 already"},
		{"/ears", []string{"before", "99", "filament", "white"}, 422, "no layer 99"},
		{"/ears", []string{"before", "x", "filament", "white"}, 422, "is no place"},
		{"/ears", []string{"before", "5", "filament", "gold"}, 422, "no such filament"},
		{"/ears", []string{"before", "5"}, 422, "ay what happens there"},
		{"/ears", []string{"kind", "stop"}, 422, "ay before which layer"},
		{"/ears", []string{"before", "5", "kind", "stop"}, 200, "Plain stop"},
		{"/ears/a2", []string{"before", "6"}, 200, "before layer 6"},
		{"/ears/a2", []string{"before", "13"}, 409, "already"},
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

func TestNames(t *testing.T) {
	for in, want := range map[string]string{
		"harbour_wall-coarse.gcode": "Harbour wall coarse", "BUOY.GCODE": "BUOY", "x.gcode.gz": "X",
		"noext": "Noext", ".gcode": ".gcode", "a.b.nc": "A.b",
	} {
		if got := titleOf(in); got != want {
			t.Errorf("titleOf(%q) = %q, want %q", in, got, want)
		}
	}
	b := &book{print: store.Print{Name: "lighthouse.gcode"}}
	res := &routine.Result{}
	for want, layers := range map[string][]int{
		"lighthouse_unchanged.gcode": nil, "lighthouse_stop-38.gcode": {38},
		"lighthouse_stop-2-5-7-9.gcode":   {2, 5, 7, 9},
		"lighthouse_5-stops-from-2.gcode": {2, 5, 7, 9, 11},
	} {
		res.Blocks = nil
		for _, n := range layers {
			res.Blocks = append(res.Blocks, routine.Block{Fold: routine.Fold{Layer: n}})
		}
		if got := outName(b, res); got != want {
			t.Errorf("%v: %q, want %q", layers, got, want)
		}
	}
	for s, want := range map[float64]string{5: "5 s", 89: "89 s", 600: "10 min", 3600: "1 h 00",
		25500: "7 h 05"} {
		if got := hours(s); got != want {
			t.Errorf("hours(%v) = %q, want %q", s, got, want)
		}
	}
	for n, want := range map[int64]string{7: "7", 1234: "1\u2009234",
		-1234567: "-1\u2009234\u2009567"} {
		if got := group(n); got != want {
			t.Errorf("group(%d) = %q, want %q", n, got, want)
		}
	}
	if got := show([]byte("G1 X1\x00\xff\r\n")); got != "G1 X1··" {
		t.Errorf("%q", got)
	}
}

// TestMutesThroughTheWeb mutes a path, proves it, and brings it back.
func TestMutesThroughTheWeb(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
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
		if code, body := c.form(path+s.path, s.kv...); code != s.code || !strings.Contains(body, s.want) {
			t.Errorf("%s %v: %d %s", s.path, s.kv, code, body[:min(len(body), 200)])
		}
	}
	if _, body := c.do("GET", path+"/proof", nil, nil); !strings.Contains(body,
		"Same plastic, less what is muted") {
		t.Error("the proof does not say what is muted")
	}
	if _, body := c.do("GET", path+"/proof", nil, nil); !strings.Contains(body,
		"; dogear muted: G1 X") || !strings.Contains(body, "this goes on as if they had run") ||
		!strings.Contains(body, "tide-gauge_muted.gcode") {
		t.Error("the proof does not show the muted line and what is inserted behind it")
	}
	_, out := c.do("GET", path+"/write", nil, nil)
	if strings.Count(out, "; dogear muted: G1 X") != 1 {
		t.Error("the line is not a comment in the written file")
	}
	if code, body := c.form(path+"/mutes/remove", "from", at, "to", at); code != 200 ||
		strings.Contains(body, "Bring back") {
		t.Error(code)
	}
	if _, out := c.do("GET", path+"/write", nil, nil); out != string(file) {
		t.Error("brought back, the file is not what it was")
	}
}

// TestLookBreaksDown lets the look at one print break down: others are looked at all the
// same.
func TestLookBreaksDown(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p, err := c.st.Print(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	b, err := c.s.opened.get(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	c.s.jobs.lookBehind(p, b.ix, &look{next: 1}) // nothing to look with
	select {
	case c.s.jobs.behind <- struct{}{}:
		<-c.s.jobs.behind
	case <-time.After(5 * time.Second):
		t.Fatal("the turn is never given on")
	}
	for k := 0; ; k++ {
		c.s.jobs.mu.Lock()
		over := !c.s.jobs.looking[id]
		c.s.jobs.mu.Unlock()
		if over {
			break
		}
		if k > 300 {
			t.Fatal("it never ends")
		}
		time.Sleep(10 * time.Millisecond)
	}
	select {
	case c.s.jobs.behind <- struct{}{}:
		<-c.s.jobs.behind
	case <-time.After(5 * time.Second):
		t.Fatal("the turn is never given on")
	}
}

// TestLargePrints opens a print before its landmarks are found; they come later.
func TestLargePrints(t *testing.T) {
	c := newClient(t, archive.Limits{})
	c.s.jobs.atOnce = 0
	c.s.jobs.behind <- struct{}{} // another print is being looked at
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	path := fmt.Sprintf("/prints/%d", id)
	if _, body := c.do("GET", path, nil, nil); !strings.Contains(body, "still being looked for") {
		t.Error("the bench does not say that landmarks are missing")
	}
	before, err := c.s.told(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	<-c.s.jobs.behind
	body := ""
	for range 200 {
		if _, body = c.do("GET", path+"/book", nil, nil); strings.Contains(body, "10 islands go on") {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if !strings.Contains(body, "10 islands go on") {
		t.Error("the landmarks never come")
	}
	for _, at := range []string{path, path + "/finds"} {
		if _, body := c.do("GET", at, nil, nil); strings.Contains(body, "still being looked for") ||
			!strings.Contains(body, "Worth a look") {
			t.Errorf("%s does not show them", at)
		}
	}
	if now, err := c.s.told(t.Context(), id); err != nil || now != before+" looked" {
		t.Errorf("an open bench is told %q, then %q (%v)", before, now, err)
	}
}

// partsOf is how many parts a cover has.
func partsOf(c *client, url string) int {
	_, body := c.do("GET", url, nil, nil)
	return int(binary.LittleEndian.Uint32([]byte(body)[8:]))
}
