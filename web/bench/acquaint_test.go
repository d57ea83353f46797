package bench_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestAcquaint asks at the first mark which printer a print is for, filled in from its file,
// and keeps the answer.
func TestAcquaint(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	text := "; bed size: 300 x 250\n" + strings.Replace(string(file), "\nG28", "\nM226\nG28", 1)
	p := fmt.Sprint("/prints/", c.Upload([]byte(text), "gauge.gcode"))
	if page := c.Page(t, p); strings.Contains(page, "Which printer") {
		t.Error("it asks before anything is marked")
	}
	if code, body := c.Form(p+"/ears", "before", "13", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	c.Page(t, p, "Which printer is this for", `name="wide" inputmode="decimal" value="300"`,
		`value="250"`)
	if _, body := c.Do("GET", p+"/writing", nil, nil); !strings.Contains(body,
		"Nobody has said which printer") {
		t.Error("writing does not say that the printer is a guess")
	}
	good := []string{"name", "tall one", "wide", "300", "deep", "250", "high", "400", "origin",
		"middle", "corner", "front-right", "how", "all", "wait_word", "M0", "all_word", "M600"}
	without := func(field, value string) []string {
		out := append([]string{}, good...)
		for i := 0; i < len(out); i += 2 {
			if out[i] == field {
				out[i+1] = value
			}
		}
		return out
	}
	c.Steps(t, []webtest.Step{
		{p + "/acquaint", without("name", ""), 422, "ive the printer a name"},
		{p + "/acquaint", without("wide", ""), 422, "how wide, how deep and how high"},
		{p + "/acquaint", without("high", "9"), 422, "igh: “9” must be a number"},
		{p + "/acquaint", without("corner", "x"), 422, "which corner"},
		{p + "/acquaint", without("how", ""), 422, "how the printer stops"},
		{p + "/acquaint", without("wait_word", "G28"), 422, "is no stop word"},
		{p + "/acquaint", good, 200, "is in your Kit; this print is for it. Bed 300 × 250 mm"},
	})
	if page := c.Page(t, p, "tall one"); strings.Contains(page, "Which printer is this") {
		t.Error("it asks again")
	}
	kit, err := c.St.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, pr := range kit.Printers {
		if pr.Name != "tall one" {
			continue
		}
		n++
		if pr.Assumed || pr.Bed != [4]float64{-150, -125, 150, 125} || pr.Top != 400 ||
			pr.Park != [2]float64{145, -120} || pr.Stop[plan.Colour] != "M600" ||
			pr.Stop[plan.Insert] != "M0" {
			t.Errorf("%+v", pr)
		}
	}
	if n != 1 || len(kit.Printers) != 1 {
		t.Errorf("%d printers, %d of them the new one", len(kit.Printers), n)
	}
	if _, out := c.Do("GET", p+"/write", nil, nil); strings.Count(out, "\nM600") != 1 {
		t.Error("the file does not stop as this printer does")
	}
}
