package main

import (
	"bytes"
	"encoding/json"
	"os/exec"
	"strings"
	"testing"
)

// TestCompletion prints scripts that offer every command and its flags; where the shell is there,
// it reads them.
func TestCompletion(t *testing.T) {
	for _, shell := range []string{"bash", "zsh", "fish"} {
		cmd := program("completion", shell)
		out, err := cmd.Output()
		if err != nil {
			t.Fatal(shell, err)
		}
		for _, want := range []string{"pickup", "landmarks", "loose-top", "in-place", "kept"} {
			if !bytes.Contains(out, []byte(want)) {
				t.Errorf("%s does not offer %s", shell, want)
			}
		}
		path, err := exec.LookPath(shell)
		if err != nil {
			continue
		}
		check := exec.Command(path, "-n")
		check.Stdin = bytes.NewReader(out)
		if text, err := check.CombinedOutput(); err != nil {
			t.Errorf("%s: %v %s", shell, err, text)
		}
	}
}

// TestJSONErrors answers programs in JSON when a command is written wrong too, and names what a
// value is in every help.
func TestJSONErrors(t *testing.T) {
	for _, args := range [][]string{{"layers", "--json"}, {"layers", "x", "--json", "--bogus"},
		{"pickup", "--json"}, {"backup", "--json"}, {"explain", "--json", "--line", "much", "x"}} {
		cmd := program(args...)
		var errs bytes.Buffer
		cmd.Stderr = &errs
		_ = cmd.Run()
		var e struct {
			Error struct{ Code, Message string }
		}
		if err := json.Unmarshal(errs.Bytes(), &e); err != nil || e.Error.Code != "usage" ||
			e.Error.Message == "" || cmd.ProcessState.ExitCode() != 2 {
			t.Errorf("%v: %s (%v)", args, &errs, cmd.ProcessState)
		}
	}
	for _, c := range []string{"open", "serve", "alive", "apply", "pickup", "touch", "bind", "cue",
		"backup", "restore", "explain", "rehearse", "handshake"} {
		out, err := program(c, "--help").Output()
		if err != nil {
			t.Fatal(c, err)
		}
		for _, word := range []string{"FLOAT-64", "=INT", "=STRING"} {
			if strings.Contains(string(out), word) {
				t.Errorf("%s: its help says %s", c, word)
			}
		}
	}
}
