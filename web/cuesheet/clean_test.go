package cuesheet_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestCameClean asks after a change whether it was clean, learns of the pair, and purges
// otherwise at the next one between the two, and at no other.
func TestCameClean(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := fmt.Sprint("/prints/", c.Upload(file, "gauge.gcode"))
	for i, f := range []string{"tar", "white", "tar"} {
		if code, body := c.Form(p+"/ears", "before", fmt.Sprint(5+3*i), "kind", "colour", "filament",
			f); code != 200 {
			t.Fatal(code, body)
		}
	}
	c.Page(t, p+"/cue", "Was it clean?", "Purges 45 mm")
	_, before := c.Do("GET", p+"/write", nil, nil)
	c.Steps(t, []webtest.Step{
		{p + "/cue/clean", []string{"ear", "none", "clean", "right"}, 404, "no such change"},
		{p + "/cue/clean", []string{"ear", "a2", "clean", "fine"}, 422, " change can be"},
		{p + "/cue/clean", []string{"ear", "a2", "clean", "too little"}, 200, "65"},
	})
	c.Page(t, p+"/cue", "Purges 65 mm")
	c.Page(t, "/kit/filaments/edit?key=white", `name="after:tar" inputmode="decimal"`, `value="65"`)
	_, after := c.Do("GET", p+"/write", nil, nil)
	count := func(s string) int { return strings.Count(s, "purges 65 mm") }
	if before == after || count(before) != 0 || count(after) != 1 {
		t.Errorf("%d purges of 65 mm before, %d after", count(before), count(after))
	}
	c.Page(t, p+"/proof", "65 mm") // and the proof is of the file as it is now
	c.Steps(t, []webtest.Step{{p + "/cue/clean", []string{"ear", "a2", "mm", "45"}, 200,
		"Was it clean?"}})
	if _, again := c.Do("GET", p+"/write", nil, nil); again != before {
		t.Error("put back, the file is another one")
	}
	// By hand, in the form.
	kit, err := c.St.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	form := []string{"key", "white", "name", "Gull white", "colour", "#ece6d8", "purge", "45",
		"was", kit.Signs[plan.Filaments+"/white"]}
	c.Steps(t, []webtest.Step{
		{"/kit/filaments", append(form, "after:tar", "x"), 422, "fter Tar black"},
		{"/kit/filaments", append(form, "after:tar", "80", "after:red", ""), 200, ""},
	})
	c.Page(t, p+"/cue", "Purges 80 mm")
}
