package access_test

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/store"
	"dogear/web"
	"dogear/web/access"
	"dogear/web/site"
	"dogear/web/webtest"
)

// TestPassphrase lets nobody in without it, and shows out who leaves.
func TestPassphrase(t *testing.T) {
	st, err := store.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	for _, bad := range []string{"", "short", strings.Repeat("x", 73)} {
		if _, err := access.HashPassphrase(bad); err == nil {
			t.Errorf("%q is taken for a passphrase", bad)
		}
	}
	hash, err := access.HashPassphrase("low water at noon ")
	if err != nil {
		t.Fatal(err)
	}
	if err := st.SetPassphrase(context.Background(), hash); err != nil {
		t.Fatal(err)
	}
	kept, err := st.Passphrase(context.Background())
	if err != nil || string(kept) != string(hash) {
		t.Fatal(err)
	}
	srv, err := web.New(site.Config{Store: st, Passphrase: hash, Names: []string{"shed.local"}})
	if err != nil {
		t.Fatal(err)
	}
	c := &webtest.Client{T: t, S: srv, St: st}
	for path, want := range map[string]int{"/enter": 200, "/healthz": 200, "/": 401, "/kit": 401,
		"/prints/1": 401, "/prints/1/events": 401, "/bind": 401, "/assets/app.css": 200} {
		if code, _ := c.Do("GET", path, nil, nil); code != want {
			t.Errorf("%s: %d, want %d", path, code, want)
		}
	}
	if code, _ := c.Do("GET", "/", nil, map[string]string{"Accept": "text/html"}); code != 303 {
		t.Errorf("a page is answered with %d", code)
	}
	page := c.Page(t, "/enter", "Enter the passphrase")
	c.Token = regexp.MustCompile(`name="csrf" content="([^"]+)"`).FindStringSubmatch(page)[1]
	if code, _ := c.Form("/prints", "x", "y"); code != 401 {
		t.Error(code)
	}
	if code, body := c.Form("/enter", "passphrase", "high water at noon"); code != 403 ||
		!strings.Contains(body, "not the passphrase") {
		t.Error(code, body)
	}
	if code, body := c.Form("/enter", "passphrase", "low water at noon"); code != 200 {
		t.Fatal(code, body)
	}
	c.Page(t, "/", "Mark the layer", `hx-post="/leave"`)
	if code, _ := c.Do("GET", "/", nil, map[string]string{"Host": "shed.local:8080"}); code != 200 {
		t.Error(code)
	}
	if code, _ := c.Do("GET", "/", nil, map[string]string{"Host": "elsewhere.example"}); code != 421 {
		t.Error(code)
	}
	cookie := c.Cookie
	if code, _ := c.Form("/leave"); code != 200 {
		t.Error(code)
	}
	c.Cookie = cookie
	if code, _ := c.Do("GET", "/", nil, nil); code != 401 {
		t.Error("whoever has left is still in", code)
	}
	if code, _ := c.Form("/enter?passphrase=low+water+at+noon"); code != 403 {
		t.Errorf("a passphrase in the address is taken: %d", code)
	}
	for range access.MaxTries {
		c.Form("/enter", "passphrase", "a guess, a guess")
	}
	if code, _ := c.Form("/enter", "passphrase", "low water at noon"); code != 429 {
		t.Error(code)
	}
}

// TestOthers has two browsers at one print: each hears of the other's ears within
// a second, and neither loses a write silently.
func TestOthers(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.Pier(0.3, 0), demo.DialectNamed("plain"))
	id, _ := c.Bring("pier.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = c.S.Serve(l) }()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	req, _ := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("http://%s%s/events", l.Addr(), p),
		nil)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	told := make(chan string, 20)
	go func() {
		lines := bufio.NewScanner(res.Body)
		for lines.Scan() {
			if v, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				told <- v
			}
		}
	}()
	next := func(what string) string {
		t.Helper()
		select {
		case v := <-told:
			return v
		case <-time.After(time.Second):
			t.Fatalf("%s: nothing is told within a second", what)
		}
		return ""
	}
	version := func(body string) string {
		_, rest, _ := strings.Cut(body, `data-version="`)
		v, _, _ := strings.Cut(rest, `"`)
		return v
	}
	sign := func(body string) string {
		_, rest, _ := strings.Cut(body, `data-sign="`)
		v, _, _ := strings.Cut(rest, `"`)
		return v
	}
	first := next("at first")
	_, a := c.Form(p+"/ears", "before", "5", "kind", "stop")
	if v, _, _ := strings.Cut(next("an ear"), " "); v == first || v != version(a) {
		t.Errorf("%q is told, the margin has %q", v, version(a))
	}
	was := sign(a)
	_, b := c.Form(p+"/ears/a1", "all", "1", "note", "flat side down")
	next("its note")
	if was == "" || sign(b) == was {
		t.Error("the ear looks as it did")
	}
	head := map[string]string{"Content-Type": "application/x-www-form-urlencoded",
		"HX-Request": "true", "X-Ear": was}
	for _, path := range []string{p + "/ears/a1", p + "/ears/a1/remove"} {
		if code, body := c.Do("POST", path, strings.NewReader("all=1&note=other"), head); code != 409 ||
			!strings.Contains(body, "omebody else has changed this ear") {
			t.Error(path, code, body)
		}
	}
	head["X-Ear"] = sign(b)
	if code, body := c.Do("POST", p+"/ears/a1", strings.NewReader("all=1&note=other"),
		head); code != 200 || !strings.Contains(body, "other") {
		t.Error(code, body)
	}
	next("another note")
	c.Form(p + "/undo")
	next("an undo")
	_, now := c.Do("GET", p+"/margin", nil, nil)
	if !strings.Contains(now, "flat side down") || sign(now) != sign(b) {
		t.Error("the margin is not what it was before the undo")
	}
	end, stop := context.WithTimeout(context.Background(), 5*time.Second)
	defer stop()
	if err := c.S.Shutdown(end); err != nil {
		t.Error("the server waits for those who listen:", err)
	}
}
