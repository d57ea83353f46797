package web

import (
	"encoding/json"
	"fmt"
	"html"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
)

// step is one request of a form and what must come of it.
type step struct {
	path string
	kv   []string
	code int
	want string
}

func (c *client) steps(t *testing.T, steps []step) {
	t.Helper()
	for _, s := range steps {
		code, body := c.form(s.path, s.kv...)
		if code != s.code || !strings.Contains(body, s.want) {
			t.Errorf("%s %q: %d, want %d with %q in\n%.600s", s.path, s.kv, code, s.code, s.want, body)
		}
	}
}

func (c *client) page(t *testing.T, path string, want ...string) string {
	t.Helper()
	code, body := c.do("GET", path, nil, map[string]string{"Accept": "text/html"})
	if code != 200 {
		t.Errorf("%s: %d %.300s", path, code, body)
	}
	for _, w := range want {
		if !strings.Contains(body, w) {
			t.Errorf("%s: %q is not there", path, w)
		}
	}
	return body
}

// TestEarForms fills in everything an ear's card asks for.
func TestEarForms(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	c.steps(t, []step{
		{p + "/ears", []string{"before", "5", "kind", "insert"}, 200, "Plain stop"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "heads_up", "2.5",
			"heads_up_unit", "minutes", "bond", "1", "bond_flow", "25", "land", "where it was", "stop",
			"M25", "routine", "sound only", "note", ""}, 200, "2 × M8 nut"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M99 nut"}, 422, "no such insert"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "x"}, 422,
			"must be a number from 1"},
		{p + "/ears/a1", []string{"all", "1", "bond", "1", "bond_flow", "300"}, 422, "must be a number"},
		{p + "/ears/a1", []string{"all", "1", "routine", "no such"}, 422, "no routine"},
		{p + "/ears/a1", []string{"where", "1.85 mm"}, 200, "before layer 11"},
		{p + "/ears/a1", []string{"where", "file 7"}, 200, "before layer 8"},
		{p + "/ears/a1", []string{"where", "file 99"}, 422, "no layer that it calls 99"},
		{p + "/ears/a1", []string{"where", "99 mm"}, 422, "No layer begins at or above"},
		{p + "/ears/a1", []string{"where", "7000 mm"}, 422, "is no place"},
		{p + "/ears/a1", []string{"where", "line 99999999"}, 422, "no line 99999999"},
		{p + "/ears/a1", []string{"where", "tide"}, 422, "“tide” is no place"},
		{p + "/ears/a1", []string{"where", "layer 9"}, 200, "before layer 9"},
		{p + "/ears/a1/copy", []string{"where", "9"}, 409, "an ear before layer 9 already"},
		{p + "/ears/a1/copy", []string{"where", "2.2mm"}, 200, "before layer 12"},
		{p + "/ears/a2", []string{"kind", "nozzle", "all", "1", "nozzle", "0,6"}, 200, "Nozzle 0.6 mm"},
		{p + "/ears/a2", []string{"kind", "own lines", "all", "1", "lines", "M0 look\r\nM117 hm"}, 200,
			"M117 hm"},
		{p + "/ears/a2", []string{"kind", "own lines", "all", "1", "lines", strings.Repeat("x", 300)},
			422, "longer than"},
		{p + "/ears/a2", []string{"kind", "colour"}, 200, "Gull white"}, // one that is not laid there
		{p + "/ears/a2", []string{"kind", "banner"}, 422, "a colour change"},
		{p + "/printer", []string{"printer", "none"}, 422, "no such printer"},
		{p + "/printer", []string{"printer", "my printer"}, 200, "my printer"},
	})
	_, body := c.do("GET", p+"/plan", nil, nil)
	var doc plan.Plan
	if err := json.Unmarshal([]byte(body), &doc); err != nil {
		t.Fatal(err)
	}
	e := doc.Ears[0]
	if e.Insert == nil || e.Insert.Name != "M8 nut" || e.Count != 2 || e.HeadsUp == nil ||
		e.HeadsUp.Minutes != 2.5 || e.BondPass == nil || e.BondPass.Flow != 0.25 ||
		e.Land != plan.WhereItWas || e.Stop != "M25" || string(e.Routine) != `"sound only"` ||
		e.Z == nil {
		t.Errorf("%s", body)
	}
	if doc.Printer == nil || doc.Printer.Name != "my printer" || len(doc.Filaments) != 2 ||
		doc.File == nil || doc.Uses.Printer != "" {
		t.Errorf("%s", body)
	}
	c.page(t, p+"/proof", "Heads-up for ear a1", "Put back", "The head&#39;s way", "; dogear bond a1")
}

