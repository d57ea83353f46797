package main

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dogear/demo"
)

// asProgram in the environment makes the test binary be the program itself.
const asProgram = "DOGEAR_TEST_AS_PROGRAM"

// program is the program itself, to be run.
func program(args ...string) *exec.Cmd {
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), asProgram+"=1")
	return cmd
}

// writesOn writes without end.
func writesOn(w io.Writer) error {
	for {
		if _, err := fmt.Fprintln(w, "G1 X1"); err != nil {
			return err
		}
		time.Sleep(time.Millisecond)
	}
}

// TestMain lets the test binary be the program itself, where it is asked for, and keeps what
// is remembered of files written in place out of the person's own
// settings.
func TestMain(m *testing.M) {
	if os.Getenv(asProgram) != "" {
		os.Exit(run(os.Args[1:]))
	}
	if out := os.Getenv("DOGEAR_TEST_WRITES"); out != "" { // until somebody ends it
		defer underWay.arm()()
		os.Exit(map[bool]int{false: 1}[create(out, nil, false, writesOn) == nil])
	}
	dir, err := os.MkdirTemp("", "dogear-test-*")
	if err != nil {
		panic(err)
	}
	os.Setenv("XDG_CONFIG_HOME", dir)
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// bay is a folder that is watched, with a clock of its own.
type bay struct {
	t    *testing.T
	dir  string
	plan string
	w    *watcher
	at   time.Time
	told []string
}

const earAt6 = `{"format":"dogear-plan/1","ears":[{"id":"a1","at_height":6,"kind":"insert"}]}`

func newBay(t *testing.T) *bay {
	b := &bay{t: t, dir: t.TempDir(), plan: filepath.Join(t.TempDir(), "plan.json"), at: time.Now()}
	b.put(b.plan, []byte(earAt6))
	return b
}

// watch begins to watch, or to watch again.
func (b *bay) watch() {
	b.t.Helper()
	w, err := newWatcher(b.dir, b.plan, b.plan+".memory", func(file, text string, err error) {
		if err != nil {
			text = err.Error()
		}
		b.told = append(b.told, file+": "+text)
	})
	if err != nil {
		b.t.Fatal(err)
	}
	w.now = func() time.Time { return b.at }
	b.w = w
}

func (b *bay) put(name string, data []byte) {
	b.t.Helper()
	if err := os.WriteFile(name, data, 0o600); err != nil {
		b.t.Fatal(err)
	}
	// Times of files are those of the test's clock.
	if err := os.Chtimes(name, b.at, b.at); err != nil {
		b.t.Fatal(err)
	}
}

func (b *bay) file(name string) string { return filepath.Join(b.dir, name) }

// wait lets time go by, second by second.
func (b *bay) wait(d time.Duration) {
	for end := b.at.Add(d); b.at.Before(end); b.at = b.at.Add(time.Second) {
		b.w.lookOnce(b.t.Context())
	}
}

func (b *bay) read(name string) string {
	got, err := os.ReadFile(b.file(name))
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		b.t.Fatal(err)
	}
	return string(got)
}

func wall(t *testing.T) []byte {
	t.Helper()
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	return file
}

