// Package webtest has a client for tests of the pages.
package webtest

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/binary"
	"encoding/json"
	"errors"
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
	"dogear/web"
	"dogear/web/site"
)

// Client talks to a server as a browser on this machine would.
type Client struct {
	T      testing.TB
	S      *web.Server
	St     *store.Store
	Dir    string
	Cookie string
	Token  string
	Named  string // how the file that came last is to be called
}

// New returns a client of a server of its own, with an empty shelf and the Kit that ships.
func New(t testing.TB, lim archive.Limits) *Client {
	t.Helper()
	dir := t.TempDir()
	st, err := store.Open(context.Background(), dir)
	if err != nil {
		t.Fatal(err)
	}
	s, err := web.New(site.Config{Store: st, Temp: dir, Limits: lim})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		s.Jobs.Stop()
		st.Close()
	})
	s.Jobs.AtOnce = time.Minute // tests want to see what is found at once
	if err := s.LoadKit(context.Background()); err != nil {
		t.Fatal(err)
	}
	c := &Client{T: t, S: s, St: st, Dir: dir}
	code, body := c.Do("GET", "/", nil, nil)
	m := regexp.MustCompile(`name="csrf" content="([^"]+)"`).FindStringSubmatch(body)
	if code != 200 || m == nil {
		t.Fatal(code, body)
	}
	c.Token = m[1]
	return c
}

// blanks are what a browser shows as one.
var blanks = regexp.MustCompile(`[ \n\t]+`)

// Do sends a request and returns what is answered. The server must not allow more than its
// policy says.
func (c *Client) Do(method, path string, body io.Reader, header map[string]string) (int, string) {
	c.T.Helper()
	r := httptest.NewRequest(method, path, body)
	r.Host = "127.0.0.1:8080"
	r.Header.Set("Cookie", c.Cookie)
	if method != "GET" && c.Token != "" {
		r.Header.Set(site.CSRFHeader, c.Token)
		r.Header.Set("Origin", "http://127.0.0.1:8080")
	}
	for k, v := range header {
		if k == "Host" {
			r.Host = v
			continue
		}
		r.Header.Set(k, v)
	}
	res, err := c.S.App().Test(r, fiber.TestConfig{Timeout: 60 * time.Second})
	if err != nil {
		c.T.Fatal(method, path, err)
	}
	defer res.Body.Close()
	for _, k := range res.Cookies() {
		kept := slices.DeleteFunc(strings.Split(c.Cookie, "; "),
			func(o string) bool { return o == "" || strings.HasPrefix(o, k.Name+"=") })
		if k.MaxAge >= 0 {
			kept = append(kept, k.Name+"="+k.Value)
		}
		c.Cookie = strings.Join(kept, "; ")
	}
	c.Named = res.Header.Get("Content-Disposition")
	b, err := io.ReadAll(res.Body)
	if err != nil {
		c.T.Fatal(err)
	}
	if res.Header.Get("Content-Security-Policy") == "" {
		c.T.Errorf("%s %s has no policy", method, path)
	}
	if strings.HasPrefix(res.Header.Get("Content-Type"), "text/html") {
		return res.StatusCode, blanks.ReplaceAllString(string(b), " ") // as it is read
	}
	return res.StatusCode, string(b)
}

// Form sends the fields of a form, as pairs of name and value.
func (c *Client) Form(path string, kv ...string) (int, string) {
	c.T.Helper()
	v := url.Values{}
	for i := 0; i+1 < len(kv); i += 2 {
		v.Set(kv[i], kv[i+1])
	}
	return c.Do("POST", path, strings.NewReader(v.Encode()),
		map[string]string{"Content-Type": "application/x-www-form-urlencoded", "HX-Request": "true"})
}

