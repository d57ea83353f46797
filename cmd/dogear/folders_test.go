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

	"dogear/core/finding"
	"dogear/demo"
)

// TestFolders watches two folders, each with its plan, and says on the shelf what was done in
// which.
func TestFolders(t *testing.T) {
	if testing.Short() {
		t.Skip("it waits for seconds")
	}
	t.Parallel()
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	top := t.TempDir()
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

// TestPlaced tells by what marks have found their places, and of those that have found none.
func TestPlaced(t *testing.T) {
	height, both := finding.Finding{Code: "moved", By: finding.ByHeight},
		finding.Finding{Code: "moved", By: finding.ByBoth}
	lost := finding.Finding{Code: "not-placed"}
	for _, c := range []struct {
		ears  int
		finds []finding.Finding
		want  string
	}{
		{2, nil, "2 ears placed"},
		{2, []finding.Finding{{Code: "drag"}, lost}, "2 ears placed, 1 not found"},
		{2, []finding.Finding{height, height}, "2 ears placed by height"},
		{3, []finding.Finding{height, both, height, lost},
			"3 ears placed: 2 by height, 1 by height and landmark, 1 not found"},
	} {
		t.Run(c.want, func(t *testing.T) {
			got := placed(&editReport{Ears: make([]earReport, c.ears), Findings: c.finds})
			if got != c.want {
				t.Errorf("%q, want %q", got, c.want)
			}
		})
	}
}
