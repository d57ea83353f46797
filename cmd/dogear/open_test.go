//go:build unix

package main

import (
	"bufio"
	"bytes"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"dogear/demo"
)

// TestOpen starts without a command on a free port, says how to end it, and is found by the next
// one, which brings a file onto its shelf and opens that print in the browser.
func TestOpen(t *testing.T) {
	dir := t.TempDir()
	shown := filepath.Join(dir, "shown")
	browser := filepath.Join(dir, "browser")
	if err := os.WriteFile(browser, []byte("#!/bin/sh\necho \"$1\" >> '"+shown+"'\n"),
		0o700); err != nil { // #nosec: it is to be run
		t.Fatal(err)
	}
	t.Setenv("BROWSER", browser)
	data := filepath.Join(dir, "data")
	first := program("--data", data)
	out, err := first.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := first.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = first.Process.Kill()
		_ = first.Wait()
	})
	lines := bufio.NewScanner(out)
	said := func() string {
		t.Helper()
		if !lines.Scan() {
			t.Fatal("it says no more: ", lines.Err())
		}
		return lines.Text()
	}
	base := regexp.MustCompile(`http://\S+`).FindString(said())
	if base == "" {
		t.Fatal("it names no address")
	}
	if l := said(); !strings.Contains(l, "Ctrl+C") {
		t.Errorf("it does not say how to end it: %q", l)
	}
	for until := time.Now().Add(20 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		if page, _ := os.ReadFile(shown); strings.TrimSpace(string(page)) == base {
			break
		}
		if time.Now().After(until) {
			t.Fatal("the shelf was not opened in the browser")
		}
	}
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	gauge, letter := filepath.Join(dir, "tide gauge.gcode"), filepath.Join(dir, "letter.gcode")
	for name, text := range map[string][]byte{gauge: file, letter: []byte("Dear harbour master,\n")} {
		if err := os.WriteFile(name, text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		files  []string
		status int
		out    string
		errs   string
		opens  string
	}{
		{[]string{gauge}, 0, "open already at " + base, "", base + "/prints/1"},
		{nil, 0, "open already at " + base, "", base},
		{[]string{letter}, 1, "open already at", "letter.gcode: There is no G-code", base},
		{[]string{gauge, gauge}, 0, "", "", base},
		{[]string{filepath.Join(dir, "no such")}, 2, "", "no file and no command", ""},
		{[]string{dir}, 2, "", "no file and no command", ""},
	} {
		_ = os.Remove(shown)
		next := program(append(c.files, "--data", data)...)
		var stdout, stderr bytes.Buffer
		next.Stdout, next.Stderr = &stdout, &stderr
		_ = next.Run()
		page, _ := os.ReadFile(shown)
		if got := next.ProcessState.ExitCode(); got != c.status ||
			!strings.Contains(stdout.String(), c.out) || !strings.Contains(stderr.String(), c.errs) ||
			strings.TrimSpace(string(page)) != c.opens {
			t.Errorf("%v: %d %q %q, opened %q", c.files, got, stdout.String(), stderr.String(), page)
		}
	}
	r, err := http.Get(base + "/prints/1")
	if err != nil {
		t.Fatal(err)
	}
	r.Body.Close()
	if r.StatusCode != http.StatusOK {
		t.Error("the print is not there: ", r.Status)
	}
	// One that has ended is not gone on in.
	_ = first.Process.Kill()
	_ = first.Wait()
	again := program("--data", data, "--no-browser")
	if out, err = again.StdoutPipe(); err != nil {
		t.Fatal(err)
	}
	if err := again.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = again.Process.Kill()
		_ = again.Wait()
	})
	lines = bufio.NewScanner(out)
	if l := said(); !strings.Contains(l, "Dogear is open at http://") {
		t.Errorf("it does not start anew: %q", l)
	}
	said()
	if l := said(); !strings.Contains(l, "in your browser") {
		t.Errorf("it does not say what to open: %q", l)
	}
}
