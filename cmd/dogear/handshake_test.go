package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dogear/core/handshake"
)

func TestHandshake(t *testing.T) {
	dir := t.TempDir()
	out, p := filepath.Join(dir, "ask.gcode"), filepath.Join(dir, "plan.json")
	text := `{"format":"dogear-plan/1","ears":[],"printer":{"bed":[-75,-75,75,75],"top":120}}`
	if err := os.WriteFile(p, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	code, said, errs := dogear(t, "handshake", "--plan", p, "-o", out, "--json")
	var rep handshakeReport
	if err := json.Unmarshal([]byte(said), &rep); code != 0 || err != nil || rep.Bytes == 0 {
		t.Fatal(code, said, errs)
	}
	file, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(string(file), "\n")
	for i, y := range rep.Tries {
		if y.Try != i+1 || lines[y.Line-1] != handshake.Usual[i] {
			t.Errorf("try %d is %q on line %d", y.Try, lines[y.Line-1], y.Line)
		}
	}
	if !strings.Contains(string(file), "G1 X0 Y0 ") {
		t.Error("it does not draw in the middle of the bed")
	}
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"-o", out}, 1, "exists"},
		{[]string{"-o", p, "--plan", p, "--force"}, 1, "never changed"},
		{nil, 2, "say where the file goes"},
		{[]string{"-o", out, "--simulate", "knob"}, 2, "say where the file goes"},
		{[]string{"--simulate", "sunken"}, 2, "there are knob, card"},
		{[]string{"-o", "-", "--word", "G28"}, 1, "moves the head"},
		{[]string{"--simulate", "knob"}, 0, "still"},
		{[]string{"--simulate", "sleepy"}, 0, "lets go"},
	} {
		t.Run(c.says, func(t *testing.T) {
			code, said, errs := dogear(t, append([]string{"handshake"}, c.args...)...)
			if code != c.code || !strings.Contains(said+errs, c.says) {
				t.Errorf("%q: %d %s%s", c.args, code, said, errs)
			}
		})
	}
}
