package bench_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/layer"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestMend mutes several runs at once and lays some layers otherwise; the proof
// finds nothing else.
func TestMend(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	id, _ := c.Bring("wall.gcode", file)
	ix, err := layer.Read(context.Background(), bytes.NewReader(file), layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	p := fmt.Sprintf("/prints/%d", id)
	l := ix.Layers[29]
	runs := fmt.Sprintf("%d-%d,%d-%d", l.First, l.First+1, l.Last-1, l.Last)
	c.Steps(t, []webtest.Step{
		{p + "/mutes", []string{"runs", runs}, 200, "2 runs of lines are left out"},
		{p + "/mutes", []string{"runs", runs}, 409, "muted twice"},
		{p + "/mutes", []string{"runs", "5-3"}, 422, "from which line"},
		{p + "/mutes", []string{"runs", "5-x,6-7"}, 422, "from which line"},
		{p + "/undo", nil, 200, ""},
		{p + "/redo", nil, 200, ""},
		{p + "/changes", []string{"from", "10", "to", "20", "speed", "60", "fan", "40"}, 200,
			"from layer 10 to 20: speed 60 %, fan 40 %"},
		{p + "/changes", []string{"from", "10", "to", "20"}, 409, "changes nothing"},
		{p + "/changes", []string{"from", "15", "to", "30", "speed", "60"}, 409,
			"changes the speed there already"},
		{p + "/changes", []string{"from", "0", "to", "30", "speed", "60"}, 422, "no layer 0"},
		{p + "/changes", []string{"from", "10", "to", "900", "speed", "60"}, 422, "no layer 900"},
		{p + "/changes", []string{"from", "10", "to", "12,5", "speed", "60"}, 422, "write which fold"},
		{p + "/changes", []string{"from", "20", "to", "12", "flow", "104"}, 409, "ends before it begins"},
		{p + "/changes", []string{"from", "50", "to", "86", "nozzle", "1000"}, 422, "170 to 450"},
		{p + "/changes", []string{"from", "50", "to", "86", "flow", "104", "nozzle", "225"}, 200,
			"from layer 50 to the end"},
		{p + "/changes", []string{"from", "", "from_line", fmt.Sprint(l.First + 3), "to", "31", "flow",
			"96"}, 200, "from inside layer 30 to 31"},
		{p + "/changes/c9/remove", nil, 404, "no such change"},
	})
	c.Page(t, p+"/proof", "Same plastic", "less what is muted",
		"Other settings from layer 10 on: speed 60 %, fan 40 %", "M220 S60", "M221 S104",
		"wall_mended_")
	_, out := c.Do("GET", p+"/write", nil, nil)
	for _, want := range []string{"; dogear change c1: speed 60 %, fan 40 %", "M106 S102", "M220 S100",
		"; dogear back c2 ends", "M104 S225"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is not in the file", want)
		}
	}
	// Opened again, it gives the original back with what was decided.
	again, refused := c.Bring("wall_mended_", []byte(out))
	if refused != "" {
		t.Fatal(refused)
	}
	c.Page(t, fmt.Sprintf("/prints/%d", again), "of its marks stand in it")
	c.Steps(t, []webtest.Step{{fmt.Sprintf("/prints/%d/takeout", again), nil, 200, ""}})
	c.Page(t, p, "speed 60 %, fan 40 %", "flow 104 %, nozzle 225 °C",
		"from layer 50 to the end", "from inside layer 30 to 31")
	_, text := c.Do("GET", p+"/plan", nil, nil)
	if !strings.Contains(text, `"changes":[{`) || !strings.Contains(text, `"until_z":6`) {
		t.Errorf("%.400s", text)
	}
	c.Steps(t, []webtest.Step{
		{p + "/changes/c1/remove", nil, 200, "speed 60 %, fan 40 % is gone"},
	})
	// After an undo the next mark must not be taken for the one that was undone.
	c.Steps(t, []webtest.Step{
		{p + "/ears", []string{"before", "60", "kind", "stop"}, 200, ""},
	})
	c.Page(t, p+"/proof", "before layer 60")
	c.Steps(t, []webtest.Step{{p + "/undo", nil, 200, ""},
		{p + "/ears", []string{"before", "70", "kind", "stop"}, 200, ""}})
	if body := c.Page(t, p+"/proof", "before layer 70"); strings.Contains(body, "before layer 60") {
		t.Error("the proof is that of what was undone")
	}
	if code, body := c.Do("GET", p+"/layers/30/air", nil, nil); code != 200 || body != "[]" {
		t.Errorf("%d %s", code, body)
	}
	arch, _ := demo.Slice(demo.Arch(), demo.DialectNamed("plain"))
	id, _ = c.Bring("arch.gcode", arch)
	found := 0
	for n := range 24 {
		if _, body := c.Do("GET", fmt.Sprintf("/prints/%d/layers/%d/air", id, n+1), nil,
			nil); body != "[]" {
			found++
		}
	}
	if found == 0 || found > 4 {
		t.Errorf("paths lie over nothing on %d layers", found)
	}
}
