package proof_test

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestOtherModel lays a saved plan onto another model only when that is asked for.
func TestOtherModel(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	var ids []int64
	for name, solid := range map[string]demo.Solid{"gauge.gcode": demo.TideGauge(),
		"wall.gcode": demo.HarbourWall(0.3)} {
		file, _ := demo.Slice(solid, demo.DialectNamed("plain"))
		id, refused := c.Bring(name, file)
		if refused != "" {
			t.Fatal(refused)
		}
		ids = append(ids, id)
	}
	from, to := fmt.Sprintf("/prints/%d", ids[0]), fmt.Sprintf("/prints/%d", ids[1])
	c.Steps(t, []webtest.Step{{from + "/ears", []string{"before", "5", "kind", "insert"}, 200, ""}})
	_, saved := c.Do("GET", from+"/plan", nil, nil)
	var doc struct {
		File struct {
			Shape *struct{ Height float64 }
		}
	}
	if err := json.Unmarshal([]byte(saved), &doc); err != nil || doc.File.Shape == nil ||
		doc.File.Shape.Height == 0 {
		t.Fatalf("the plan does not say what shape it was made for: %v", err)
	}
	c.Steps(t, []webtest.Step{
		{to + "/plan", []string{"plan", saved}, 200, "was made for another model"},
		{to + "/plan", []string{"plan", saved, "other", "1"}, 200, "The plan is applied"},
	})
}

// TestGateKnowsTheFile removes a print and brings another with the same marks: nothing
// that was kept of the first is shown, or written, for the second.
func TestGateKnowsTheFile(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	var out [2]string
	var ids [2]int64
	for k, solid := range []demo.Solid{demo.TideGauge(), demo.HarbourWall(0.3)} {
		file, _ := demo.Slice(solid, demo.DialectNamed("plain"))
		id, refused := c.Bring("a.gcode", file)
		if refused != "" || id == ids[0] {
			t.Fatal("a number was given twice: ", id, refused)
		}
		ids[k] = id
		p := fmt.Sprintf("/prints/%d", id)
		c.Steps(t, []webtest.Step{{p + "/plan", []string{"plan", `{"format":"dogear-plan/1","mutes":[],` +
			`"ears":[{"id":"look","before_layer":9,"kind":"own lines","lines":["M117 look"]}]}`}, 200, ""}})
		var code int
		if code, out[k] = c.Do("GET", p+"/write", nil, nil); code != 200 {
			t.Fatal(code, out[k])
		}
		if n := len(out[k]) - len(file); n < 100 || n > 2000 {
			t.Errorf("print %d: %d bytes more than the file, out of an ear", k, n)
		}
		c.Steps(t, []webtest.Step{{p + "/remove", nil, 200, ""}})
	}
}

// TestGate refuses a file that would harm the part, says where, and writes it when one
// has taken each finding upon oneself; undone, it is refused again.
func TestGate(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, refused := c.Bring("gauge.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	if code, text := c.Form(p+"/plan", "plan", `{"format":"dogear-plan/1","mutes":[{"from":1,`+
		`"to":1}],`+
		`"ears":[{"id":"look","before_layer":9,"kind":"own lines","lines":["M502"]}]}`); code != 200 {
		t.Fatal(code, text)
	}
	c.Page(t, p+"/proof", "Dogear will not write this file", "M502 puts the maker",
		"I accept the risk",
		"See ear 1 below")
	if code, _ := c.Do("GET", p+"/write", nil, nil); code != 409 {
		t.Errorf("written all the same: %d", code)
	}
	_, body := c.Do("GET", p+"/proof", nil, nil)
	found := regexp.MustCompile(`name="name" value="(settings-lost@\d+)"`).FindStringSubmatch(body)
	if found == nil {
		t.Fatal("the finding cannot be accepted")
	}
	c.Steps(t, []webtest.Step{
		{p + "/proof/accept", []string{"name", found[1]}, 422, "ick the box"},
		{p + "/proof/accept", []string{"name", "all", "sure", "1"}, 422, "names no finding"},
		{p + "/proof/accept", []string{"name", found[1], "sure", "1"}, 200, ""},
	})
	if code, text := c.Do("GET", p+"/write", nil, nil); code != 200 ||
		!strings.Contains(text, "; "+found[1]+" ") {
		t.Errorf("%d: accepted, but not written, or not named", code)
	}
	c.Page(t, p+"/proof", "let pass; the file names it", "Undo")
	c.Steps(t, []webtest.Step{{p + "/undo", nil, 200, ""}})
	if code, _ := c.Do("GET", p+"/write", nil, nil); code != 409 {
		t.Errorf("undone, but written: %d", code)
	}
}
