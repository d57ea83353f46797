package main

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"dogear/demo"
)

// TestInPlaceReplaces has nothing of a file open any more when another takes its place, which some
// systems refuse, and leaves all as it was where it does not get there.
func TestInPlaceReplaces(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", dir)
	file, plan := filepath.Join(dir, "wall.gcode"), filepath.Join(dir, "plan.json")
	text, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	write1(t, file, text)
	mark := func(layer string) {
		write1(t, plan, []byte(`{"format":"dogear-plan/1","ears":[{"id":"a","before_layer":`+layer+
			`,"kind":"insert"}]}`))
	}
	t.Cleanup(func() { replace = os.Rename })
	refused := errors.New("access denied")
	replace = func(string, string) error { return refused }
	mark("20")
	if _, err := inPlace(file, plan, inPlaceHow{}); err == nil {
		t.Error("it says nothing")
	}
	if list, _ := filepath.Glob(filepath.Join(dir, "*wall*")); len(list) != 1 ||
		!bytes.Equal(read1(t, file), text) {
		t.Errorf("left behind: %v", list)
	}
	replace = func(from, to string) error {
		fds, err := os.ReadDir("/proc/self/fd")
		if err != nil {
			return err
		}
		for _, fd := range fds {
			if at, _ := os.Readlink("/proc/self/fd/" + fd.Name()); at == to || at == from {
				t.Errorf("%s is open while it is replaced", at)
			}
		}
		return os.Rename(from, to)
	}
	for _, layer := range []string{"20", "21"} { // the second time its own marks are taken out first
		mark(layer)
		if _, err := inPlace(file, plan, inPlaceHow{}); err != nil {
			t.Fatal(err)
		}
	}
	if !bytes.Equal(read1(t, file+origSuffix), text) {
		t.Error("what it was does not lie beside it")
	}
}
