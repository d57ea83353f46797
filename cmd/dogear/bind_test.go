package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dogear/demo"
)

// TestBindCommand binds the harbour wall, coarse to 18 mm and fine above.
func TestBindCommand(t *testing.T) {
	coarse, fine, out := walls(t)
	code, stdout, stderr := dogear(t, "bind", coarse+":1-60", fine+":120-", "-o", out, "--json",
		"--joint", "nozzle", "--nozzle", "0.25", "--dz", "-0.04")
	if code != 0 {
		t.Fatal(code, stderr)
	}
	var rep struct {
		Format string
		Bytes  int64
		Pieces []struct {
			File     string
			From, To int
			OutLines [2]int64 `json:"out_lines"`
		}
		Joints []struct {
			Z      float64
			Below  int      `json:"below_layer"`
			Above  int      `json:"above_layer"`
			Lines  [2]int64 `json:"out_lines"`
			Shared []struct {
				Z     float64
				Below int `json:"below_layer"`
				Above int `json:"above_layer"`
			}
		}
	}
	if err := json.Unmarshal([]byte(stdout), &rep); err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(out)
	if err != nil || int64(len(text)) != rep.Bytes || rep.Format != "dogear-bind/1" {
		t.Fatal(err, rep)
	}
	if len(rep.Pieces) != 2 || rep.Pieces[1].To != 171 || len(rep.Joints) != 1 ||
		rep.Joints[0].Z != 18 || len(rep.Joints[0].Shared) != 85 {
		t.Errorf("%+v", rep)
	}
	lines := strings.Split(string(text), "\n")
	j := rep.Joints[0]
	if first, last := lines[j.Lines[0]-1], lines[j.Lines[1]-1]; !strings.HasPrefix(first,
		"; dogear joint 1: nozzle swap") || last != "; dogear joint 1 ends" {
		t.Errorf("%q … %q", first, last)
	}
	for _, want := range []string{"0.25 mm nozzle hot", "G1 Z17.96", "G92 Z18"} {
		if !strings.Contains(strings.Join(lines[j.Lines[0]-1:j.Lines[1]], "\n"), want) {
			t.Errorf("%q is not in the joint", want)
		}
	}
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{coarse + ":1-60", fine + ":119-", "-o", out + "2"}, 1,
			"The nearest height that both share is 18.00 mm"},
		{[]string{coarse + ":1-60", fine + ":120-", "-o", out}, 1, "--force"},
		{[]string{coarse + ":1-60", fine + ":120-", "-o", fine, "--force"}, 1, "never"},
		{[]string{coarse, fine + ":120-", "-o", out + "2"}, 2, "FILE:FROM-TO"},
		{[]string{coarse + ":1-60", fine + ":120-0", "-o", out + "2"}, 2, "no layers"},
		{[]string{coarse + ":1-60", fine + ":120-", "-o", out + "2", "--joint", "glue"}, 2,
			"nothing, nozzle or colour"},
		{[]string{coarse + ":1-60", fine + ":120-", "-o", out + "2", "--joint", "nozzle,nozzle"}, 2,
			"2 joints are described"},
		{[]string{coarse + ":1-60", "-o", out + "2"}, 1, "two or more"},
	} {
		t.Run(c.says, func(t *testing.T) {
			code, _, stderr := dogear(t, append([]string{"bind"}, c.args...)...)
			if code != c.code || !strings.Contains(stderr, c.says) {
				t.Errorf("%v: %d %q, want %d with %q", c.args, code, stderr, c.code, c.says)
			}
			if _, err := os.Stat(out + "2"); err == nil {
				t.Errorf("%v: a file was written all the same", c.args)
			}
		})
	}
}

