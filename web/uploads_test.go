package web

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/store"
)

// wire is a connection to a server that answers on a real socket.
type wire struct {
	net.Conn
	in *bufio.Reader
}

// listen lets a client's server answer on a socket.
func (c *client) listen() (dial func() *wire) {
	c.t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		c.t.Fatal(err)
	}
	go c.s.Serve(l)
	c.t.Cleanup(func() {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		_ = c.s.Shutdown(ctx)
	})
	return func() *wire {
		conn, err := net.Dial("tcp", l.Addr().String())
		if err != nil {
			c.t.Fatal(err)
		}
		c.t.Cleanup(func() { conn.Close() })
		return &wire{conn, bufio.NewReader(conn)}
	}
}

// head is a request without its body.
func (c *client) head(method, path string, more ...string) string {
	return fmt.Sprintf("%s %s HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: %s\r\n%s: %s\r\n"+
		"Accept: application/json\r\n%s\r\n",
		method, path, c.cookie, csrfHeader, c.token, strings.Join(append(more, ""), "\r\n"))
}

func (w *wire) answer(t testing.TB) (int, string) {
	t.Helper()
	_ = w.SetReadDeadline(time.Now().Add(20 * time.Second))
	res, err := http.ReadResponse(w.in, nil)
	if err != nil {
		return 0, err.Error()
	}
	b, _ := io.ReadAll(res.Body)
	return res.StatusCode, string(b)
}

// TestCutUploads ends uploads in the middle, in every way in which a connection can end.
// Nothing may be kept of them.
func TestCutUploads(t *testing.T) {
	c := newClient(t, archive.Limits{})
	dial := c.listen()
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	half := file[:bytes.LastIndexByte(file[:len(file)/2], '\n')+1]
	zipped := bytes.NewBuffer(zipOf(t, "gauge.gcode"))
	for name, part := range map[string]struct {
		head  string
		body  []byte
		close bool // else the other side only stops sending
	}{
		"half of what was announced":    {fmt.Sprintf("Content-Length: %d", len(file)), half, true},
		"the same, writing ends only":   {fmt.Sprintf("Content-Length: %d", len(file)), half, false},
		"nothing of what was announced": {fmt.Sprintf("Content-Length: %d", len(file)), nil, true},
		"two bytes":                     {fmt.Sprintf("Content-Length: %d", len(file)), file[:2], false},
		"chunks without the last":       {"Transfer-Encoding: chunked", chunked(half, false), true},
		"the same, writing ends":        {"Transfer-Encoding: chunked", chunked(half, false), false},
		"in the middle of a chunk": {"Transfer-Encoding: chunked", chunked(
			file, true)[:len(file)/2], false},
		"a zip that is whole, and more": {fmt.Sprintf(
			"Content-Length: %d", zipped.Len()+100), zipped.Bytes(), false},
		"half a zip": {fmt.Sprintf(
			"Content-Length: %d", zipped.Len()), zipped.Bytes()[:zipped.Len()/2], false},
		"the last byte is missing": {fmt.Sprintf("Content-Length: %d", len(file)), file[:len(
			file)-1], false},
		"chunks without the empty line": {"Transfer-Encoding: chunked", chunked(
			file, true)[:len(chunked(file, true))-2], false},
		"chunks without the last's line": {"Transfer-Encoding: chunked", chunked(
			file, true)[:len(chunked(file, true))-5], false},
	} {
		w := dial()
		io.WriteString(w, c.head("POST", "/prints", part.head))
		w.Write(part.body)
		if part.close {
			w.Close()
		} else {
			w.Conn.(*net.TCPConn).CloseWrite()
			if code, body := w.answer(t); code == 201 {
				t.Errorf("%s: taken: %s", name, body)
			}
		}
		// It is over when nothing is arriving any more.
		for k := 0; ; k++ {
			if c.arriving() == 0 {
				break
			} else if k > 200 {
				t.Fatalf("%s: the upload is still there", name)
			}
			time.Sleep(20 * time.Millisecond)
		}
		if list, err := c.st.Prints(t.Context()); err != nil || len(list) > 0 {
			t.Fatalf("%s: on the shelf stands %+v %v", name, list, err)
		}
	}
	// And what is whole is taken, both ways, and noticed when it comes twice.
	w := dial()
	io.WriteString(w, c.head("POST", "/prints", "Transfer-Encoding: chunked"))
	w.Write(chunked(file, true))
	if code, body := w.answer(t); code != 201 || strings.Contains(body, "same") {
		t.Error(code, body)
	}
	w = dial()
	io.WriteString(w, c.head("POST", "/prints", fmt.Sprint("Content-Length: ", len(file))))
	w.Write(file)
	if code, body := w.answer(t); code != 201 || !strings.Contains(body, `"same":{"id":`) {
		t.Error(code, body)
	}
}