// TestPlanMovesOver saves a plan and lays it on another slicing.
func TestPlanMovesOver(t *testing.T) {
	c := newClient(t, archive.Limits{})
	bring := func(d string, layer float64) string {
		file, _ := demo.Slice(demo.HarbourWall(layer), demo.DialectNamed(d))
		id, refused := c.bring("wall.gcode", file)
		if refused != "" {
			t.Fatal(refused)
		}
		return fmt.Sprintf("/prints/%d", id)
	}
	coarse, fine := bring("plain", 0.3), bring("hopping", 0.15)
	c.steps(t, []step{
		{coarse + "/ears", []string{"before", "21", "filament", "white"}, 200, "Gull white"},
		{coarse + "/ears", []string{"before", "41", "kind", "insert"}, 200, "Plain stop"},
	})
	_, text := c.do("GET", coarse+"/plan", nil, nil)
	c.steps(t, []step{
		{fine + "/plan", []string{"plan", text}, 200, "is now before layer 40 at 6.00 mm"},
		{fine + "/undo", nil, 200, "No ears yet"},
		{fine + "/redo", nil, 200, "before layer 40"},
		// the same file: nothing moves
		{coarse + "/plan", []string{"plan", text}, 200, "before layer 21"},
		{coarse + "/plan", []string{"plan", "{"}, 422, "JSON"},
		{coarse + "/plan", []string{"plan", `{"format":"dogear-plan/9","ears":[]}`}, 422,
			"is understood"},
	})
	// What the plan brings along stays with the print: the Kit is as it was.
	brought := strings.NewReplacer(`"Gull white"`, `"Foam"`, `"my printer"`,
		`"a stranger"`).Replace(text)
	c.steps(t, []step{{fine + "/plan", []string{"plan", brought}, 200, "Foam"}})
	c.page(t, fine, "a stranger")
	if body := c.page(t, "/kit", "my printer", "Gull white"); strings.Contains(body, "Foam") ||
		strings.Contains(body, "a stranger") {
		t.Error("the Kit was changed by a plan")
	}
	if body := c.page(t, coarse, "Gull white"); strings.Contains(body, "Foam") {
		t.Error("one print leaks into another")
	}
}

// TestTakenOver makes ears of stops that were in the file, and of Dogear's own.
func TestTakenOver(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	text := strings.Split(string(file), "\n")
	at := int(truth.Layers[7].First) - 2
	marked := strings.Join(append(append(append([]string{}, text[:at]...), "M600"), text[at:]...),
		"\n")
	id, refused := c.bring("tide-gauge.gcode", []byte(marked))
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	line := fmt.Sprint(at + 1)
	c.page(t, p, "In the file already", "Take over")
	c.steps(t, []step{
		{p + "/takeover", []string{"from", "3", "to", "3"}, 404, "no stop on this line"},
		{p + "/takeover", []string{"from", line, "to", line}, 200, "Gull white"},
		{p + "/takeover", []string{"from", line, "to", line}, 409, "already"},
	})
	c.page(t, p+"/proof", "Muted: lines", "Same plastic", "M600")
	_, out := c.do("GET", p+"/write", nil, nil)
	if strings.Count(out, "\nM600") != 1 || !strings.Contains(out, "; dogear muted: M600") {
		t.Error("the file's own stop is not taken over")
	}
	// Opened again, the file is recognised, and gives the first one back.
	id2, refused := c.bring("tide-gauge_stop-8.gcode", []byte(out))
	if refused != "" {
		t.Fatal(refused)
	}
	p2 := fmt.Sprintf("/prints/%d", id2)
	c.page(t, p2, "Dogear has written this file")
	c.steps(t, []step{{p2 + "/takeout", nil, 200, ""},
		{p + "/takeout", nil, 409, "othing that Dogear has written"}})
	p3 := fmt.Sprintf("/prints/%d", id2+1)
	c.page(t, p3, "Gull white", "Tide gauge")
	prints, _ := c.st.Prints(t.Context())
	if prints[0].Name != "tide-gauge.gcode" || prints[0].Bytes != int64(len(marked)) {
		t.Errorf("%+v, want %d bytes", prints[0], len(marked))
	}
	if _, again := c.do("GET", p3+"/write", nil, nil); again != out {
		t.Error("written again it is another file")
	}
}

