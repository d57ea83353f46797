//go:build unix

package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dogear/core/layer"
	"dogear/demo"
)

// TestFolders watches two folders, each with its plan, and says on the shelf what was done in
// which.
func TestFolders(t *testing.T) {
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	top := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", top)
	var args []string
	for i, name := range []string{"quay", "pier"} {
		dir, plan := filepath.Join(top, name), filepath.Join(top, name+".json")
		if err := os.Mkdir(dir, 0o700); err != nil {
			t.Fatal(err)
		}
		write1(t, plan, fmt.Appendf(nil, `{"format":"dogear-plan/1","ears":[{"id":"%s",`+
			`"before_layer":%d,"kind":"insert"}]}`, name, 20+i))
		args = append(args, "--watch", dir, "--plan", plan)
	}
	h := serveAt(t, filepath.Join(top, "data"), args...)
	for _, name := range []string{"quay", "pier"} {
		write1(t, filepath.Join(top, name, "wall.gcode"), file)
	}
	page := ""
	for until := time.Now().Add(30 * time.Second); time.Now().Before(until); {
		if _, page = h.get("/"); strings.Count(page, "1 ear placed") == 2 {
			break
		}
		time.Sleep(200 * time.Millisecond)
	}
	for i, name := range []string{"quay", "pier"} {
		got := read1(t, filepath.Join(top, name, "wall.gcode"))
		if !bytes.Contains(got, []byte("; dogear ear "+name)) {
			t.Errorf("%s got another plan, or none", name)
		}
		if want := fmt.Sprintf("layer %d", 20+i); !strings.Contains(page, want) {
			t.Errorf("the shelf says nothing of %s in %s", want, name)
		}
	}
	// A folder has one plan, and a folder without one is no folder to watch.
	for _, args := range [][]string{{"--watch", top}, {"--watch", top, "--plan",
		filepath.Join(top, "quay.json"), "--watch", top, "--plan", filepath.Join(top, "pier.json")}} {
		cmd := program(append([]string{"serve", "--port", "0", "--data", t.TempDir()}, args...)...)
		if out, err := cmd.CombinedOutput(); err == nil || cmd.ProcessState.ExitCode() != 2 {
			t.Errorf("%v: %v %s", args, err, out)
		}
	}
}

// TestPlaced tells of marks that have found no place too.
func TestPlaced(t *testing.T) {
	rep := &editReport{Ears: make([]earReport, 2), Findings: []layer.Finding{{Code: "moved"},
		{Code: "not-placed"}}}
	if got := placed(rep); got != "2 ears placed, 1 not found" {
		t.Error(got)
	}
	rep.Findings = rep.Findings[:1]
	if got := placed(rep); got != "2 ears placed" {
		t.Error(got)
	}
}