// sql carries out a line in the database behind the server's back, and returns what the
// first column of its first row says.
func (c *client) sql(query string, args ...any) (n int64) {
	c.t.Helper()
	db, err := sql.Open("sqlite", "file:"+c.dir+"/dogear.db?_pragma=busy_timeout(5000)")
	if err != nil {
		c.t.Fatal(err)
	}
	defer db.Close()
	if err := db.QueryRow(query, args...).Scan(&n); err != nil && !errors.Is(err, sql.ErrNoRows) {
		c.t.Fatal(query, err)
	}
	return n
}

// arriving is how many uploads are under way.
func (c *client) arriving() int64 {
	return c.sql(`SELECT COUNT(*) FROM prints WHERE state = 'arriving'`)
}

func (c *client) upload(file []byte, name string) int64 {
	c.t.Helper()
	id, refused := c.bring(name, file)
	if refused != "" {
		c.t.Fatal(refused)
	}
	return id
}

// chunked is a body in chunks; last ends it.
func chunked(b []byte, last bool) []byte {
	var out bytes.Buffer
	for len(b) > 0 {
		n := min(len(b), 10_000)
		fmt.Fprintf(&out, "%x\r\n%s\r\n", n, b[:n])
		b = b[n:]
	}
	if last {
		out.WriteString("0\r\n\r\n")
	}
	return out.Bytes()
}