// TestKitPages goes through the drawers.
func TestKitPages(t *testing.T) {
	c := newClient(t, archive.Limits{})
	if err := c.st.Ship(t.Context(), demo.Kit()...); err != nil {
		t.Fatal(err)
	}
	c.page(t, "/kit", "my printer", "Signal red", "M8 nut", "swap by hand", "comes with Dogear")
	printer := []string{"name", "long <b>bed</b>", "x0", "-150", "y0", "-150", "x1", "150", "y1",
		"150", "top", "300", "park_x", "-140", "park_y", "140", "places", "brush 140 -140", "stop_colour",
		"M600", "routine_insert", "sound only", "before", "M400\nG4 P10", "silent", "1", "resume",
		"press"}
	c.steps(t, []step{
		{"/kit/printers", printer, 200, ""},
		{"/kit/printers/plan", printer, 200, "<svg"},
		{"/kit/printers", []string{"name", "", "x0", "1"}, 422, "ive the printer a name"},
		{"/kit/printers", []string{"name", "a", "x0", "wide"}, 422, "must be a number"},
		{"/kit/printers", []string{"name", "a", "x0", "5", "x1", "1", "top", "9", "park_x", "0", "park_y",
			"0"}, 422, "no size"},
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
	body := c.page(t, "/kit", "long &lt;b&gt;bed", "nozzle 235, then 230 °C", "long rod",
		"swap by hand, ours", "short")
	if strings.Contains(body, "<b>bed</b>") || strings.Contains(body, "my printer") ||
		strings.Contains(body, ">rod<") || strings.Contains(body, "ball 5") {
		t.Error("the Kit is not as it should be")
	}
	c.page(t, "/kit/printers/edit?key="+url.QueryEscape("long-<b>bed</b>"), "brush 140 -140", "G4 P10")
	c.page(t, "/kit/filaments/edit?key=foam", "1.05")
	c.page(t, "/kit/inserts/edit?key="+url.QueryEscape("long rod"), `value="22"`)
	for _, d := range plan.Drawers[:3] {
		c.page(t, "/kit/"+d+"/edit", "Put it in the Kit")
	}
	// The file of a Kit, put into an empty one, gives the same Kit.
	_, text := c.do("GET", "/kit/file", nil, nil)
	other := newClient(t, archive.Limits{})
	other.steps(t, []step{{"/kit/file", []string{"kit", text}, 200, ""},
		{"/kit/file", []string{"kit", "[]"}, 422, "JSON"},
		{"/kit/file", []string{"kit", `{"format":"dogear-kit/1","filaments":{"x":{"colour":"red"}}}`},
			422, "#rrggbb"}})
	k, _ := other.st.Kit(t.Context())
	if k.Printers["long-<b>bed</b>"].Top != 300 || k.Filaments["foam"].Nozzle[1] != 230 ||
		len(k.Routines) != 2 {
		t.Errorf("%+v", k)
	}
	other.steps(t, []step{{"/kit/undo", nil, 200, ""}})
	if k, _ := other.st.Kit(t.Context()); len(k.Filaments) != 6 || len(k.Routines) != 0 || !k.Redo {
		t.Errorf("%+v", k)
	}
	other.steps(t, []step{{"/kit/redo", nil, 200, ""}})
	if k, _ := other.st.Kit(t.Context()); len(k.Filaments) != 7 {
		t.Errorf("%+v", k)
	}
}

// TestUsedStays refuses to take out what a print uses, and what it uses is
// followed when it changes.
func TestUsedStays(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	if err := c.st.Put(t.Context(), plan.Item{Drawer: plan.Printers, Key: "other",
		Doc: *plan.Generic()}, plan.Item{Drawer: plan.Routines, Key: "ours",
		Doc: plan.Builtin()["sound only"]}); err != nil {
		t.Fatal(err)
	}
	c.steps(t, []step{
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
	c.page(t, p, "Foam", "my printer")
	c.page(t, p+"/proof", "Foam", "Same plastic")
	if _, out := c.do("GET", p+"/write", nil, nil); !strings.Contains(out, "M109 S231") {
		t.Error("the filament's heat is not followed")
	}
}

// TestRoutineEditor changes a routine step by step.
func TestRoutineEditor(t *testing.T) {
	c := newClient(t, archive.Limits{})
	c.steps(t, []step{{"/kit/routines/copy", []string{"from", "swap by hand"}, 200, ""}})
	key := "swap by hand, ours"
	u := "/kit/routines/steps"
	form := []string{"key", key, "s0_do", "lift", "s0_mm", "12", "s1_do", "park", "s1_place", "keep:",
		"s2_do", "stop", "s3_do", "return", "s4_do", "restore"}
	with := func(more ...string) []string { return append(append([]string{}, form...), more...) }
	c.steps(t, []step{
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
	c.steps(t, []step{{u, append(all, "show_kind", "colour"), 200, "M300 S900 P100"}})
	k, err := c.st.Kit(t.Context())
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
	c.page(t, editURL(plan.Routines, key)+"&kind=nozzle", "from above", "from the side", "M106 S102",
		"Take it out")
	c.page(t, editURL(plan.Routines, "nozzle swap"), "Copy it, to change it", "always last")
	c.steps(t, []step{{"/kit/undo", nil, 200, ""}})
	if k, _ := c.st.Kit(t.Context()); len(k.Routines[key]) == 18 {
		t.Error("not undone")
	}
}

func TestRuns(t *testing.T) {
	for _, c := range []struct {
		steps, order []int
		want         string
	}{
		{[]int{1}, []int{1, 2}, "1"}, {[]int{1, 2}, []int{1, 2}, "1, 2"},
		{[]int{4, 6, 8}, []int{1, 4, 6, 8, 9}, "4–8"},
		{[]int{1, 2, 3, 9}, []int{1, 2, 3, 4, 9}, "1–3, 9"}, {nil, nil, ""},
	} {
		if got := runs(c.steps, c.order); got != c.want {
			t.Errorf("%v: %q, want %q", c.steps, got, c.want)
		}
	}
}

// TestCueSheet asks for the timetable as page, table and calendar.
func TestCueSheet(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.page(t, p+"/cue", "Nothing is marked")
	c.steps(t, []step{
		{p + "/ears", []string{"before", "5", "filament", "white"}, 200, ""},
		{p + "/ears", []string{"before", "9", "kind", "insert"}, 200, ""},
		{p + "/ears/a2", []string{"all", "1", "note", "=two <b>nuts</b>", "heads_up", "1"}, 200, ""},
	})
	c.page(t, p+"/cue", "Change to Gull white", "purge 45 mm", "=two &lt;b&gt;nuts")
	c.page(t, p+"/cue?start=2026-11-28T09:30", "starts 28 Nov, 09:30", "Heads-up: be there in",
		"For the calendar")
	if _, text := c.do("GET", p+"/cue/csv?start=2026-11-28T09:30", nil, nil); !strings.Contains(text,
		"2026-11-28 09:3") || !strings.Contains(text, "'=two") {
		t.Error(text)
	}
	if _, text := c.do("GET", p+"/cue/ics?start=2026-11-28T09:30", nil, nil); strings.Count(text,
		"BEGIN:VALARM") != 2 {
		t.Error(text)
	}
	if code, _ := c.do("GET", p+"/cue/ics", nil, nil); code != 409 {
		t.Error(code)
	}
	if code, _ := c.do("GET", p+"/cue?start=soon", nil,
		map[string]string{"Accept": "text/html"}); code != 422 {
		t.Error(code)
	}
}

// TestPockets lists the buoy's pocket, and says whether what goes in fits.
func TestPockets(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, _ := demo.Slice(demo.Buoy(), demo.DialectNamed("hopping"))
	id, refused := c.bring("buoy.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	c.page(t, p, "Pockets", "across flats, 13.8 deep, open until layer 79",
		"Put in M8 nut before layer 80", "as late as possible")
	c.steps(t, []step{
		{p + "/pockets", []string{"pockets", "0", "insert", "M8 nut"}, 200,
			"the printer stops before layer 80, as late as possible"},
		{p + "/pockets", []string{"pockets", "0", "insert", "M8 nut"}, 409,
			"There is an ear before layer 80 already"},
		{p + "/pockets", []string{"pockets", "7", "insert", "M8 nut"}, 422, "no such pocket"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "pocket", "110,110"}, 200,
			"It drops in, 0."},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "3"}, 200,
			"It is never covered"},
	})
	c.page(t, p+"/proof", "would be laid into", "It cannot be written before")
	if code, _ := c.do("GET", p+"/write", nil, nil); code != 409 {
		t.Error(code)
	}
	c.steps(t, []step{
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "slow", "1", "slow_to",
			"50"}, 200, "It drops in"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "slow", "1", "slow_to",
			"5"}, 422, "from 10 to 100"},
		{p + "/ears/a1", []string{"where", "60"}, 200, "The head is lifted over it until layer 77 is " +
			"laid"},
	})
	c.page(t, p+"/proof", "Same plastic", "ways are lifted", "1 bridge is laid slower")
	code, out := c.do("GET", p+"/write", nil, nil)
	if code != 200 || strings.Count(out, ": up") < 10 || strings.Count(out, "M220 S50") != 1 {
		t.Error(code, strings.Count(out, ": up"))
	}
	c.steps(t, []step{
		{p + "/ears/a1", []string{"where", "83"}, 200, "No pocket that is closed later"},
		{p + "/ears/a1", []string{"where", "80"}, 200, "It drops in"},
		{p + "/ears/a1", []string{"all", "1", "insert", "disc magnet 8 × 3", "count", "2", "pole",
			"opposite"}, 200, "by turns up and down"},
	})
	c.page(t, p+"/cue", "Mark one face of each magnet")
}

