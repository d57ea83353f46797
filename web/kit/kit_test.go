package kit_test

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/kit"
	"dogear/web/webtest"
)

// TestKitPages goes through the drawers.
func TestKitPages(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	if err := c.St.Ship(t.Context(), demo.Kit()...); err != nil {
		t.Fatal(err)
	}
	c.Page(t, "/kit", "my printer", "Signal red", "M8 nut", "swap by hand", "comes with Dogear")
	printer := []string{"name", "long <b>bed</b>", "x0", "-150", "y0", "-150", "x1", "150", "y1",
		"150", "top", "300", "park_x", "-140", "park_y", "140", "places", "brush 140 -140", "stop_colour",
		"M600", "routine_insert", "sound only", "before", "M400\nG4 P10", "silent", "1", "resume",
		"press"}
	c.Steps(t, []webtest.Step{
		{"/kit/printers", printer, 200, ""},
		{"/kit/printers/plan", printer, 200, "<svg"},
		{"/kit/printers", []string{"name", "", "x0", "1"}, 422, "ive the printer a name"},
		{"/kit/printers", []string{"name", "a", "x0", "wide"}, 422, "must be a number"},
		{"/kit/printers", []string{"name", "a", "x0", "5", "x1", "1"}, 422, "where the bed begins"},
		{"/kit/printers", []string{"name", "a", "x0", "5", "x1", "1", "y0", "0", "y1", "9", "top", "9",
			"park_x", "0", "park_y", "0"}, 422, "no size"},
		{"/kit/printers", []string{"name", "a", "x0", "0", "x1", "9", "y0", "0", "y1", "9", "top", "9",
			"park_x", "0", "park_y", "0", "places", "brush"}, 422, "is written as a name"},
		{"/kit/filaments", []string{"name", "Foam", "colour", "#ffffff", "nozzle_first", "235", "nozzle",
			"230", "purge", "50", "density", "1.05"}, 200, ""},
		{"/kit/filaments", []string{"name", "Foam", "colour", "white"}, 422, "#rrggbb"},
		{"/kit/filaments", []string{"name", "Foam", "colour", "#ffffff", "nozzle", "20"}, 422,
			"no temperature"},
		{"/kit/inserts", []string{"name", "rod", "shape", "disc", "across", "3", "height", "12"}, 200,
			""},
		{"/kit/inserts", []string{"name", "rod", "shape", "disc", "across", "3", "height", "12"}, 409,
			"already"},
		{"/kit/inserts", []string{"name", "pin", "shape", "disc", "height", "12"}, 422, "how wide"},
		{"/kit/inserts", []string{"name", "pin", "shape", "star", "across", "3", "height", "12"}, 422,
			"not known"},
		{"/kit/inserts", []string{"key", "rod", "name", "long rod", "shape", "disc", "across", "3",
			"height", "22"}, 200, ""},
		{"/kit/inserts/remove", []string{"key", "ball 5"}, 200, ""},
		{"/kit/inserts/remove", []string{"key", "ball 5"}, 404, "not in the Kit"},
		{"/kit/printers/remove", []string{"key", "my printer"}, 200, ""},
		{"/kit/routines/copy", []string{"from", "swap by hand"}, 200, ""},
		{"/kit/routines/copy", []string{"from", "nonsense"}, 404, "not in the Kit"},
		{"/kit/routines/copy", []string{"from", ""}, 200, ""},
		{"/kit/routines/rename", []string{"key", "my routine", "name", "short"}, 200, ""},
		{"/kit/routines/rename", []string{"key", "short", "name", "swap by hand"}, 409, "already"},
		{"/kit/drawers", nil, 404, "no such drawer"},
	})
	body := c.Page(t, "/kit", "long &lt;b&gt;bed", "nozzle 235, then 230 °C", "long rod",
		"swap by hand, ours", "short")
	if strings.Contains(body, "<b>bed</b>") || strings.Contains(body, "my printer") ||
		strings.Contains(body, ">rod<") || strings.Contains(body, "ball 5") {
		t.Error("the Kit is not as it should be")
	}
	c.Page(t, "/kit/printers/edit?key="+url.QueryEscape("long-<b>bed</b>"), "brush 140 -140", "G4 P10")
	c.Page(t, "/kit/filaments/edit?key=foam", "1.05")
	c.Page(t, "/kit/inserts/edit?key="+url.QueryEscape("long rod"), `value="22"`)
	for _, d := range plan.Drawers[:3] {
		c.Page(t, "/kit/"+d+"/edit", "Put it in the Kit")
	}
	// The file of a Kit, put into an empty one, gives the same Kit.
	_, text := c.Do("GET", "/kit/file", nil, nil)
	other := webtest.New(t, archive.Limits{})
	other.Steps(t, []webtest.Step{{"/kit/file", []string{"kit", text}, 200, ""},
		{"/kit/file", []string{"kit", "[]"}, 422, "JSON"},
		{"/kit/file", []string{"kit", `{"format":"dogear-kit/1","filaments":{"x":{"colour":"red"}}}`},
			422, "#rrggbb"}})
	k, _ := other.St.Kit(t.Context())
	if k.Printers["long-<b>bed</b>"].Top != 300 || k.Filaments["foam"].Nozzle[1] != 230 ||
		len(k.Routines) != 2 {
		t.Errorf("%+v", k)
	}
	other.Steps(t, []webtest.Step{{"/kit/undo", nil, 200, ""}})
	if k, _ := other.St.Kit(t.Context()); len(k.Filaments) != 6 || len(k.Routines) != 0 || !k.Redo {
		t.Errorf("%+v", k)
	}
	other.Steps(t, []webtest.Step{{"/kit/redo", nil, 200, ""}})
	if k, _ := other.St.Kit(t.Context()); len(k.Filaments) != 7 {
		t.Errorf("%+v", k)
	}
}