// walls are two slicings of the harbour wall, and where they are bound.
func walls(t *testing.T) (coarse, fine, out string) {
	t.Helper()
	dir := t.TempDir()
	for name, h := range map[string]float64{"coarse": 0.3, "fine": 0.15} {
		file, _ := demo.Slice(demo.HarbourWall(h), demo.DialectNamed("resetting"))
		if err := os.WriteFile(filepath.Join(dir, name+".gcode"), file, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return filepath.Join(dir, "coarse.gcode"), filepath.Join(dir, "fine.gcode"),
		filepath.Join(dir, "wall.gcode")
}

// TestBindHeadsUp announces a joint some minutes before it, and counts the lines it puts in.
func TestBindHeadsUp(t *testing.T) {
	coarse, fine, out := walls(t)
	for _, c := range []struct {
		args []string
		want int // heads-ups
	}{
		{[]string{coarse + ":1-60", fine + ":120-", "--heads-up", "3"}, 0}, // nothing stops there
		{[]string{coarse + ":1-60", fine + ":120-", "--heads-up", "3", "--joint", "nozzle"}, 1},
		{[]string{coarse + ":1-20", fine + ":40-81", coarse + ":42-", "--heads-up", "2", "--joint",
			"nozzle,nozzle", "--nozzle", "0.25,0.4"}, 2},
		// The piece between is laid in less time than that.
		{[]string{coarse + ":1-20", fine + ":40-43", coarse + ":23-", "--heads-up", "5", "--joint",
			"nozzle"}, 1},
	} {
		t.Run(fmt.Sprint(c.want, " heads-ups"), func(t *testing.T) {
			code, stdout, stderr := dogear(t, append(append([]string{"bind"}, c.args...),
				"-o", out, "--json", "--force")...)
			if code != 0 {
				t.Errorf("%v: %d %s", c.args, code, stderr)
				return
			}
			var rep struct {
				Joints []struct {
					Lines [2]int64 `json:"out_lines"`
				}
				Findings []struct{ Code string }
			}
			if err := json.Unmarshal([]byte(stdout), &rep); err != nil {
				t.Fatal(err)
			}
			text, err := os.ReadFile(out)
			if err != nil {
				t.Fatal(err)
			}
			n := 0
			lines := strings.Split(string(text), "\n")
			for _, l := range lines {
				if strings.HasPrefix(l, "; dogear joint ") && strings.Contains(l, " announced: ") {
					n++
				}
			}
			if n != c.want {
				t.Errorf("%v: %d heads-ups, want %d", c.args, n, c.want)
			}
			for i, j := range rep.Joints {
				if first := lines[j.Lines[0]-1]; !strings.HasPrefix(first, "; dogear joint "+
					string(rune('1'+i))) {
					t.Errorf("%v: joint %d begins with %q", c.args, i+1, first)
				}
			}
			late := strings.Contains(stdout, "heads-up-left-out")
			if stops := strings.Count(string(text), "\nM0 "); late != (c.want > 0 && n < stops) {
				t.Errorf("%v: %d of %d announced: %s", c.args, n, stops, stdout)
			}
			if strings.Contains(strings.Join(c.args, " "), ",0.4") &&
				!strings.Contains(string(text), "0.4 mm nozzle") {
				t.Errorf("%v: the second nozzle is not the one that was asked for", c.args)
			}
		})
	}
}

// TestBindStdin takes a piece from standard input: the same comes out as of a file.
func TestBindStdin(t *testing.T) {
	coarse, fine, out := walls(t)
	if code, _, text := dogear(t, "bind", coarse+":1-60", fine+":120-", "-o", out); code != 0 {
		t.Fatal(text)
	}
	f, err := os.Open(coarse)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	cmd := program("bind", "-:1-60", fine+":120-", "-o", out+"2")
	cmd.Stdin = f
	if text, err := cmd.CombinedOutput(); err != nil {
		t.Fatal(err, string(text))
	}
	a, b := read1(t, out), read1(t, out+"2")
	if !bytes.Equal(bytes.ReplaceAll(a, []byte("coarse.gcode"), []byte("print.gcode")), b) {
		t.Errorf("%d bytes of a file, %d of standard input", len(a), len(b))
	}
}
