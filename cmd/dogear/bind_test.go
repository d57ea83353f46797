package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dogear/demo"
)

// TestBindCommand binds the harbour wall, coarse to 18 mm and fine above.
func TestBindCommand(t *testing.T) {
	dir := t.TempDir()
	for name, h := range map[string]float64{"coarse": 0.3, "fine": 0.15} {
		file, _ := demo.Slice(demo.HarbourWall(h), demo.DialectNamed("resetting"))
		if err := os.WriteFile(filepath.Join(dir, name+".gcode"), file, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	coarse, fine, out := filepath.Join(dir, "coarse.gcode"), filepath.Join(dir, "fine.gcode"),
		filepath.Join(dir, "wall.gcode")
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
		code, _, stderr := dogear(t, append([]string{"bind"}, c.args...)...)
		if code != c.code || !strings.Contains(stderr, c.says) {
			t.Errorf("%v: %d %q, want %d with %q", c.args, code, stderr, c.code, c.says)
		}
		if _, err := os.Stat(out + "2"); err == nil {
			t.Errorf("%v: a file was written all the same", c.args)
		}
	}
}
