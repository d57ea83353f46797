//go:build unix

package main

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

// TestOut writes onto what somebody could name by mistake, or on purpose.
func TestOut(t *testing.T) {
	file, plan, out := files(t, twoEars)
	dir := filepath.Dir(out)
	apply := func(to string) (int, string) {
		status, _, errs := dogear(t, "apply", file, "--plan", plan, "--force", "-o", to)
		return status, errs
	}
	before, err := os.ReadFile(plan)
	if err != nil {
		t.Fatal(err)
	}
	if status, errs := apply(plan); status != 1 || !strings.Contains(errs, "which is read here") {
		t.Error(status, errs)
	}
	if now, err := os.ReadFile(plan); err != nil || string(now) != string(before) {
		t.Error("the plan was written over", err)
	}
	if status, errs := apply(dir); status != 1 || !strings.Contains(errs, "is a folder") {
		t.Error(status, errs)
	}
	// A link stays one, and leads to the file.
	link, real := filepath.Join(dir, "link.gcode"), filepath.Join(dir, "real.gcode")
	if err := os.Symlink("real.gcode", link); err != nil {
		t.Fatal(err)
	}
	if status, errs := apply(link); status != 0 {
		t.Error(status, errs)
	}
	st, err := os.Lstat(link)
	if err != nil || st.Mode()&os.ModeSymlink == 0 {
		t.Error("the link was replaced", err)
	}
	if b, err := os.ReadFile(real); err != nil || !strings.Contains(string(b), "; dogear ear ") {
		t.Error("the link leads to no file", err)
	}
	// A pipe is written into.
	pipe := filepath.Join(dir, "pipe")
	if err := syscall.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	got := make(chan string)
	go func() {
		b, _ := os.ReadFile(pipe)
		got <- string(b)
	}()
	if status, errs := apply(pipe); status != 0 {
		t.Error(status, errs)
	}
	if text := <-got; !strings.Contains(text, "; dogear ear ") {
		t.Error("nothing came out of the pipe")
	}
	// The umask holds.
	old := syscall.Umask(0o027)
	status, errs := apply(out)
	syscall.Umask(old)
	if st, err := os.Stat(out); status != 0 || err != nil || st.Mode().Perm() != 0o640 {
		t.Error(status, errs, st.Mode(), err)
	}
	// A folder that is not there is named, not a file that nobody knows; no stray is left.
	status, errs = apply(filepath.Join(dir, "gone", "out.gcode"))
	if status != 1 || strings.Contains(errs, ".dogear-") || !strings.Contains(errs, "out.gcode") {
		t.Error(status, errs)
	}
	strays, _ := filepath.Glob(filepath.Join(dir, ".dogear-*"))
	if len(strays) > 0 {
		t.Error(strays)
	}
}
