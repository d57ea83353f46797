package bench_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestEarForms fills in everything an ear's card asks for.
func TestEarForms(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.Bring("tide-gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	c.Steps(t, []webtest.Step{
		{p + "/ears", []string{"before", "5", "kind", "insert"}, 200, "Plain stop"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "heads_up", "2.5",
			"heads_up_unit", "minutes", "bond", "1", "bond_flow", "25", "land", "where it was", "stop",
			"M25", "routine", "sound only", "note", ""}, 200, "2 × M8 nut"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M99 nut"}, 422, "no such insert"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "x"}, 422,
			"must be a number from 1"},
		{p + "/ears/a1", []string{"all", "1", "bond", "1", "bond_flow", "300"}, 422, "must be a number"},
		{p + "/ears/a1", []string{"all", "1", "routine", "no such"}, 422, "no routine"},
		{p + "/ears/a1", []string{"where", "1.85 mm"}, 422, "1.85 mm lies in layer 10; write which fold"},
		{p + "/ears/a1", []string{"where", "file 7"}, 200, "before layer 8"},
		{p + "/ears/a1", []string{"where", "file 99"}, 422, "no layer that it calls 99"},
		{p + "/ears/a1", []string{"where", "99 mm"}, 422, "The print is 3.40 mm high"},
		{p + "/ears/a1", []string{"where", "7000 mm"}, 422, "is no place"},
		{p + "/ears/a1", []string{"where", "line 99999999"}, 422, "no line 99999999"},
		{p + "/ears/a1", []string{"where", "tide"}, 422, "“tide” is no place"},
		{p + "/ears/a1", []string{"where", "layer 9"}, 200, "before layer 9"},
		{p + "/ears/a1/copy", []string{"where", "9"}, 409, "his ear stands there already"},
		{p + "/ears/a1/copy", []string{"where", "layer 12"}, 200, "before layer 12"},
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
	_, body := c.Do("GET", p+"/plan", nil, nil)
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
	c.Page(t, p+"/proof", "Heads-up for ear a1", "Put back", "The head&#39;s way", "; dogear bond a1")
}

