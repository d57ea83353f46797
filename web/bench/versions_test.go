package bench_test

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image/png"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/picture"
	"dogear/web/webtest"
)

// TestVersions brings a newer slicing of a print: its marks go along, by height
// and by the pocket they were made for, and both can be looked at side by side.
func TestVersions(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	coarse, _ := demo.Slice(demo.Hollows(0.25), demo.DialectNamed("plain"))
	fine, _ := demo.Slice(demo.Hollows(0.2), demo.DialectNamed("round"))
	id, _ := c.Bring("block-a.gcode", coarse)
	p := fmt.Sprintf("/prints/%d", id)
	c.Steps(t, []webtest.Step{
		{p + "/ears", []string{"before", "20", "filament", "white"}, 200, ""},
		// where the hexagonal pocket closes
		{p + "/ears", []string{"before", "39", "kind", "stop"}, 200, ""},
		{p + "/changes", []string{"from", "10", "to", "15", "speed", "70"}, 200, ""},
	})
	code, body := c.Do("POST", p+"/version", strings.NewReader(string(fine)),
		map[string]string{"X-File-Name": "block-b.gcode", "Content-Type": "application/octet-stream"})
	var a struct{ ID int64 }
	if err := json.Unmarshal([]byte(body), &a); err != nil || code != 201 {
		t.Fatal(code, body)
	}
	if refused := c.Read(a.ID); refused != "" {
		t.Fatal(refused)
	}
	n := fmt.Sprintf("/prints/%d", a.ID)
	page := c.Page(t, n, "What became of the marks", "the pocket closes", "2 of 2",
		"block-a.gcode", "speed 70 %")
	if !strings.Contains(page, "before layer 39 at 9.5 mm is now before layer 49") {
		t.Errorf("%s", page[strings.Index(page, "data-carried"):][:900])
	}
	c.Page(t, p, "1 of 2", "block-b.gcode") // the older one stays as it was
	shelf := c.Page(t, "/", "The slicing before")
	if strings.Count(shelf, "<h2") != 1 {
		t.Error("the older slicing stands on the shelf too")
	}
	c.Page(t, fmt.Sprintf("%s/compare/%d", n, id), "Two slicings",
		"block-a.gcode, 56 layers of 0.25 mm", "block-b.gcode, 70 layers of 0.2 mm",
		"was 9.50 mm, layer 39")
	c.Steps(t, []webtest.Step{
		{n + "/carried", nil, 200, ""},
		{n + "/undo", nil, 200, ""},
		{n + "/redo", nil, 200, ""},
	})
	if body := c.Page(t, n); strings.Contains(body, "What became of the marks") {
		t.Error("what was read is told again")
	}
	for _, u := range []string{n + "/compare/99", n + "/compare/x"} {
		if code, _ := c.Do("GET", u, nil, nil); code != 404 {
			t.Errorf("%s: %d", u, code)
		}
	}
	c.Steps(t, []webtest.Step{{n + "/remove", nil, 200, ""}})
	c.Page(t, "/", "Block a")
}

// TestPlanPicture hands a plan on with a picture, and shows it where it is laid
// onto another file; anything that is no picture is refused or not shown.
func TestPlanPicture(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	wall, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	id, _ := c.Bring("wall.gcode", wall)
	p := fmt.Sprintf("/prints/%d", id)
	c.Steps(t, []webtest.Step{{p + "/ears", []string{"before", "20", "kind", "stop"}, 200, ""}})
	_, text := c.Do("GET", p+"/plan", nil, nil)
	var doc plan.Plan
	if err := json.Unmarshal([]byte(text), &doc); err != nil {
		t.Fatal(err)
	}
	img, err := png.Decode(base64.NewDecoder(base64.StdEncoding,
		strings.NewReader(strings.TrimPrefix(doc.Picture, plan.PicturePrefix))))
	if err != nil || img.Bounds().Dx() < 20 || img.Bounds().Dx() > picture.SmallPicture {
		t.Fatal(err, len(doc.Picture))
	}
	fine, _ := demo.Slice(demo.HarbourWall(0.15), demo.DialectNamed("plain"))
	other, _ := c.Bring("other.gcode", fine)
	o := fmt.Sprintf("/prints/%d/plan", other)
	c.Steps(t, []webtest.Step{
		{o, []string{"plan", text}, 200, "made for another file, wall.gcode"},
		{o, []string{"plan", text}, 200, `<img src="data:image/png;base64,`},
		{o, []string{"plan", strings.Replace(text, doc.Picture, "javascript:alert(1)", 1)}, 422,
			"must be a PNG"},
	})
	code, body := c.Form(o, "plan",
		strings.Replace(text, doc.Picture, plan.PicturePrefix+`bm8gcGljdHVyZQ==`, 1))
	if code != 200 || strings.Contains(body, "<img") {
		t.Errorf("%d: what is no picture is shown as one", code)
	}
}
