package web_test

import (
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"runtime"
	"runtime/debug"
	"sync"
	"testing"
	"time"

	"dogear/app/runner"
	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestSoak uses a server for as long as DOGEAR_SOAK says, as many people would who come,
// break off and go: memory, goroutines and open files must stay flat. Without it a few
// seconds show that the test itself works.
func TestSoak(t *testing.T) {
	long := 4 * time.Second
	if d, err := time.ParseDuration(os.Getenv("DOGEAR_SOAK")); err == nil {
		long = d
	} else if testing.Short() {
		t.Skip("it takes a while")
	}
	c := webtest.New(t, archive.Limits{})
	dial := c.Listen()
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	wall, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	var ids []int64
	for k := range 6 {
		ids = append(ids, c.Upload(append(bytes.Clone(wall), fmt.Sprintf("; %d\n", k)...), "wall.gcode"))
	}
	end := time.Now().Add(long)
	var all sync.WaitGroup
	turns := make([]int, 6)
	for who := range turns {
		all.Go(func() {
			r := rand.New(rand.NewPCG(uint64(who), 7))
			for time.Now().Before(end) {
				turns[who]++
				someTurn(c, dial, r, ids[r.IntN(len(ids))], file, fmt.Sprint(who, "-", turns[who]))
			}
		})
	}
	// When everything has been used for a while it weighs what it weighs.
	type state struct{ heap, goroutines, files int }
	look := func() state {
		runtime.GC()
		debug.FreeOSMemory()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		fds, _ := os.ReadDir("/proc/self/fd")
		return state{int(m.HeapAlloc >> 20), runtime.NumGoroutine(), len(fds)}
	}
	time.Sleep(long / 4)
	before := look()
	all.Wait()
	time.Sleep(runner.Grace/10 + 500*time.Millisecond)
	after := look()
	t.Logf("%v turns; MB, goroutines, files: %v at a quarter, %v at the end", turns, before, after)
	if after.heap > before.heap*3/2+24 || after.goroutines > before.goroutines+20 ||
		after.files > before.files+20 {
		t.Error("it grows")
	}
}

// someTurn does one of the things that people do.
func someTurn(c *webtest.Client, dial func() *webtest.Wire, r *rand.Rand, id int64, file []byte,
	name string) {
	p := fmt.Sprintf("/prints/%d", id)
	w := dial()
	defer w.Close()
	get := func(path string) {
		io.WriteString(w, c.Head("GET", path))
	}
	switch r.IntN(9) {
	case 0, 1: // looks, and may go before the answer
		get([]string{"/", p, p + "/proof", p + "/lines", "/kit", p + "/cue", p + "/pickup",
			p + "/layers/9"}[r.IntN(8)])
		if r.IntN(2) == 0 {
			w.Answer(c.T)
		}
	case 2: // marks
		body := fmt.Sprintf("where=%d&kind=insert", 2+r.IntN(80))
		io.WriteString(w, c.Head("POST", p+"/ears", "Content-Type: application/x-www-form-urlencoded",
			"HX-Request: true",
			fmt.Sprint("Content-Length: ", len(body)))+body)
		w.Answer(c.T)
	case 3: // takes it back
		for range 3 {
			v := dial()
			io.WriteString(v, c.Head("POST", p+"/undo", "HX-Request: true", "Content-Length: 0"))
			v.Answer(c.T)
			v.Close()
		}
	case 4: // brings a file, whole or half, and takes it off again
		n := len(file)
		if r.IntN(2) == 0 {
			n /= 2
		}
		extra := []byte("\n; " + name + "\n")
		io.WriteString(w, c.Head("POST", "/prints", fmt.Sprint("Content-Length: ", len(file)+len(extra))))
		w.Write(file[:n])
		if n < len(file) {
			return
		}
		w.Write(extra)
		_, body := w.Answer(c.T)
		var k int64
		if _, err := fmt.Sscanf(body, `{"id":%d`, &k); err == nil {
			for _, do := range []string{"remove", "delete"} {
				v := dial()
				io.WriteString(v, c.Head("POST", fmt.Sprintf("/prints/%d/%s", k, do), "Content-Length: 0"))
				v.Answer(c.T)
				v.Close()
			}
		}
	case 5: // listens for a moment
		get(p + "/events")
		_ = w.SetReadDeadline(time.Now().Add(300 * time.Millisecond))
		_, _ = io.Copy(io.Discard, w.In)
	case 6: // writes the file, or a part of it
		get(p + "/write")
		if r.IntN(3) > 0 {
			w.Answer(c.T)
		}
	case 7: // rehearses
		get(p + "/rehearse")
		w.Answer(c.T)
		v := dial()
		io.WriteString(v, c.Head("GET", p+"/rehearse/events"))
		_ = v.SetReadDeadline(time.Now().Add(300 * time.Millisecond))
		_, _ = io.Copy(io.Discard, v.In)
		v.Close()
	case 8: // says nothing, or nonsense
		if r.IntN(2) == 0 {
			io.WriteString(w, "GET / HTTP/9\r\n\r\n\x00\x01")
		}
		_ = w.Conn.(*net.TCPConn).CloseWrite()
		_ = w.SetReadDeadline(time.Now().Add(50 * time.Millisecond))
		_, _ = io.Copy(io.Discard, w.In)
	}
}