// TestWatchSlow writes a file with pauses. Nothing may be done to it before it is whole.
func TestWatchSlow(t *testing.T) {
	b, file := newBay(t), wall(t)
	b.watch()
	name := b.file("wall.gcode")
	for part := 1; part <= 8; part++ {
		b.put(name, file[:len(file)*part/9])
		b.wait(5 * time.Second) // longer than is usual
		if got := b.read("wall.gcode"); got != string(file[:len(file)*part/9]) || len(b.told) > 0 {
			t.Fatalf("part %d was touched: %q", part, b.told)
		}
	}
	b.put(name, file)
	b.wait(10 * time.Second)
	if len(b.told) != 1 || !strings.Contains(b.read("wall.gcode"), "; dogear ear a1") ||
		b.read("wall.gcode.orig") != string(file) {
		t.Fatalf("%q", b.told)
	}
	// A file that ends in the middle, for good, is left alone and said to be so, once.
	b.put(b.file("half.gcode"), file[:len(file)/2])
	b.wait(3 * time.Minute)
	if len(b.told) != 2 || !strings.Contains(b.told[1], "ends in the middle") ||
		b.read("half.gcode") != string(file[:len(file)/2]) || b.read("half.gcode.orig") != "" {
		t.Fatalf("%q", b.told)
	}
	// One in which nothing says that it is over is waited for longer.
	open := bytes.Join(bytes.Split(file, []byte("\nM104 S0"))[:1], nil)
	open = append(open[:bytes.LastIndex(open, []byte("\nG1 "))], '\n')
	b.put(b.file("open.gcode"), open)
	b.wait(10 * time.Second)
	if c := b.w.coming["open.gcode"]; c == nil || c.wait != openQuiet {
		t.Errorf("it is read again every second: %+v", c)
	}
	b.wait(40 * time.Second)
	if len(b.told) != 2 {
		t.Fatalf("%q", b.told)
	}
	b.wait(20 * time.Second)
	if len(b.told) != 3 || !strings.Contains(b.read("open.gcode"), "; dogear ear a1") {
		t.Fatalf("%q", b.told)
	}
}

// TestWatchRemembers takes the folder away for a moment, and the watcher for longer.
func TestWatchRemembers(t *testing.T) {
	b, file := newBay(t), wall(t)
	b.put(b.file("old.gcode"), file)
	b.watch()
	b.wait(10 * time.Second)
	away := b.dir + ".away"
	for range 2 {
		if err := os.Rename(b.dir, away); err != nil {
			t.Fatal(err)
		}
		b.wait(5 * time.Second)
		if err := os.Mkdir(b.dir, 0o700); err != nil { // an empty place where it is mounted
			t.Fatal(err)
		}
		b.wait(5 * time.Second)
		if err := errors.Join(os.Remove(b.dir), os.Rename(away, b.dir)); err != nil {
			t.Fatal(err)
		}
		b.wait(10 * time.Second)
	}
	if len(b.told) > 0 || b.read("old.gcode") != string(file) {
		t.Fatalf("what lay there was edited: %q", b.told)
	}
	// Killed while a file was being edited: it is taken up again, and what lay around is
	// swept.
	b.put(b.file("new.gcode"), file)
	b.w.lookOnce(t.Context()) // seen
	b.put(b.file(".dogear-123"), file[:1000])
	b.at = b.at.Add(time.Hour)
	b.watch()
	b.wait(2 * time.Minute)
	if len(b.told) != 1 || !strings.Contains(b.read("new.gcode"), "; dogear ear a1") {
		t.Errorf("%q", b.told)
	}
	if b.read("old.gcode") != string(file) {
		t.Error("what lay there was edited")
	}
	b.at = b.at.Add(2 * time.Hour)
	b.wait(time.Second)
	if _, err := os.Stat(b.file(".dogear-123")); err == nil {
		t.Error("a stray stays")
	}
	// After a restart nothing is new.
	b.watch()
	b.wait(time.Minute)
	if len(b.told) != 1 {
		t.Errorf("%q", b.told)
	}
}

// TestWatchMended refuses a file because of the plan, and takes it when the plan is mended.
func TestWatchMended(t *testing.T) {
	b, file := newBay(t), wall(t)
	b.put(b.plan, []byte(strings.Replace(earAt6, "6,", "600,", 1)))
	b.watch()
	b.put(b.file("wall.gcode"), file)
	b.wait(time.Minute)
	if len(b.told) != 1 || b.read("wall.gcode") != string(file) {
		t.Fatalf("%q", b.told)
	}
	b.put(b.plan, []byte(earAt6))
	b.watch() // mended while nobody watched
	b.wait(10 * time.Second)
	if len(b.told) != 2 || !strings.Contains(b.told[1], "1 ear placed") {
		t.Fatalf("%q", b.told)
	}
}
