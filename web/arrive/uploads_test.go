package arrive_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/store"
	"dogear/web/webtest"
)

// TestCutUploads ends uploads in the middle, in every way in which a connection can end.
// Nothing may be kept of them.
func TestCutUploads(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	dial := c.Listen()
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	half := file[:bytes.LastIndexByte(file[:len(file)/2], '\n')+1]
	zipped := bytes.NewBuffer(webtest.ZipOf(t, "gauge.gcode"))
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
		t.Run(name, func(t *testing.T) {
			w := dial()
			io.WriteString(w, c.Head("POST", "/prints", part.head))
			w.Write(part.body)
			if part.close {
				w.Close()
			} else {
				w.Conn.(*net.TCPConn).CloseWrite()
				if code, body := w.Answer(t); code == 201 {
					t.Errorf("taken: %s", body)
				}
			}
			// It is over when nothing is arriving any more.
			for k := 0; ; k++ {
				if c.Arriving() == 0 {
					break
				} else if k > 200 {
					t.Fatal("the upload is still there")
				}
				time.Sleep(20 * time.Millisecond)
			}
			if list, err := c.St.Prints(t.Context()); err != nil || len(list) > 0 {
				t.Fatalf("on the shelf stands %+v %v", list, err)
			}
		})
	}
	// And what is whole is taken, both ways, and noticed when it comes twice.
	w := dial()
	io.WriteString(w, c.Head("POST", "/prints", "Transfer-Encoding: chunked"))
	w.Write(chunked(file, true))
	if code, body := w.Answer(t); code != 201 || strings.Contains(body, "same") {
		t.Error(code, body)
	}
	w = dial()
	io.WriteString(w, c.Head("POST", "/prints", fmt.Sprint("Content-Length: ", len(file))))
	w.Write(file)
	if code, body := w.Answer(t); code != 201 || !strings.Contains(body, `"same":{"id":`) {
		t.Error(code, body)
	}
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
	if testing.Short() {
		t.Skip("it waits for seconds")
	}
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id := c.Upload(file, "gauge.gcode")
	dial := c.Listen()
	var halted []*webtest.Wire
	for range 5 {
		w := dial()
		halted = append(halted, w)
		io.WriteString(w, c.Head("POST", "/prints", "Content-Length: 100000000"))
		w.Write(bytes.Repeat(file, 3<<20/len(file)+1))
	}
	for k := 0; ; k++ {
		if c.Arriving() == 5 {
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
		if code, body := c.Form(fmt.Sprintf("/prints/%d/ears", id), "where", "5", "kind",
			"colour"); code != 200 {
			t.Error(code, body)
		}
	})
	within("a small file",
		func() { c.Upload([]byte(strings.ReplaceAll(string(file), "G28", "G28 ")), "two.gcode") })
	within("a backup", func() {
		if err := store.Backup(context.Background(), c.Dir, t.TempDir(), io.Discard); err != nil {
			t.Error(err)
		}
	})
	within("stopping", func() {
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		defer cancel()
		if err := c.S.Shutdown(ctx); err != nil && !errors.Is(err, context.DeadlineExceeded) {
			t.Error(err)
		}
	})
	for _, w := range halted {
		w.Close()
	}
	for k := 0; c.Arriving() > 0; k++ {
		if k > 200 {
			t.Fatal("what was cut is still there")
		}
		time.Sleep(20 * time.Millisecond)
	}
}
