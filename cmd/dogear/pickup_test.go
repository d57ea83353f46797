package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestPickup(t *testing.T) {
	file, _, out := files(t, "")
	status, text, errs := dogear(t, "pickup", file, "--touch", "1.43", "--percent", "33", "--dz",
		"-0.05", "--ease", "2,80%,+5", "--prime", "15@20,20", "-o", out, "--json")
	if status != 0 {
		t.Fatal(status, errs)
	}
	var r pickupReport
	if err := json.Unmarshal([]byte(text), &r); err != nil {
		t.Fatal(err)
	}
	if r.Format != "dogear-pickup/1" || r.Start.Layer != 8 || r.LastKept.Layer != 7 ||
		r.LastKept.Z != 1.4 || r.Start.Line == 0 || len(r.Opening) < 15 || r.Bytes == 0 {
		t.Errorf("%+v", r)
	}
	written, err := os.ReadFile(out)
	if err != nil || int64(len(written)) != r.Bytes || !strings.Contains(string(written),
		"\nG1 X20 Y20 F6000") || !strings.Contains(string(written), "\nM220 S80") {
		t.Errorf("%v %.400s", err, written)
	}
	// Two places: the candidates are printed, nothing is written.
	other := filepath.Join(filepath.Dir(out), "other.gcode")
	status, text, errs = dogear(t, "pickup", file, "--caliper", "1.5", "-o", other, "--json")
	if json.Unmarshal([]byte(text), &r) != nil || status != 1 || len(r.Candidates) < 2 ||
		!strings.Contains(errs, `"code":"not-one-place"`) {
		t.Error(status, text, errs)
	}
	if _, err := os.Stat(other); err == nil {
		t.Error("a file was written all the same")
	}
	for _, c := range []struct {
		args []string
		code int
		want string
	}{
		{[]string{"--touch", "1.4", "--percent", "95"}, 1, "do not fit together"},
		{[]string{}, 2, "say what is known"},
		{[]string{"--layer", "99"}, 1, "there is no layer 99"},
		{[]string{"--layer", "17"}, 1, "nothing is left"},
		{[]string{"--layer", "5", "--z", "clear"}, 1, "say where Z is homed"},
		{[]string{"--layer", "5", "--z", "clear", "--home-at", "110,110"}, 1, "would run into the part"},
		{[]string{"--layer", "5", "--home-at", "x"}, 2, "is written X,Y"},
		{[]string{"--layer", "5", "--ease", "some"}, 2, "--ease is written"},
		{[]string{"--layer", "5", "--prime", "@3"}, 2, "--prime is written"},
		{[]string{"--counted", "5"}, 2, "--counted is written"},
		{[]string{"--display", "1,2"}, 2, "--display is written"},
		{[]string{"--display", "-1,2,3"}, 1, "no move passes"},
		{[]string{"--layer", "5", "--start", "mid"}, 1, "say the line"},
	} {
		t.Run(c.want, func(t *testing.T) {
			status, _, errs := dogear(t, append([]string{"pickup", file, "-o", other}, c.args...)...)
			if status != c.code || !strings.Contains(errs, c.want) {
				t.Errorf("%v: %d, want %d with %q in %s", c.args, status, c.code, c.want, errs)
			}
		})
	}
	for _, args := range [][]string{{"--layer", "5", "--start", "redo"}, {"--line", "1500"},
		{"--counted", "3+4"}, {"--file-number", "4"}, {"--layer", "5", "--loose-top"},
		{"--layer", "5", "--z", "kept"}, {"--minutes", "9", "--touch", "1.6"}} {
		if status, _, errs := dogear(t, append([]string{"pickup", file, "--force", "-o", other},
			args...)...); status != 0 {
			t.Errorf("%v: %d %s", args, status, errs)
		}
	}
	if status, _, errs := dogear(t, "touch", file, "--layer", "5", "--force", "-o",
		other); status != 0 || !strings.Contains(errs, "three places of layer 5") {
		t.Error(status, errs)
	}
}