// TestStalledUploads marks an ear, changes the Kit, brings a small file and takes a backup
// while five large uploads have stopped sending. None of it may wait.
func TestStalledUploads(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id := c.upload(file, "gauge.gcode")
	dial := c.listen()
	var halted []*wire
	for range 5 {
		w := dial()
		halted = append(halted, w)
		io.WriteString(w, c.head("POST", "/prints", "Content-Length: 100000000"))
		w.Write(bytes.Repeat(file, 3<<20/len(file)+1))
	}
	for k := 0; ; k++ {
		if c.arriving() == 5 {
			break
		} else if k > 200 {
			t.Fatal("the uploads do not arrive")
		}
		time.Sleep(20 * time.Millisecond)
	}
	within := func(what string, f func()) {
		t.Helper()
		over := make(chan struct{})
		go func() { defer close(over); f() }()
		select {
		case <-over:
		case <-time.After(5 * time.Second): // a lock would be waited for ten
			t.Fatalf("%s waits", what)
		}
	}
	within("an ear", func() {
		if code, body := c.form(fmt.Sprintf("/prints/%d/ears", id), "where", "5", "kind",
			"colour"); code != 200 {
			t.Error(code, body)
		}
	})
	within("a small file",
		func() { c.upload([]byte(strings.ReplaceAll(string(file), "G28", "G28 ")), "two.gcode") })
	within("a backup", func() {
		if err := store.Backup(context.Background(), c.dir, t.TempDir(), io.Discard); err != nil {
			t.Error(err)
		}
	})
	within("stopping", func() {
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		defer cancel()
		if err := c.s.Shutdown(ctx); err != nil && !errors.Is(err, context.DeadlineExceeded) {
			t.Error(err)
		}
	})
	for _, w := range halted {
		w.Close()
	}
	for k := 0; c.arriving() > 0; k++ {
		if k > 200 {
			t.Fatal("what was cut is still there")
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// TestTakenOff takes a print off the shelf, puts it back, and deletes it for good.
func TestTakenOff(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id := c.upload(file, "gauge <b>.gcode")
	path := fmt.Sprintf("/prints/%d", id)
	if code, body := c.form(path + "/remove"); code != 200 {
		t.Fatal(code, body)
	}
	for at, want := range map[string]int{path: 404, path + "/lines": 404, "/": 200, "/off": 200} {
		if code, _ := c.do("GET", at, nil, nil); code != want {
			t.Errorf("%s: %d, want %d", at, code, want)
		}
	}
	if _, body := c.do("GET", fmt.Sprint("/?off=", id), nil, nil); !strings.Contains(body,
		"Put it back") {
		t.Error("it cannot be undone on the shelf")
	}
	if _, body := c.do("GET", "/off", nil, nil); !strings.Contains(body, "30 days") ||
		strings.Contains(body, "<b>.") {
		t.Error(body)
	}
	if code, body := c.form(path + "/back"); code != 200 {
		t.Fatal(code, body)
	}
	if code, _ := c.do("GET", path, nil, nil); code != 200 {
		t.Error(code)
	}
	if code, _ := c.form(path + "/delete"); code != 404 {
		t.Errorf("what stands on the shelf is deleted for good: %d", code)
	}
	c.form(path + "/remove")
	if code, body := c.form(path + "/delete"); code != 200 {
		t.Fatal(code, body)
	}
	if code, _ := c.form(path + "/back"); code != 404 {
		t.Error(code)
	}
	// One that is being read again, by a newer version say, is taken off as any other.
	id = c.upload(file, "gauge.gcode")
	c.s.jobs.turn <- struct{}{} // somebody else's turn
	c.sql(`UPDATE prints SET state = 'reading' WHERE id = ?`, id)
	p, err := c.st.Print(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	over := c.s.jobs.start(p)
	if code, body := c.form(fmt.Sprintf("/prints/%d/remove", id)); code != 200 {
		t.Error(code, body)
	}
	<-c.s.jobs.turn
	<-over
	if _, err := c.st.TakenOffPrint(t.Context(), id); err != nil {
		t.Errorf("it does not lie with what was taken off: %v", err)
	}
}

// TestManyPrints shows a shelf of many prints piece by piece, whole with one that cannot
// be shown, and opens no file for what it has shown before.
func TestManyPrints(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	var ids []int64
	for k := range shelfPage + 7 {
		ids = append(ids, c.upload(append(file, fmt.Sprintf("; print %d\n", k)...),
			fmt.Sprintf("gauge-%d.gcode", k)))
	}
	seen := map[string]bool{}
	entry := regexp.MustCompile(`<h2 [^>]*title="([^"]+)"`)
	next := "/"
	for pages := 0; next != ""; pages++ {
		code, body := c.do("GET", next, nil,
			map[string]string{"HX-Request": map[bool]string{true: "true"}[pages > 0]})
		if code != 200 || pages > 2 {
			t.Fatal(code, pages)
		}
		for _, m := range entry.FindAllStringSubmatch(body, -1) {
			if seen[m[1]] {
				t.Errorf("%s stands there twice", m[1])
			}
			seen[m[1]] = true
		}
		next = ""
		if m := regexp.MustCompile(`hx-get="([^"]+)"`).FindStringSubmatch(body); m != nil {
			next = strings.ReplaceAll(m[1], "&amp;", "&")
		}
	}
	if len(seen) != len(ids) {
		t.Errorf("%d of %d prints are shown", len(seen), len(ids))
	}
	// The drawings are kept now: nothing is opened to show them again.
	c.s.opened = newOpened(c.st)
	if code, _ := c.do("GET", "/", nil, nil); code != 200 || c.s.opened.books.len() != 0 {
		t.Errorf("%d books were opened", c.s.opened.books.len())
	}
	// One whose reading is damaged hides no other, and is read again.
	last := ids[len(ids)-1]
	c.sql(`UPDATE indexes SET data = X'00' WHERE print_id = ?`, last)
	c.sql(`UPDATE faces SET drawing = NULL WHERE print_id = ?`, last)
	c.s.opened = newOpened(c.st)
	if code, body := c.do("GET", "/", nil, nil); code != 200 ||
		len(entry.FindAllString(body, -1)) != shelfPage {
		t.Errorf("%d: %d prints", code, len(entry.FindAllString(body, -1)))
	}
	for k := 0; ; k++ {
		code, _ := c.do("GET", fmt.Sprint("/prints/", last), nil, nil)
		if code == 200 {
			break
		}
		if k > 300 {
			t.Fatalf("it is not read again: %d", code)
		}
		time.Sleep(20 * time.Millisecond)
	}
}
