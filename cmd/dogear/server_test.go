//go:build unix

package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"dogear/demo"
)

// harbour is a real server process, with somebody at its pages.
type harbour struct {
	t     *testing.T
	cmd   *exec.Cmd
	dir   string
	base  string
	token string
	c     *http.Client
	log   *bytes.Buffer
	over  chan error
}

// serveAt starts a server on a folder.
func serveAt(t *testing.T, dir string, more ...string) *harbour {
	t.Helper()
	h := &harbour{t: t, dir: dir, log: &bytes.Buffer{}, over: make(chan error, 1)}
	h.cmd = program(append([]string{"serve", "--port", "0", "--data", dir}, more...)...)
	h.cmd.Stderr = h.log
	out, err := h.cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := h.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { h.kill() })
	line, _ := bufio.NewReader(out).ReadString('\n')
	m := regexp.MustCompile(`http://\S+`).FindString(line)
	if m == "" {
		t.Fatalf("it does not start: %q %s", line, h.log)
	}
	go func() {
		_, _ = io.Copy(io.Discard, out)
		h.over <- h.cmd.Wait()
	}()
	h.base = m
	jar, _ := cookiejar.New(nil)
	h.c = &http.Client{Jar: jar, Timeout: 30 * time.Second}
	_, page := h.get("/")
	token := regexp.MustCompile(`name="csrf" content="([^"]+)"`).FindStringSubmatch(page)
	if token == nil {
		t.Fatalf("no page: %s", page)
	}
	h.token = token[1]
	return h
}

func (h *harbour) get(path string) (int, string) {
	h.t.Helper()
	res, err := h.c.Get(h.base + path)
	if err != nil {
		h.t.Fatal(err)
	}
	defer res.Body.Close()
	b, _ := io.ReadAll(res.Body)
	return res.StatusCode, string(b)
}

func (h *harbour) post(path string, body io.Reader, kind string) (int, string, error) {
	req, err := http.NewRequest("POST", h.base+path, body)
	if err != nil {
		return 0, "", err
	}
	req.Header.Set("X-Csrf-Token", h.token)
	req.Header.Set("Content-Type", kind)
	req.Header.Set("X-File-Name", "gauge.gcode")
	res, err := h.c.Do(req)
	if err != nil {
		return 0, "", err
	}
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	return res.StatusCode, string(b), err
}

func (h *harbour) form(path string, kv ...string) (int, string, error) {
	v := url.Values{}
	for i := 0; i+1 < len(kv); i += 2 {
		v.Set(kv[i], kv[i+1])
	}
	return h.post(path, strings.NewReader(v.Encode()), "application/x-www-form-urlencoded")
}

// upload brings a file in and waits until it is read.
func (h *harbour) upload(file []byte) int64 {
	h.t.Helper()
	code, body, err := h.post("/prints", bytes.NewReader(file), "application/octet-stream")
	var a struct{ ID int64 }
	if err != nil || code != 201 || json.Unmarshal([]byte(body), &a) != nil {
		h.t.Fatal(code, body, err)
	}
	h.ready(a.ID)
	return a.ID
}

// ready waits until a print is read.
func (h *harbour) ready(id int64) {
	h.t.Helper()
	for range 500 {
		if _, body := h.get(fmt.Sprintf("/prints/%d/reading", id)); strings.Contains(body, `"ready"`) {
			return
		} else if !strings.Contains(body, `"reading"`) {
			h.t.Fatal(body)
		}
		time.Sleep(20 * time.Millisecond)
	}
	h.t.Fatal("it is never read")
}

// half opens an upload that stops in the middle.
func (h *harbour) half(file []byte) net.Conn {
	h.t.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(h.base, "http://"))
	if err != nil {
		h.t.Fatal(err)
	}
	h.t.Cleanup(func() { conn.Close() })
	u, _ := url.Parse(h.base)
	var cookies []string
	for _, k := range h.c.Jar.Cookies(u) {
		cookies = append(cookies, k.Name+"="+k.Value)
	}
	fmt.Fprintf(conn, "POST /prints HTTP/1.1\r\nHost: %s\r\nCookie: %s\r\nX-Csrf-Token: %s\r\n"+
		"Content-Length: %d\r\n\r\n", u.Host, strings.Join(cookies, "; "), h.token, len(file)*2)
	if _, err := conn.Write(file); err != nil {
		h.t.Fatal(err)
	}
	return conn
}