func TestProof(t *testing.T) {
	file, plan, out := files(t, twoEars)
	if status, _, errs := dogear(t, "apply", file, "--plan", plan, "-o", out); status != 0 {
		t.Fatal(errs)
	}
	status, text, errs := dogear(t, "proof", file, out, "--json")
	var r struct {
		Format   string
		Same     bool `json:"same_deposit"`
		Inserted int
		Removed  int
		Stops    []struct {
			Before int `json:"before_layer"`
		}
		Findings []struct{ Code string }
	}
	if err := json.Unmarshal([]byte(text), &r); err != nil || status != 0 ||
		r.Format != "dogear-proof/1" || !r.Same || r.Removed != 0 || r.Inserted < 20 ||
		len(r.Stops) != 2 || r.Stops[0].Before != 5 || r.Stops[1].Before != 13 || len(r.Findings) != 0 {
		t.Error(err, status, text, errs)
	}
	b, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	bad := filepath.Join(filepath.Dir(out), "bad.gcode")
	if err := os.WriteFile(bad, []byte(strings.Replace(string(b), "; dogear ear a1 ends",
		"G28\n; dogear ear a1 ends", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	if status, text, _ := dogear(t, "proof", file, bad); status != 1 ||
		!strings.Contains(text, "homes-onto-part") {
		t.Error(status, text)
	}
	if status, text, _ := dogear(t, "proof", file, file); status != 0 ||
		!strings.Contains(text, "Nothing stands out") {
		t.Error(status, text)
	}
	if status, _, errs := dogear(t, "proof", file, "nowhere.gcode", "--json"); status != 1 ||
		!strings.Contains(errs, `"error"`) {
		t.Error(status, errs)
	}
}

func TestCue(t *testing.T) {
	file, plan, out := files(t, twoEars)
	for as, want := range map[string]string{"html": "before layer 13", "csv": "stop,a1,",
		"ics": "BEGIN:VALARM"} {
		if status, _, errs := dogear(t, "cue", file, "--plan", plan, "--start", "09:30", "--as", as,
			"--force", "-o", out); status != 0 {
			t.Error(status, errs)
		}
		b, err := os.ReadFile(out)
		text := string(b)
		if as == "html" {
			text = strings.Join(strings.Fields(text), " ")
		}
		if err != nil || !strings.Contains(text, want) {
			t.Errorf("%s: %v %.300s", as, err, b)
		}
	}
	if status, _, errs := dogear(t, "cue", file, "--plan", plan, "--as", "ics", "--force", "-o",
		out); status != 2 || !strings.Contains(errs, "needs --start") {
		t.Error(status, errs)
	}
	if status, _, errs := dogear(t, "cue", file, "--plan", plan, "--start", "soon", "--force", "-o",
		out); status != 2 || !strings.Contains(errs, "is no time") {
		t.Error(status, errs)
	}
}

func TestRehearse(t *testing.T) {
	file, plan, out := files(t, twoEars)
	if status, _, errs := dogear(t, "apply", file, "--plan", plan, "-o", out); status != 0 {
		t.Fatal(errs)
	}
	status, text, _ := dogear(t, "rehearse", out, "--json")
	var r rehearsal
	if err := json.Unmarshal([]byte(text), &r); err != nil || status != 0 || r.Seen.State != "done" ||
		r.Seen.Layer != 17 {
		t.Fatal(err, status, r.Seen)
	}
	stops := 0
	for _, e := range r.Events {
		if e.Kind == "stop" {
			stops++
		}
	}
	if stops != 2 {
		t.Error(stops)
	}
	for args, want := range map[string]string{"--stay": "waiting after",
		"--fault=power@layer:7": "dead after", "--until=layer:3": "stopped after",
		"--fault=jam@layer:4": "0.60 mm on the bed"} {
		if status, text, errs := dogear(t, "rehearse", out, args); status != 0 ||
			!strings.Contains(text, want) {
			t.Errorf("%s: %d %s %.400s", args, status, errs, text[max(0, len(text)-300):])
		}
	}
	if status, _, errs := dogear(t, "rehearse", out, "--fault", "flood@layer:3"); status != 2 ||
		!strings.Contains(errs, "is no fault") {
		t.Error(status, errs)
	}
}

// TestPaper checks that what lay under the nozzle is taken off a touched height, and stays
// in what the file calls the place where it stands.
func TestPaper(t *testing.T) {
	file, _, out := files(t, twoEars)
	if status, _, errs := dogear(t, "pickup", file, "--touch", "2.1", "--feeler", "0.1", "-o",
		out); status != 0 {
		t.Fatal(status, errs)
	}
	b, err := os.ReadFile(out)
	if err != nil || !strings.Contains(string(b), "2.00 high") ||
		!strings.Contains(string(b), "\nG92 Z2.1 ") {
		t.Errorf("%v %.300s", err, b)
	}
}

func TestVersion(t *testing.T) {
	if status, out, errs := dogear(t, "--version"); status != 0 || !strings.HasPrefix(out, "dogear ") {
		t.Error(status, out, errs)
	}
}
