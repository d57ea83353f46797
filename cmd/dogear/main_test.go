package main

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dogear/demo"
)

// dogear runs the program and returns its exit status and what it printed.
func dogear(t *testing.T, args ...string) (status int, out, errs string) {
	t.Helper()
	grab := func(f **os.File) func() string {
		old := *f
		r, w, err := os.Pipe()
		if err != nil {
			t.Fatal(err)
		}
		*f = w
		done := make(chan string)
		go func() {
			b, _ := io.ReadAll(r)
			done <- string(b)
		}()
		return func() string {
			w.Close()
			*f = old
			return <-done
		}
	}
	endOut, endErr := grab(&os.Stdout), grab(&os.Stderr)
	status = run(args)
	return status, endOut(), endErr()
}

// files writes a sliced tide gauge and a plan into a fresh folder.
func files(t *testing.T, planText string) (file, plan, out string) {
	t.Helper()
	dir := t.TempDir()
	file, plan, out = filepath.Join(dir, "tide-gauge.gcode"), filepath.Join(dir, "plan.json"),
		filepath.Join(dir, "out.gcode")
	g, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	for name, b := range map[string][]byte{file: g, plan: []byte(planText)} {
		if err := os.WriteFile(name, b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return file, plan, out
}

const twoEars = `{"format":"dogear-plan/1","ears":[{"id":"a1","before_layer":13,"kind":"colour"},` +
	`{"id":"a2","file_number":4,"kind":"insert"}]}`

func TestLayers(t *testing.T) {
	file, _, _ := files(t, "")
	status, out, errs := dogear(t, "layers", file, "--json")
	var r struct {
		Format string
		File   struct {
			Name     string
			LineEnds string `json:"line_ends"`
			EMode    string `json:"e_mode"`
		}
		Marks struct {
			Layer  string
			Offset int `json:"number_offset"`
			Clock  string
			Height *string
		}
		Layers []map[string]any
		Stops  []any
	}
	if err := json.Unmarshal([]byte(out), &r); err != nil || status != 0 || errs != "" {
		t.Fatal(status, errs, err)
	}
	if r.Format != "dogear-layers/1" || r.File.Name != "tide-gauge.gcode" || r.File.LineEnds != "lf" ||
		r.File.EMode != "absolute" || len(r.Layers) != 17 ||
		r.Marks.Layer != "; layer # ---" || r.Marks.Offset != -1 ||
		r.Marks.Clock != "; seconds so far #" || r.Marks.Height != nil || r.Stops == nil {
		t.Errorf("%+v", r)
	}
	for _, k := range []string{"layer", "number", "object", "z", "height", "first_line", "last_line",
		"fold_line", "filament", "seconds", "tool", "nozzle", "bed", "fan", "box"} {
		if _, ok := r.Layers[3][k]; !ok {
			t.Errorf("a layer has no %q", k)
		}
	}
	// The same file packed, and read from nowhere.
	var gz bytes.Buffer
	z := gzip.NewWriter(&gz)
	raw, _ := os.ReadFile(file)
	_, _ = z.Write(raw)
	z.Close()
	packed := file + ".gz"
	if err := os.WriteFile(packed, gz.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	if status, again, _ := dogear(t, "layers", packed, "--json"); status != 0 || again != out {
		t.Error("the packed file reads differently")
	}
	if status, text, _ := dogear(t, "layers", file); status != 0 ||
		!strings.Contains(text, "17 layers, 3.40 mm high") {
		t.Error(status, text)
	}
}

func TestApply(t *testing.T) {
	file, plan, out := files(t, twoEars)
	original, _ := os.ReadFile(file)
	status, report, errs := dogear(t, "apply", file, "--plan", plan, "-o", out, "--json")
	if status != 0 {
		t.Fatal(status, errs)
	}
	var r editReport
	if err := json.Unmarshal([]byte(report), &r); err != nil {
		t.Fatal(err)
	}
	edited, err := os.ReadFile(out)
	if err != nil || r.Format != "dogear-edit/1" || r.Bytes != int64(len(edited)) ||
		len(r.Ears) != 2 || r.Ears[0].ID != "a2" || *r.Ears[0].Layer != 5 || *r.Ears[1].Layer != 13 {
		t.Fatalf("%+v %v", r, err)
	}
	lines := strings.SplitAfter(string(edited), "\n")
	for _, e := range r.Ears {
		if first, last := lines[e.OutLines[0]-1], lines[e.OutLines[1]-1]; !strings.HasPrefix(first,
			"; dogear ear "+e.ID+":") || last != "; dogear ear "+e.ID+" ends\n" {
			t.Errorf("%s: the lines reported are %q … %q", e.ID, first, last)
		}
	}
	if now, _ := os.ReadFile(file); !bytes.Equal(now, original) {
		t.Error("the original was changed")
	}
	if left, _ := filepath.Glob(filepath.Join(filepath.Dir(out), ".dogear-*")); len(left) > 0 {
		t.Error("left behind:", left)
	}
	if status, text, _ := dogear(t, "apply", file, "--plan", plan, "-o", "-"); status != 0 ||
		text != string(edited) {
		t.Error("standard output differs from the file", status)
	}
}

func TestRefusals(t *testing.T) {
	file, plan, out := files(t, twoEars)
	bad := filepath.Join(filepath.Dir(file), "bad.json")
	other := filepath.Join(filepath.Dir(file), "other.json")
	homing := filepath.Join(filepath.Dir(file), "homing.json")
	picture := filepath.Join(filepath.Dir(file), "picture.gcode")
	for name, text := range map[string]string{
		bad:   `{"format":"dogear-plan/1","ears":[{"id":"a","before_layer":99,"kind":"colour"}]}`,
		out:   "mine",
		other: `{"format":"dogear-plan/1","file":{"sha256":"00"},"ears":[]}`,
		homing: `{"format":"dogear-plan/1","ears":[{"id":"a","before_layer":9,"kind":"own lines",` +
			`"lines":["G28"]}]}`,
		picture: "\x89PNG\r\n\x1a\n",
	} {
		if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		name   string
		args   []string
		status int
		want   string
	}{
		{"OUT exists", []string{"apply", file, "--plan", plan, "-o", out}, 1, "--force"},
		{"OUT is FILE", []string{"apply", file, "--plan", plan, "-o", file, "--force"}, 1,
			"never changed"},
		{"OUT is FILE by another name", []string{"apply", file, "--plan", plan, "-o", filepath.Dir(file) +
			"/./tide-gauge.gcode", "--force"}, 1, "never changed"},
		{"no such layer", []string{"apply", file, "--plan", bad, "-o", out, "--force"}, 1, "no layer 99"},
		{"other file", []string{"apply", file, "--plan", other, "-o", out, "--force"}, 1, "--reanchor"},
		{"homes", []string{"apply", file, "--plan", homing, "-o", out, "--force"}, 1, "home or probe"},
		{"picture", []string{"layers", picture}, 1, "picture"},
		{"missing", []string{"layers", file + "x"}, 1, "no such file"},
		{"folder", []string{"layers", filepath.Dir(file)}, 1, "not a file"},
		{"no plan", []string{"apply", file, "-o", out}, 2, "plan"},
		{"no command", []string{"dance"}, 2, "dance"},
		{"line", []string{"explain", file, "--line", "999999"}, 1, "no line"},
		{"other host", []string{"serve", "--host", "0.0.0.0", "--data",
			filepath.Join(filepath.Dir(file), "data")}, 1, "asks for a passphrase"},
		{"a folder without a plan", []string{"serve", "--watch", filepath.Dir(file), "--data",
			filepath.Join(filepath.Dir(file), "data")}, 2, "go together"},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, stdout, errs := dogear(t, c.args...)
			if status != c.status || !strings.Contains(errs, c.want) || stdout != "" && c.status == 1 {
				t.Errorf("status %d, %q %q; want %d with %q", status, stdout, errs, c.status, c.want)
			}
		})
	}
	if b, _ := os.ReadFile(out); string(b) != "mine" {
		t.Errorf("a refused apply left %q", b)
	}
	_, _, errs := dogear(t, "apply", file, "--plan", homing, "-o", out, "--force", "--json")
	var e struct {
		Error struct{ Code, Message string }
	}
	if err := json.Unmarshal([]byte(errs), &e); err != nil || e.Error.Code != "homes-onto-part" ||
		e.Error.Message == "" {
		t.Errorf("%q %v", errs, err)
	}
}

func TestExplain(t *testing.T) {
	file, _, _ := files(t, "")
	status, out, errs := dogear(t, "explain", file, "--line", "60")
	if status != 0 || errs != "" || !strings.Contains(out, "head at X") ||
		!strings.Contains(out, "in layer 1 of 17") {
		t.Error(status, out, errs)
	}
	if _, all, _ := dogear(t, "explain", file); !strings.Contains(all,
		"the file's own mark; it counts layer 2 as 1") || !strings.Contains(all, "the file's clock; it "+
		"closes the layer") {
		t.Error("marks are not explained")
	}
}