// Bring uploads a file and waits until it is read or refused.
func (c *Client) Bring(name string, data []byte) (id int64, refused string) {
	c.T.Helper()
	code, body := c.Do("POST", "/prints", bytes.NewReader(data),
		map[string]string{"X-File-Name": url.PathEscape(name),
			"Content-Type": "application/octet-stream"})
	var a struct {
		ID    int64
		Error string
	}
	if err := json.Unmarshal([]byte(body), &a); err != nil {
		c.T.Fatal(code, body)
	}
	if code != 201 {
		return 0, a.Error
	}
	if refused := c.Read(a.ID); refused != "" {
		return 0, refused
	}
	return a.ID, ""
}

// Read waits until a print is read; it says why one is refused.
func (c *Client) Read(id int64) (refused string) {
	c.T.Helper()
	for range 600 {
		_, body := c.Do("GET", fmt.Sprintf("/prints/%d/reading", id), nil, nil)
		var r struct{ State, Error string }
		if err := json.Unmarshal([]byte(body), &r); err != nil {
			c.T.Fatal(body)
		}
		switch r.State {
		case "ready":
			return ""
		case "refused":
			return r.Error
		}
		time.Sleep(20 * time.Millisecond)
	}
	c.T.Fatal("the reading does not end")
	return ""
}

// PartsOf is how many parts a cover has.
func PartsOf(c *Client, url string) int {
	_, body := c.Do("GET", url, nil, nil)
	return int(binary.LittleEndian.Uint32([]byte(body)[8:]))
}

// Step is one request of a form and what must come of it.
type Step = struct {
	Path string
	Form []string
	Code int
	Want string
}

// Steps sends forms one after another and checks what is answered.
func (c *Client) Steps(t *testing.T, steps []Step) {
	t.Helper()
	for _, s := range steps {
		code, body := c.Form(s.Path, s.Form...)
		if code != s.Code || !strings.Contains(body, s.Want) {
			t.Errorf("%s %q: %d, want %d with %q in\n%.600s", s.Path, s.Form, code, s.Code, s.Want, body)
		}
	}
}

// Page returns a page, which must say what is wanted.
func (c *Client) Page(t *testing.T, path string, want ...string) string {
	t.Helper()
	code, body := c.Do("GET", path, nil, map[string]string{"Accept": "text/html"})
	if code != 200 {
		t.Errorf("%s: %d %.300s", path, code, body)
	}
	for _, w := range want {
		if !strings.Contains(body, w) {
			t.Errorf("%s: %q is not there", path, w)
		}
	}
	return body
}

// Head is a request without its body.
func (c *Client) Head(method, path string, more ...string) string {
	return fmt.Sprintf("%s %s HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: %s\r\n%s: %s\r\n"+
		"Accept: application/json\r\n%s\r\n",
		method, path, c.Cookie, site.CSRFHeader, c.Token, strings.Join(append(more, ""), "\r\n"))
}

// SQL carries out a line in the database behind the server's back, and returns what the
// first column of its first row says.
func (c *Client) SQL(query string, args ...any) (n int64) {
	c.T.Helper()
	db, err := sql.Open("sqlite", "file:"+c.Dir+"/dogear.db?_pragma=busy_timeout(5000)")
	if err != nil {
		c.T.Fatal(err)
	}
	defer db.Close()
	if err := db.QueryRow(query, args...).Scan(&n); err != nil && !errors.Is(err, sql.ErrNoRows) {
		c.T.Fatal(query, err)
	}
	return n
}

// Arriving is how many uploads are under way.
func (c *Client) Arriving() int64 {
	return c.SQL(`SELECT COUNT(*) FROM prints WHERE state = 'arriving'`)
}

// Upload brings a file that must be taken, and returns the number of its print.
func (c *Client) Upload(file []byte, name string) int64 {
	c.T.Helper()
	id, refused := c.Bring(name, file)
	if refused != "" {
		c.T.Fatal(refused)
	}
	return id
}

// Clocked is a client whose server goes by a clock of the test's own.
func Clocked(t *testing.T) (c *Client, now *time.Time) {
	t.Helper()
	at := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	c = New(t, archive.Limits{})
	c.S.Now = func() time.Time { return at }
	return c, &at
}