func (h *harbour) kill() {
	if h.cmd.ProcessState == nil {
		_ = h.cmd.Process.Kill()
		select {
		case <-h.over:
		case <-time.After(10 * time.Second):
		}
	}
}

func gauge(t *testing.T) []byte {
	t.Helper()
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	return file
}

// TestSecondServe starts a second server on the folder of one in which an upload arrives,
// and takes a backup. The second says who is there; the upload goes on.
func TestSecondServe(t *testing.T) {
	t.Parallel()
	h, file := serveAt(t, filepath.Join(t.TempDir(), "data")), gauge(t)
	id := h.upload(file)
	conn := h.half(file)
	time.Sleep(200 * time.Millisecond)
	second := program("serve", "--port", "0", "--data", h.dir)
	said, err := second.CombinedOutput()
	if err == nil || !strings.Contains(string(said), fmt.Sprint("process ", h.cmd.Process.Pid)) ||
		!strings.Contains(string(said), h.base) {
		t.Errorf("%v %s", err, said)
	}
	saved := filepath.Join(t.TempDir(), "saved.gz")
	if said, err := program("backup", h.dir, "-o", saved).CombinedOutput(); err != nil {
		t.Fatal(err, string(said))
	}
	if st, err := os.Stat(saved); err != nil || st.Mode().Perm() != 0o600 {
		t.Error(st, err)
	}
	if _, err := conn.Write(file); err != nil {
		t.Fatal(err)
	}
	res, err := http.ReadResponse(bufio.NewReader(conn), nil)
	if err != nil || res.StatusCode != 201 {
		t.Fatalf("the upload was lost: %v %v", res, err)
	}
	h.kill()
	to := filepath.Join(t.TempDir(), "restored")
	if said, err := program("restore", saved, to).CombinedOutput(); err != nil {
		t.Fatal(err, string(said))
	}
	r := serveAt(t, to)
	if code, _ := r.get(fmt.Sprint("/prints/", id)); code != 200 {
		t.Errorf("the backup does not hold the print: %d", code)
	}
	if code, _ := r.get(fmt.Sprint("/prints/", id+1)); code != 404 {
		t.Errorf("it holds half an upload: %d", code)
	}
}

// TestKilled kills the server at random moments while things are brought in and marked.
// All that was confirmed is there afterwards, and nothing that was not whole.
func TestKilled(t *testing.T) {
	if testing.Short() {
		t.Skip("it starts a server again and again")
	}
	t.Parallel()
	dir, file := filepath.Join(t.TempDir(), "data"), gauge(t)
	h := serveAt(t, dir)
	id := h.upload(file)
	ears, confirmed := 0, map[int64]bool{id: true}
	seed := rand.Uint64()
	r := rand.New(rand.NewPCG(seed, 1))
	for round := range 6 {
		h.half(file)
		time.AfterFunc(time.Duration(r.IntN(400))*time.Millisecond, func() { _ = h.cmd.Process.Kill() })
		for {
			code, _, err := h.form(fmt.Sprintf("/prints/%d/ears", id), "where", fmt.Sprint(2+ears%14),
				"kind", "insert")
			if err != nil {
				break
			}
			if code == 200 {
				ears++
			}
			code, body, err := h.post("/prints",
				bytes.NewReader(append(file, fmt.Sprintf("; %d\n", ears)...)), "application/octet-stream")
			if err != nil {
				break
			}
			var a struct{ ID int64 }
			if code == 201 && json.Unmarshal([]byte(body), &a) == nil {
				confirmed[a.ID] = true
			}
		}
		<-h.over
		h = serveAt(t, dir)
		_, plan := h.get(fmt.Sprintf("/prints/%d/plan", id))
		var p struct{ Ears []any }
		// One more may have been kept whose answer did not come through.
		if err := json.Unmarshal([]byte(plan), &p); err != nil || len(p.Ears) != ears &&
			len(p.Ears) != ears+1 {
			t.Fatalf("round %d (seed %d): %d ears were confirmed, %d are there: %v", round, seed, ears,
				len(p.Ears), err)
		}
		ears = len(p.Ears)
		for k := range confirmed {
			h.ready(k)
		}
	}
	for k := int64(1); k < 400; k++ {
		code, _ := h.get(fmt.Sprint("/prints/", k))
		if confirmed[k] && code != 200 {
			t.Errorf("print %d was confirmed and is gone: %d (seed %d)", k, code, seed)
		}
		if code == 200 && !confirmed[k] {
			if _, text := h.get(fmt.Sprintf("/prints/%d/lines", k)); !strings.Contains(text, "Lines") {
				t.Errorf("print %d is not whole", k)
			}
		}
	}
}

