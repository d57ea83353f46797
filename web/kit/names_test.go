package kit_test

import (
	"encoding/json"
	"fmt"
	"html"
	"regexp"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/kit"
	"dogear/web/webtest"
)

// TestOddNames gives things names that mean something elsewhere; every button
// still sends what it says.
func TestOddNames(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	odd := `6" <tape> & 'co' {x}`
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id, _ := c.Bring("tide-gauge.gcode", file)
	p := fmt.Sprintf("/prints/%d", id)
	c.Steps(t, []webtest.Step{
		{"/kit/filaments", []string{"name", odd, "colour", "#112233"}, 200, ""},
		{"/kit/printers", []string{"name", odd, "x0", "0", "y0", "0", "x1", "200", "y1", "200", "top",
			"200", "park_x", "5", "park_y", "5"}, 200, ""},
		{"/kit/inserts", []string{"name", odd, "shape", "hex", "across", "5", "height", "3"}, 200, ""},
		{"/kit/routines/copy", []string{"from", "sound only"}, 200, ""},
		{"/kit/routines/rename", []string{"key", "sound only, ours", "name", odd}, 200, ""},
	})
	vals := regexp.MustCompile(`hx-vals=(?:"([^"]*)"|'([^']*)')`)
	held, err := c.St.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for _, page := range []string{p, "/kit", kit.EditURL(plan.Routines, odd),
		kit.EditURL(plan.Filaments, held.Keys[plan.Filaments][6]), kit.EditURL(plan.Printers,
			held.Keys[plan.Printers][1]), kit.EditURL(plan.Inserts, odd)} {
		body := c.Page(t, page)
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
	c.Steps(t, []webtest.Step{{p + "/ears", []string{"before", "5", "filament",
		held.Keys[plan.Filaments][6]},
		200, "6&#34;"}, {p + "/ears/a1", []string{"all", "1", "routine", odd}, 200, ""}})
	c.Page(t, p+"/proof", "Same plastic")
	if _, out := c.Do("GET", p+"/write", nil, nil); !strings.Contains(out, "; dogear ear a1: 6") {
		t.Error("the ear is not written")
	}
}