// TestPlanMovesOver saves a plan and lays it on another slicing.
func TestPlanMovesOver(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	bring := func(d string, layer float64) string {
		file, _ := demo.Slice(demo.HarbourWall(layer), demo.DialectNamed(d))
		id, refused := c.Bring("wall.gcode", file)
		if refused != "" {
			t.Fatal(refused)
		}
		return fmt.Sprintf("/prints/%d", id)
	}
	coarse, fine := bring("plain", 0.3), bring("hopping", 0.15)
	c.Steps(t, []webtest.Step{
		{coarse + "/ears", []string{"before", "21", "filament", "white"}, 200, "Gull white"},
		{coarse + "/ears", []string{"before", "41", "kind", "insert"}, 200, "Plain stop"},
	})
	_, text := c.Do("GET", coarse+"/plan", nil, nil)
	c.Steps(t, []webtest.Step{
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
	c.Steps(t, []webtest.Step{{fine + "/plan", []string{"plan", brought}, 200, "Foam"}})
	c.Page(t, fine, "a stranger")
	if body := c.Page(t, "/kit", "my printer", "Gull white"); strings.Contains(body, "Foam") ||
		strings.Contains(body, "a stranger") {
		t.Error("the Kit was changed by a plan")
	}
	if body := c.Page(t, coarse, "Gull white"); strings.Contains(body, "Foam") {
		t.Error("one print leaks into another")
	}
}

// TestTakenOver makes ears of stops that were in the file, and of Dogear's own.
func TestTakenOver(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	text := strings.Split(string(file), "\n")
	at := int(truth.Layers[7].First) - 2
	marked := strings.Join(append(append(append([]string{}, text[:at]...), "M600"), text[at:]...),
		"\n")
	id, refused := c.Bring("tide-gauge.gcode", []byte(marked))
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	line := fmt.Sprint(at + 1)
	c.Page(t, p, "In the file already", "Take over")
	c.Steps(t, []webtest.Step{
		{p + "/takeover", []string{"from", "3", "to", "3"}, 404, "no stop on this line"},
		{p + "/takeover", []string{"from", line, "to", line}, 200, "Gull white"},
		{p + "/takeover", []string{"from", line, "to", line}, 409, "already"},
	})
	c.Page(t, p+"/proof", "Muted: lines", "Same plastic", "M600")
	_, out := c.Do("GET", p+"/write", nil, nil)
	if strings.Count(out, "\nM600") != 1 || !strings.Contains(out, "; dogear muted: M600") {
		t.Error("the file's own stop is not taken over")
	}
	// Opened again, the file is recognised, and gives the first one back.
	id2, refused := c.Bring("tide-gauge_stop-8.gcode", []byte(out))
	if refused != "" {
		t.Fatal(refused)
	}
	p2 := fmt.Sprintf("/prints/%d", id2)
	c.Page(t, p2, "Dogear has written this file")
	c.Steps(t, []webtest.Step{{p2 + "/takeout", nil, 200, ""},
		{p + "/takeout", nil, 409, "othing that Dogear has written"}})
	// The original stands there: no twin comes, and its marks are the file's.
	if body := c.Page(t, "/", "Tide gauge"); strings.Contains(body, "stop-8") ||
		strings.Count(body, "<h2") != 1 {
		t.Error("the file stands on the shelf as a twin of its original")
	}
	if _, again := c.Do("GET", p+"/write", nil, nil); again != out {
		t.Error("written again it is another file")
	}
	// With other marks there the file's take their place, and can be taken back.
	c.Steps(t, []webtest.Step{{p + "/ears", []string{"before", "12", "kind", "stop"}, 200,
		"Plain stop"}})
	id3, _ := c.Bring("tide-gauge_stop-8.gcode", []byte(out))
	c.Steps(t, []webtest.Step{{fmt.Sprintf("/prints/%d/takeout", id3), nil, 200, ""}})
	if body := c.Page(t, p, "Gull white"); strings.Contains(body, "Plain stop") {
		t.Error("the marks of the file do not take the place of those that were there")
	}
	c.Steps(t, []webtest.Step{{p + "/undo", nil, 200, "Plain stop"}})
	// Without its original on the shelf, that comes out of the file.
	c.Steps(t, []webtest.Step{{p + "/remove", nil, 200, ""}})
	id4, _ := c.Bring("tide-gauge_stop-8.gcode", []byte(out))
	c.Steps(t, []webtest.Step{{fmt.Sprintf("/prints/%d/takeout", id4), nil, 200, ""}})
	p5 := fmt.Sprintf("/prints/%d", id4+1)
	c.Page(t, p5, "Gull white", "Tide gauge")
	prints, _ := c.St.Prints(t.Context())
	if prints[0].Name != "tide-gauge.gcode" || prints[0].Bytes != int64(len(marked)) {
		t.Errorf("%+v, want %d bytes", prints[0], len(marked))
	}
	if _, again := c.Do("GET", p5+"/write", nil, nil); again != out {
		t.Error("written again it is another file")
	}
}

// TestPlaces checks that a typed place is understood, and that one that is none is told.
func TestPlaces(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprintf("/prints/%d/place?at=", c.Upload(file, "gauge.gcode"))
	for at, want := range map[string]string{
		"7": `"folds":[{"layer":7,"words":"before layer 7"}]`, "2.60+mm": `"layer":14,"words":"after 13`,
		"soon":    `{"said":"“soon” is no place; write a layer`,
		"99+mm":   `"said":"The print is 3.40 mm high`,
		"%3Cb%3E": `"folds":[]`,
	} {
		if code, body := c.Do("GET", p+at, nil, nil); code != 200 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s", at, code, body)
		}
	}
}

// TestEarKeepsItsPlace checks that an ear which a plan has put at a height or at the file's
// own number stays there when something else of it is changed.
func TestEarKeepsItsPlace(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprintf("/prints/%d", c.Upload(file, "gauge.gcode"))
	c.Steps(t, []webtest.Step{{p + "/plan", []string{"plan", `{"format":"dogear-plan/1","ears":[` +
		`{"id":"a1","at_height":2.1,"kind":"insert"},{"id":"a2","file_number":4,"kind":"insert"}]}`}, 200,
		"applied"}})
	c.Steps(t, []webtest.Step{
		{p + "/ears/a1", []string{"where", "2.1 mm", "all", "1", "note", "a nut"}, 200, "a nut"},
		{p + "/ears/a2", []string{"where", "file 4", "all", "1", "note", "a pin"}, 200, "a pin"},
		{p + "/ears", []string{"where", "1", "kind", "stop"}, 200, "before layer 1"},
	})
	_, doc := c.Do("GET", p+"/plan", nil, nil)
	for _, want := range []string{`"at_height":2.1`, `"file_number":4`, `"before_layer":1`} {
		if !strings.Contains(doc, want) {
			t.Errorf("%s is not in %s", want, doc)
		}
	}
}