// TestOddNames gives things names that mean something elsewhere; every button
// still sends what it says.
func TestOddNames(t *testing.T) {
	c := newClient(t, archive.Limits{})
	odd := `6" <tape> & 'co' {x}`
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.steps(t, []step{
		{"/kit/filaments", []string{"name", odd, "colour", "#112233"}, 200, ""},
		{"/kit/printers", []string{"name", odd, "x0", "0", "y0", "0", "x1", "200", "y1", "200", "top",
			"200", "park_x", "5", "park_y", "5"}, 200, ""},
		{"/kit/inserts", []string{"name", odd, "shape", "hex", "across", "5", "height", "3"}, 200, ""},
		{"/kit/routines/copy", []string{"from", "sound only"}, 200, ""},
		{"/kit/routines/rename", []string{"key", "sound only, ours", "name", odd}, 200, ""},
	})
	vals := regexp.MustCompile(`hx-vals=(?:"([^"]*)"|'([^']*)')`)
	kit, err := c.st.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for _, page := range []string{p, "/kit", editURL(plan.Routines, odd),
		editURL(plan.Filaments, kit.Keys[plan.Filaments][6]), editURL(plan.Printers,
			kit.Keys[plan.Printers][1]), editURL(plan.Inserts, odd)} {
		body := c.page(t, page)
		if strings.Contains(body, "<tape>") {
			t.Errorf("%s: a name has become HTML", page)
		}
		for _, m := range vals.FindAllStringSubmatch(body, -1) {
			var v map[string]string
			text := html.UnescapeString(m[1] + m[2])
			if err := json.Unmarshal([]byte(text), &v); err != nil {
				t.Errorf("%s: %s: %v", page, text, err)
			}
			for _, s := range v {
				if strings.Contains(s, `6"`) {
					seen++
				}
			}
		}
	}
	if seen < 6 {
		t.Errorf("the names are sent by %d buttons only", seen)
	}
	c.steps(t, []step{{p + "/ears", []string{"before", "5", "filament", kit.Keys[plan.Filaments][6]},
		200, "6&#34;"}, {p + "/ears/a1", []string{"all", "1", "routine", odd}, 200, ""}})
	c.page(t, p+"/proof", "Same plastic")
	if _, out := c.do("GET", p+"/write", nil, nil); !strings.Contains(out, "; dogear ear a1: 6") {
		t.Error("the ear is not written")
	}
}

// TestAfterwards checks that pockets which stay open to the top are not forgotten: no stop
// is made for them, but the cue sheet says what goes in when the print is done.
func TestAfterwards(t *testing.T) {
	c := newClient(t, archive.Limits{})
	part := demo.Sockets(20)
	part.Layers = 18
	file, _ := demo.Slice(part, demo.DialectNamed("plain"))
	p := fmt.Sprintf("/prints/%d", c.upload(file, "sockets.gcode"))
	c.page(t, p+"/cue", "When it is done", "Put in: a pocket hex 5.8 across, open to the top, for "+
		"the M3 nut.")
	closed, _ := demo.Slice(demo.Sockets(20), demo.DialectNamed("plain"))
	p = fmt.Sprintf("/prints/%d", c.upload(closed, "closed.gcode"))
	if _, body := c.do("GET", p+"/cue", nil, nil); strings.Contains(body, "When it is done") {
		t.Error("pockets that are covered are called open")
	}
}
