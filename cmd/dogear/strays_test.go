//go:build unix

package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"
)

// TestCtrlC ends a command while it writes: nothing is left, neither OUT nor what was to become it.
func TestCtrlC(t *testing.T) {
	for _, sig := range []os.Signal{os.Interrupt, syscall.SIGTERM} {
		dir := t.TempDir()
		cmd := exec.Command(os.Args[0])
		cmd.Env = append(os.Environ(), "DOGEAR_TEST_WRITES="+filepath.Join(dir, "out.gcode"))
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		begun := false
		for until := time.Now().Add(20 * time.Second); !begun && time.Now().Before(until); {
			list, err := filepath.Glob(filepath.Join(dir, ".dogear-*"))
			if begun = len(list) > 0; err != nil {
				t.Fatal(err)
			}
			time.Sleep(5 * time.Millisecond)
		}
		if err := cmd.Process.Signal(sig); err != nil {
			t.Fatal(err)
		}
		_ = cmd.Wait()
		list, err := os.ReadDir(dir)
		if err != nil || !begun || len(list) > 0 || cmd.ProcessState.ExitCode() != interrupted {
			t.Errorf("%v: begun %v, left %v, %v", sig, begun, list, cmd.ProcessState)
		}
	}
}

// TestScratch leaves no name behind, while it is used and after.
func TestScratch(t *testing.T) {
	dir := t.TempDir()
	f, done, err := scratchFile(dir)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := f.WriteString("tide"); err != nil {
		t.Error(err)
	}
	for range 2 {
		if list, err := os.ReadDir(dir); err != nil || len(list) > 0 {
			t.Errorf("%v %v", list, err)
		}
		done()
	}
}