// TestUsedStays refuses to take out what a print uses, and what it uses is
// followed when it changes.
func TestUsedStays(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.Bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	if err := c.St.Put(t.Context(), plan.Item{Drawer: plan.Printers, Key: "other",
		Doc: *plan.Generic()}, plan.Item{Drawer: plan.Routines, Key: "ours",
		Doc: plan.Builtin()["sound only"]}); err != nil {
		t.Fatal(err)
	}
	c.Steps(t, []webtest.Step{
		{p + "/ears", []string{"before", "5", "filament", "white"}, 200, "Gull white"},
		{p + "/ears/a1", []string{"all", "1", "routine", "ours"}, 200, "Gull white"},
		{"/kit/filaments/remove", []string{"key", "white"}, 409, "Tide gauge” uses it"},
		{"/kit/printers/remove", []string{"key", "my printer"}, 409, "uses it"},
		{"/kit/routines/remove", []string{"key", "ours"}, 409, "uses it"},
		{"/kit/routines/rename", []string{"key", "ours", "name", "theirs"}, 409, "calls it by this name"},
		{"/kit/filaments/remove", []string{"key", "kelp"}, 200, ""},
		{"/kit/filaments", []string{"key", "white", "name", "Foam", "colour", "#fefefe", "nozzle", "231"},
			200, ""},
	})
	c.Page(t, p, "Foam", "my printer")
	c.Page(t, p+"/proof", "Foam", "Same plastic")
	if _, out := c.Do("GET", p+"/write", nil, nil); !strings.Contains(out, "M109 S231") {
		t.Error("the filament's heat is not followed")
	}
}

// TestRoutineEditor changes a routine step by step.
func TestRoutineEditor(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	c.Steps(t, []webtest.Step{{"/kit/routines/copy", []string{"from", "swap by hand"}, 200, ""}})
	key := "swap by hand, ours"
	u := "/kit/routines/steps"
	form := []string{"key", key, "s0_do", "lift", "s0_mm", "12", "s1_do", "park", "s1_place", "keep:",
		"s2_do", "stop", "s3_do", "return", "s4_do", "restore"}
	with := func(more ...string) []string { return append(append([]string{}, form...), more...) }
	c.Steps(t, []webtest.Step{
		{u, with(), 200, "Kept."},
		{u, with("act", "down:0"), 200, "Moved down."},
		{u, with("act", "up:0"), 200, ""},
		{u, with("act", "drop:1"), 200, "Taken out."},
		{u, with("act", "add:wait"), 200, "Waits"},
		{u, with("act", "add:dance"), 422, "no such step"},
		{u, with("act", "drop:3"), 422, "stays where it is"},
		{u, []string{"key", key, "s0_do", "stop"}, 422, "does not end with going back"},
		{u, []string{"key", key, "s0_do", "lift", "s0_mm", "much", "s1_do", "return", "s2_do", "restore"},
			422, "must be a number"},
		{u, []string{"key", "none"}, 404, "not in the Kit"},
		// what ships stays
		{u, []string{"key", "sound only", "show_kind", "nozzle", "act", "add:wait"}, 200, "M300"},
	})
	all := []string{"key", key}
	for i, st := range []string{"tone hz=900 ms=100 times=2", "say text=Hello",
		"retract mm=3 speed=30", "lift mm=8", "park place=xy: x=7 y=9", "fan percent=40",
		"heat celsius=230 wait=1", "cool celsius=120", "wait seconds=90 warn=200", "stop",
		"unload mm=80 speed=20", "load mm=80", "purge mm=25 speed=3", "wipe", "bond flow=35",
		"lines lines=M117 a", "return", "restore"} {
		w := strings.Split(st, " ")
		all = append(all, fmt.Sprintf("s%d_do", i), w[0])
		for _, kv := range w[1:] {
			k, v, _ := strings.Cut(kv, "=")
			all = append(all, fmt.Sprintf("s%d_%s", i, k), v)
		}
	}
	c.Steps(t, []webtest.Step{{u, append(all, "show_kind", "colour"), 200, "M300 S900 P100"}})
	k, err := c.St.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	j, _ := json.Marshal(k.Routines[key])
	want := `[{"do":"tone","hz":900,"ms":100,"times":2},{"do":"say","text":"Hello"},{"do":"retract",` +
		`"mm":3,"speed":30},{"do":"lift","mm":8},{"do":"park","x":7,"y":9},{"do":"fan","percent":40},` +
		`{"do":"heat","celsius":230,"wait":true},{"do":"cool","celsius":120},{"do":"wait","seconds":90,` +
		`"warn":90},{"do":"stop"},{"do":"unload","mm":80,"speed":20},{"do":"load","mm":80},` +
		`{"do":"purge","mm":25,"speed":3},{"do":"wipe"},{"do":"bond","flow":0.35},{"do":"lines",` +
		`"lines":["M117"]},{"do":"return"},{"do":"restore"}]`
	if string(j) != want {
		t.Errorf("%s", j)
	}
	c.Page(t, kit.EditURL(plan.Routines, key)+"&kind=nozzle", "from above", "from the side",
		"M106 S102",
		"Take it out")
	c.Page(t, kit.EditURL(plan.Routines, "nozzle swap"), "Copy it, to change it", "always last")
	c.Steps(t, []webtest.Step{{"/kit/undo", nil, 200, ""}})
	if k, _ := c.St.Kit(t.Context()); len(k.Routines[key]) == 18 {
		t.Error("not undone")
	}
}