// TestStops ends a server while an upload and a download have come to a halt.
func TestStops(t *testing.T) {
	if testing.Short() {
		t.Skip("it waits for seconds")
	}
	t.Parallel()
	h, file := serveAt(t, filepath.Join(t.TempDir(), "data")), gauge(t)
	big := bytes.Repeat(file, 200)
	id := h.upload(file)
	h.half(big[:3<<20])
	slow, err := net.Dial("tcp", strings.TrimPrefix(h.base, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer slow.Close()
	fmt.Fprintf(slow, "GET /prints/%d/write HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n", id)
	_, _ = slow.Read(make([]byte, 10))
	time.Sleep(200 * time.Millisecond)
	began := time.Now()
	if err := h.cmd.Process.Signal(syscall.SIGTERM); err != nil {
		t.Fatal(err)
	}
	select {
	case err := <-h.over:
		if err != nil {
			t.Error(err, h.log)
		}
	case <-time.After(5 * time.Second):
		t.Fatalf("it does not end: %s", h.log)
	}
	t.Logf("ended within %v", time.Since(began))
	h = serveAt(t, h.dir)
	if code, _ := h.get(fmt.Sprint("/prints/", id)); code != 200 {
		t.Error(code)
	}
}

// TestFolderGone takes the folder away while the server runs.
func TestFolderGone(t *testing.T) {
	t.Parallel()
	h, file := serveAt(t, filepath.Join(t.TempDir(), "what? #1 100%")), gauge(t)
	id := h.upload(file)
	if err := os.Rename(h.dir, h.dir+" away"); err != nil {
		t.Fatal(err)
	}
	if code, body, err := h.form(fmt.Sprintf("/prints/%d/ears", id), "where", "5", "kind",
		"insert"); code != 503 || !strings.Contains(body, "folder") {
		t.Error(code, body, err)
	}
	if code, body, err := h.post("/prints", bytes.NewReader(file),
		"application/octet-stream"); code != 503 || !strings.Contains(body, "folder") {
		t.Error(code, body, err)
	}
	if code, body := h.get("/healthz"); code != 503 {
		t.Error(code, body)
	}
	if err := os.Rename(h.dir+" away", h.dir); err != nil {
		t.Fatal(err)
	}
	if code, body, err := h.form(fmt.Sprintf("/prints/%d/ears", id), "where", "5", "kind",
		"insert"); code != 200 {
		t.Error(code, body, err)
	}
}

// TestBrokenDatabase starts on a database that is none: it says so, and the way out.
func TestBrokenDatabase(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "dogear.db"), bytes.Repeat([]byte("tide "), 5000),
		0o600); err != nil {
		t.Fatal(err)
	}
	said, err := program("serve", "--port", "0", "--data", dir).CombinedOutput()
	if err == nil || !strings.Contains(string(said), "damaged") ||
		!strings.Contains(string(said), "--salvage") {
		t.Errorf("%v %s", err, said)
	}
	if _, err := os.Stat(filepath.Join(dir, "dogear.holder")); !errors.Is(err, os.ErrNotExist) {
		t.Error("it says that somebody is there", err)
	}
}
