package main

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"dogear/demo"
)

// TestMain lets the test binary be the program itself, where it is asked for, and keeps what
// is remembered of files written in place out of the person's own
// settings.
func TestMain(m *testing.M) {
	if os.Getenv("DOGEAR_TEST_AS_PROGRAM") != "" {
		os.Exit(run(os.Args[1:]))
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
		b.w.step(b.t.Context())
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
	b.w.step(t.Context()) // seen
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

// moment is a context at whose nth look something happens.
type moment struct {
	context.Context
	at, calls int
	do        func()
}

func (m *moment) Err() error {
	if m.calls++; m.calls == m.at {
		m.do()
	}
	return m.Context.Err()
}

// TestInPlaceMoved changes a file in several ways while the plan is laid onto it. What the
// slicer has written meanwhile is never lost.
func TestInPlaceMoved(t *testing.T) {
	file := wall(t)
	finer, _ := demo.Slice(demo.HarbourWall(0.25), demo.DialectNamed("plain"))
	moved := func(name string, at int, meanwhile func(string) error, last *bool) {
		t.Helper()
		dir := t.TempDir()
		planFile, path := filepath.Join(dir, "plan.json"), filepath.Join(dir, "wall.gcode")
		if err := errors.Join(os.WriteFile(planFile, []byte(earAt6), 0o600),
			os.WriteFile(path, file, 0o600)); err != nil {
			t.Fatal(err)
		}
		ctx := &moment{Context: t.Context(), at: at, do: func() {
			if err := meanwhile(path); err != nil {
				t.Fatal(err)
			}
		}}
		_, err := inPlace(path, planFile, inPlaceHow{ctx: ctx})
		if ctx.calls < at { // it was over before
			*last = true
			return
		}
		got, _ := os.ReadFile(path)
		orig, _ := os.ReadFile(path + ".orig")
		switch name {
		case "deleted":
			if err == nil || len(got) > 0 {
				t.Errorf("%s, %d: it came back (%v)", name, at, err)
			}
		case "written anew", "moved over":
			if err != nil || !bytes.Equal(orig, finer) || !bytes.Contains(got, []byte("; dogear ear a1")) {
				t.Errorf("%s, %d: %v", name, at, err)
			}
		case "grown":
			if err != nil || !bytes.HasSuffix(got, []byte("; and more\n")) ||
				!bytes.HasSuffix(orig, []byte("; and more\n")) {
				t.Errorf("%s, %d: %v", name, at, err)
			}
		default:
			if err != nil || !bytes.HasSuffix(got, []byte("; \n")) {
				t.Errorf("%s, %d: %v", name, at, err)
			}
		}
		if left, _ := filepath.Glob(filepath.Join(dir, ".dogear-*")); len(left) > 0 {
			t.Errorf("%s, %d: left behind: %v", name, at, left)
		}
	}
	for name, meanwhile := range map[string]func(string) error{
		"written anew": func(f string) error { return os.WriteFile(f, finer, 0o600) },
		"moved over": func(f string) error {
			return errors.Join(os.WriteFile(f+".new", finer, 0o600), os.Rename(f+".new", f))
		},
		"deleted": os.Remove,
		"grown": func(f string) error {
			w, err := os.OpenFile(f, os.O_APPEND|os.O_WRONLY, 0)
			if err != nil {
				return err
			}
			_, err = w.WriteString("; and more\n")
			return errors.Join(err, w.Close())
		},
		"changed in one place": func(f string) error {
			st, err := os.Stat(f)
			w, werr := os.OpenFile(f, os.O_WRONLY, 0)
			if err = errors.Join(err, werr); err != nil {
				return err
			}
			_, err = w.WriteAt([]byte("; \n"), st.Size()-3)
			return errors.Join(err, w.Close(), os.Chtimes(f, st.ModTime(), st.ModTime()))
		},
	} {
		last := false
		for at := 1; !last; at += 3 {
			moved(name, at, meanwhile, &last)
		}
	}
}

// TestInPlaceLosesNothing leaves files alone that cannot be replaced without loss.
func TestInPlaceLosesNothing(t *testing.T) {
	file := wall(t)
	dir := t.TempDir()
	planFile, path := filepath.Join(dir, "plan.json"), filepath.Join(dir, "wall.gcode")
	put := func(name string, data []byte, mode os.FileMode) {
		t.Helper()
		os.Remove(name)
		if err := errors.Join(os.WriteFile(name, data, 0o600), os.Chmod(name, mode)); err != nil {
			t.Fatal(err)
		}
	}
	read := func(name string) string {
		b, _ := os.ReadFile(name)
		return string(b)
	}
	put(planFile, []byte(earAt6), 0o600)
	refused := func(what, says string) {
		t.Helper()
		code, _, errs := dogear(t, "apply", path, "--plan", planFile, "--in-place")
		if code != 1 || !strings.Contains(errs, says) || !strings.Contains(errs, "left as it is") {
			t.Errorf("%s: %d %q", what, code, errs)
		}
	}
	put(path+".orig", []byte("my own notes\n"), 0o600)
	put(path, file, 0o600)
	refused("FILE.orig of one's own", "did not write it")
	if read(path) != string(file) || read(path+".orig") != "my own notes\n" {
		t.Error("FILE.orig was written over")
	}
	os.Remove(path + ".orig")
	put(path, file, 0o400)
	refused("read-only", "read-only")
	put(path, file, 0o600)
	if runtime.GOOS != "windows" {
		if err := os.Link(path, path+".too"); err != nil {
			t.Fatal(err)
		}
		refused("hard link", "several names")
		os.Remove(path + ".too")
		// Of a link the file it leads to is edited, and the link stays one.
		put(filepath.Join(dir, "real.gcode"), file, 0o640)
		link := filepath.Join(dir, "link.gcode")
		if err := os.Symlink("real.gcode", link); err != nil {
			t.Fatal(err)
		}
		if code, _, errs := dogear(t, "apply", link, "--plan", planFile, "--in-place"); code != 0 {
			t.Fatal(errs)
		}
		if st, err := os.Lstat(link); err != nil || st.Mode()&os.ModeSymlink == 0 {
			t.Error("the link was replaced")
		}
		if !strings.Contains(read(filepath.Join(dir, "real.gcode")), "; dogear ear") ||
			read(filepath.Join(dir, "real.gcode.orig")) != string(file) {
			t.Error("the file behind the link was not edited")
		}
	}
	// Ears of one's own in the file: marked elsewhere, written under its name.
	own := filepath.Join(dir, "own.json")
	put(own, []byte(`{"format":"dogear-plan/1","ears":[{"id":"mine","before_layer":30,`+
		`"kind":"insert"},{"id":"a1","at_height":6,"kind":"insert"}]}`), 0o600)
	plain := filepath.Join(dir, "plain.gcode")
	put(plain, file, 0o600)
	if code, _, errs := dogear(t, "apply", plain, "--plan", own, "-o", path, "--force"); code != 0 {
		t.Fatal(errs)
	}
	marked := read(path)
	refused("ears of one's own", "2 ears")
	if read(path) != marked || read(path+".orig") != "" {
		t.Error("ears of one's own were lost")
	}
	// The same ears as in the plan are not lost; and a plan that was changed since takes the
	// place of what was written by it.
	if code, _, errs := dogear(t, "apply", path, "--plan", own, "--in-place"); code != 0 {
		t.Fatal(errs)
	}
	put(path, file, 0o600)
	os.Remove(path + ".orig")
	if code, _, errs := dogear(t, "apply", path, "--plan", own, "--in-place"); code != 0 {
		t.Fatal(errs)
	}
	if code, _, errs := dogear(t, "apply", path, "--plan", planFile, "--in-place"); code != 0 {
		t.Fatal(errs)
	}
	if strings.Contains(read(path), "ear mine") || read(path+".orig") != string(file) {
		t.Error("the changed plan did not take the place of the old one")
	}
	// And marked once more by hand, with FILE.orig beside it: refused.
	put(own, []byte(strings.ReplaceAll(read(own), "mine", "theirs")), 0o600)
	if code, _, errs := dogear(t, "apply", plain, "--plan", own, "-o", path, "--force"); code != 0 {
		t.Fatal(errs)
	}
	marked = read(path)
	refused("ears of one's own beside FILE.orig", "2 ears")
	if read(path) != marked || read(path+".orig") != string(file) {
		t.Error("ears of one's own were lost")
	}
	// A context that ends stops the edit, and leaves all as it is.
	put(path, file, 0o600)
	ctx, cancel := context.WithCancel(t.Context())
	if _, err := inPlace(path, planFile, inPlaceHow{ctx: &moment{ctx, 4, 0, cancel}}); err == nil ||
		read(path) != string(file) {
		t.Error("it went on", err)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, ".dogear-*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}
