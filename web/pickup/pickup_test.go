package pickup_test

import (
	"bytes"
	"context"
	"fmt"
	"regexp"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestPickupPages goes from what is known to a file, and through a second
// failure.
func TestPickupPages(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	id, refused := c.Bring("wall.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	ix, err := layer.Read(context.Background(), bytes.NewReader(file), layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	p := fmt.Sprintf("/prints/%d", id)
	u := p + "/pickup"
	c.Page(t, u, "What happened?", "one thing is enough to begin")
	c.Steps(t, []webtest.Step{
		{u + "/write", nil, 409, "ay first what you know"},
		{u + "/evidence", []string{"kind", "touch", "value", "9,05"}, 200,
			"one island, no openings; laid last: "},
		{u + "/write", nil, 409, "ay first whether"},
		{u + "/evidence", []string{"kind", "touch", "value", "much"}, 422, "is no number"},
		{u + "/evidence", []string{"kind", "touch", "value", "900"}, 422, "is not a height"},
		{u + "/evidence", []string{"kind", "guess", "value", "9"}, 422, "hoose what you know"},
		{u + "/evidence", []string{"kind", "counted", "value", "3"}, 422, "from which layer"},
		{u + "/evidence", []string{"kind", "display", "x", "1", "y", "", "z", "3"}, 422, "X, Y and Z"},
		{u + "/evidence", []string{"kind", "display", "x", "1", "y", "1", "z", "3"}, 422,
			"o move passes"},
		{u + "/evidence", []string{"kind", "minutes", "value", "soon"}, 422, "3:12"},
		{u + "/evidence", []string{"kind", "counted", "value", "3", "from", "27"}, 200,
			"3 above layer 27"},
		{u + "/evidence", []string{"kind", "percent", "value", "90"}, 200,
			"Did the printer go on without filament?"},
		{u + "/evidence/remove", []string{"index", "2"}, 200, "Proposed: layer 30"},
		{u + "/undo", nil, 200, "Did the printer go on without filament?"},
		{u + "/redo", nil, 200, "Proposed: layer 30"},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		{u + "/choice", []string{"layer", "300"}, 422, "no layer 300"},
		{u + "/choice", []string{"start", "redo"}, 200, "Layer 30 is laid again"},
		{u + "/choice", []string{"start", "soon"}, 422, "can start with"},
		{u + "/choice", []string{"z", "guess"}, 422, "is kept, touched"},
		{u + "/choice", []string{"start", "mid"}, 200, "inside layer 31"},
		{u + "/choice", []string{"line", "99999999"}, 422, "no such line"},
		{u + "/choice", []string{"start", "next"}, 200, "begins with layer 31"},
		{u + "/choice", []string{"all", "1", "dz", "0,1", "feeler", "0.1", "ease_layers", "2",
			"ease_speed", "80", "ease_hotter", "5", "prime", "15"}, 200, "M220 S80"},
		{u + "/choice", []string{"all", "1", "dz", "50"}, 422, "from -2 to 2"},
		{u + "/choice", []string{"all", "1", "prime_at", "left"}, 422, "is no place"},
		{u + "/choice", []string{"all", "1"}, 200, "G92 Z9"},
		{u + "/choice", []string{"loose", "1"}, 200, "Write the loose top"},
		{u + "/choice", []string{"loose", "0"}, 200, "Write the pick-up"},
	})
	// Homing on the part is refused with a picture; words are needed to go on.
	c.Steps(t, []webtest.Step{
		{u + "/choice", []string{"z", "clear"}, 200, "ay where Z is homed"},
		{u + "/choice", []string{"all", "1", "home_at", "110 110"}, 200, "data-refused"},
		{u + "/write", nil, 409, "would run into the part"},
	})
	_, body := c.Do("GET", u, nil, nil)
	found := regexp.MustCompile(`name="name" value="(homes-onto-part@\d+)"`).FindStringSubmatch(body)
	if found == nil {
		t.Fatal("the finding cannot be accepted")
	}
	homes := found[1]
	c.Steps(t, []webtest.Step{
		{u + "/accept", []string{"name", homes, "words", "yes"}, 422, "write: i have looked"},
		{u + "/accept", []string{"name", homes, "words", "I have looked and I will watch."}, 200,
			"Somebody has accepted this risk"},
		{u + "/accept", []string{"name", homes, "back", "1"}, 200, "I accept the risk"},
		{u + "/choice", []string{"all", "1", "home_at", "20, 20"}, 200, "Write the pick-up"},
		{u + "/choice", []string{"z", "touch"}, 200, "Write the pick-up"},
	})
	// A line of the start-up is turned, and back.
	line := fmt.Sprint(1 + strings.Count(string(file[:bytes.Index(file, []byte("G28"))]), "\n"))
	c.Steps(t, []webtest.Step{
		{u + "/flip", []string{"line", line, "on", "1"}, 200, "may bring the nozzle down"},
		{u + "/flip", []string{"line", line, "on", "1"}, 200, "Write the pick-up"},
		{u + "/write", nil, 200, ""},
	})
	_, out := c.Do("GET", p+"/pickups/1/file", nil, nil)
	if !strings.HasSuffix(out, string(file[ix.Layers[30].Offset:])) ||
		!strings.Contains(out, "G92 Z9 ") {
		t.Error("the rest is not the original")
	}
	c.Page(t, u, "Earlier pick-ups", "from layer 31", "What happened?")
	if body := c.Page(t, "/", "failed at 9.0 mm: pick it up", "url(#ghost)"); strings.Count(body,
		"pick it up") != 1 {
		t.Error("other prints failed too")
	}
	// It fails a second time; the line was counted in the pick-up's file.
	length := strings.Count(out[:strings.Index(out, "; dogear pick-up ends")], "\n") + 1
	inside := ix.Layers[49].First + 1
	c.Steps(t, []webtest.Step{
		{u + "/evidence", []string{"kind", "line", "value", fmt.Sprint(inside - ix.Layers[30].Fold + 1 +
			int64(length)), "of", "1"}, 200, fmt.Sprintf("line %s", figures.Count(inside))},
		{u + "/evidence", []string{"kind", "line", "value", "3", "of", "1"}, 422, "lies in the opening"},
		{u + "/evidence", []string{"kind", "line", "value", "3000", "of", "9"}, 422, "no such pick-up"},
		{u + "/choice", []string{"line", fmt.Sprint(inside)}, 200, "inside layer"},
		{u + "/write", nil, 200, ""},
	})
	if _, out := c.Do("GET", p+"/pickups/2/file", nil, nil); !strings.HasSuffix(out,
		"\n"+strings.Join(strings.Split(string(file), "\n")[inside-1:], "\n")) {
		t.Error("the second rest is not the original")
	}
	// What is worked on next has no height yet, so it has no touch check.
	if code, text := c.Do("GET", u+"/touch", nil, nil); code != 409 ||
		!strings.Contains(text, "ay first what you know") {
		t.Errorf("%d %.300s", code, text)
	}
	c.Steps(t, []webtest.Step{{p + "/pickups/1/remove", nil, 200, "Forgotten"}})
	if code, _ := c.Do("GET", p+"/pickups/1", nil, nil); code != 404 {
		t.Error(code)
	}
}

// TestPickupKeepsEars writes the ears that are still to come, and heats for the
// filament that is on the printer.
func TestPickupKeepsEars(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	id, _ := c.Bring("wall.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.Steps(t, []webtest.Step{
		{"/kit/filaments", []string{"key", "white", "name", "Gull white", "colour", "#ece6d8", "nozzle",
			"228", "purge", "45"}, 200, ""},
		{p + "/ears", []string{"before", "10", "filament", "white"}, 200, ""},
		{p + "/ears", []string{"before", "50", "filament", "red"}, 200, ""},
		{p + "/pickup/choice", []string{"layer", "30"}, 200, "1 ear still to come is kept"},
		{p + "/pickup/write", nil, 200, ""},
	})
	_, out := c.Do("GET", p+"/pickups/1/file", nil, nil)
	if !strings.Contains(out, "\nM109 S228") || strings.Contains(out, "; dogear ear a1:") ||
		!strings.Contains(out, "; dogear ear a2:") {
		t.Errorf("%.2000s", out)
	}
}

// TestPickupKeepsChanges picks up inside layers that are laid otherwise: the rest
// is laid as the plan has it.
func TestPickupKeepsChanges(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	id, _ := c.Bring("wall.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	u := p + "/pickup"
	c.Steps(t, []webtest.Step{
		{p + "/changes", []string{"from", "10", "to", "50", "speed", "60", "flow", "96", "fan", "40",
			"nozzle", "225"}, 200, ""},
		{p + "/changes", []string{"from", "60", "to", "70", "speed", "80"}, 200, ""},
		{u + "/evidence", []string{"kind", "layer", "value", "30"}, 200, ""},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		{u + "/write", nil, 200, ""},
	})
	_, out := c.Do("GET", p+"/pickups/1/file", nil, nil)
	opening, rest, _ := strings.Cut(out, "; dogear pick-up ends")
	for _, want := range []string{"M109 S225", "M106 S102", "M220 S60", "M221 S96"} {
		if !strings.Contains(opening, want) {
			t.Errorf("%s is not in the opening", want)
		}
	}
	if !strings.Contains(rest, "; dogear back c1") || !strings.Contains(rest, "; dogear change c2") ||
		strings.Contains(rest, "; dogear change c1") {
		t.Error("the rest does not end the first change and begin the second")
	}
}

// TestPaperOnThePage checks that paper under the nozzle is taken off the touch, and said.
func TestPaperOnThePage(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	u := fmt.Sprintf("/prints/%d/pickup", c.Upload(file, "wall.gcode"))
	c.Steps(t, []webtest.Step{
		{u + "/evidence", []string{"kind", "touch", "value", "9.3"}, 200, "layer 31, off by 0.00"},
		{u + "/choice", []string{"all", "1", "feeler", "0.3"}, 200, "9.30 mm on 0.3 mm of paper"},
	})
	c.Page(t, u, "layer 30, off by 0.00")
}

// TestPickupIsKept gives a pick-up that was written, its touch check and its sheet as they
// were, whatever is marked, changed or begun afterwards.
func TestPickupIsKept(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	p := fmt.Sprintf("/prints/%d", c.Upload(file, "wall.gcode"))
	u := p + "/pickup"
	c.Steps(t, []webtest.Step{
		{p + "/ears", []string{"before", "50", "filament", "white"}, 200, ""},
		{u + "/evidence", []string{"kind", "touch", "value", "9.0"}, 200, "layer 30, off by 0.00"},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
	})
	_, draft := c.Do("GET", u+"/touch?last=30", nil, nil)
	if !strings.Contains(draft, "G92 Z9 ") {
		t.Errorf("%.400s", draft)
	}
	if code, body := c.Do("GET", u+"/touch?last=31", nil, nil); code != 409 ||
		!strings.Contains(body, "load the page again") {
		t.Errorf("an old page gets a touch check: %d %.200s", code, body)
	}
	c.Steps(t, []webtest.Step{{u + "/write", nil, 200, ""}})
	k := p + "/pickups/1"
	_, made := c.Do("GET", k+"/file", nil, nil)
	_, touch := c.Do("GET", k+"/touch", nil, nil)
	page := c.Page(t, k, "Pick-up from layer 31", "Load Signal red", "Leave the part on the bed",
		"three places of the wall", "0.1 mm of paper", "It lays layer 31 first", "before layer 50: Gull",
		"Touched with the nozzle", "9.00 mm", "What came of it?")
	if touch != draft || !strings.Contains(page, "<svg") {
		t.Error("the touch check is another one than before the writing")
	}
	// Everything round it changes.
	c.Steps(t, []webtest.Step{
		{p + "/ears/a1", []string{"filament", "kelp"}, 200, ""},
		{p + "/ears", []string{"before", "60", "filament", "red"}, 200, ""},
		{"/kit/filaments", []string{"key", "white", "name", "Gull white", "colour", "#ece6d8", "nozzle",
			"228"}, 200, ""},
		{u + "/evidence", []string{"kind", "layer", "value", "44"}, 200, ""},
		{u + "/choice", []string{"layer", "44"}, 200, ""},
	})
	if _, now := c.Do("GET", k+"/file", nil, nil); now != made {
		t.Error("the file is another one by now")
	}
	if _, now := c.Do("GET", k+"/touch", nil, nil); now != touch {
		t.Error("the touch check is another one by now")
	}
	half := fmt.Sprintf("bytes=%d-", len(made)/2)
	if code, rest := c.Do("GET", k+"/file", nil, map[string]string{"Range": half}); code != 206 ||
		rest != made[len(made)/2:] {
		t.Error("a download that was broken off does not go on", code)
	}
	c.Steps(t, []webtest.Step{
		{k + "/outcome", []string{"outcome", "maybe"}, 422, "whether it worked"},
		{k + "/outcome", []string{"outcome", "failed"}, 200, ""},
	})
	c.Page(t, u, "Earlier pick-ups", "failed")
	// What an older Dogear kept without a sum is examined anew; bytes that were never examined do
	// not go out.
	change := func(set string) {
		c.SQL("UPDATE pickups SET made = " + set + " WHERE id = 1 RETURNING 1")
	}
	change("json_set(made, '$.touch', 'G1 Z0')")
	code, text := c.Do("GET", k+"/touch", nil, nil)
	if code == 200 || strings.Contains(text, "G1 Z0") {
		t.Errorf("a touch check that nobody examined: %d %.100s", code, text)
	}
	change("json_remove(made, '$.touch_sha256', '$.sha256')")
	if _, now := c.Do("GET", k+"/touch", nil, nil); now != touch {
		t.Errorf("the touch check of an older one: %.200s", now)
	}
	if code, now := c.Do("GET", k+"/file", nil, nil); code != 200 ||
		!strings.Contains(now, "; dogear pick-up") {
		t.Errorf("the file of an older one: %d %.200s", code, now)
	}
}

// TestEvidenceReopens asks again when something becomes known that speaks against the place
// that was chosen, and writes nothing until it is answered.
func TestEvidenceReopens(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	u := fmt.Sprintf("/prints/%d/pickup", c.Upload(file, "wall.gcode"))
	if page := c.Page(t, u, "What happened?"); strings.Contains(page, "Proposed: layer") {
		t.Error("something is proposed, and nothing is known")
	}
	c.Steps(t, []webtest.Step{
		{u + "/evidence", []string{"kind", "touch", "value", "9.0"}, 200, "Proposed: layer 30"},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		{u + "/evidence", []string{"kind", "caliper", "value", "9.05"}, 200, "Write the pick-up"},
		{u + "/evidence", []string{"kind", "layer", "value", "33"}, 200,
			"“Last good layer” speaks for layer 33, and you chose layer 30."},
		{u + "/write", nil, 409, "ay first which of them it is"},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		{u + "/undo", nil, 200, "Say first which layer it is"},
		{u + "/evidence/measured", nil, 200, "Write the pick-up"},
		{u + "/write", nil, 200, ""},
	})
}
