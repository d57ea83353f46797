package web

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/store"
)

// client talks to a server as a browser on this machine would.
type client struct {
	t      testing.TB
	s      *Server
	st     *store.Store
	dir    string
	cookie string
	token  string
	named  string // how the file that came last is to be called
}

func newClient(t testing.TB, lim archive.Limits) *client {
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

// blanks are what a browser shows as one.
var blanks = regexp.MustCompile(`[ \n\t]+`)

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
	c.named = res.Header.Get("Content-Disposition")
	b, err := io.ReadAll(res.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	if res.Header.Get("Content-Security-Policy") == "" {
		c.t.Errorf("%s %s has no policy", method, path)
	}
	if strings.HasPrefix(res.Header.Get("Content-Type"), "text/html") {
		return res.StatusCode, blanks.ReplaceAllString(string(b), " ") // as it is read
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

// partsOf is how many parts a cover has.
func partsOf(c *client, url string) int {
	_, body := c.do("GET", url, nil, nil)
	return int(binary.LittleEndian.Uint32([]byte(body)[8:]))
}
