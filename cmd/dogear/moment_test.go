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

	"dogear/demo"
)

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
