package kit_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/handshake"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestHandshakePage asks a printer of the Kit, answers, and stops a print by what it has told.
func TestHandshakePage(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := "/prints/" + fmt.Sprint(c.Upload(file, "gauge.gcode"))
	if code, body := c.Form(p+"/ears", "before", "13", "kind", "colour"); code != 200 {
		t.Fatal(code, body)
	}
	// Nobody knows how it stops: the card leads to the page on which it is asked.
	code, body := c.Form(p+"/acquaint", "name", "quay printer", "wide", "200", "deep", "200",
		"high", "200", "origin", "corner", "corner", "back-left", "how", "ask")
	if code != 200 {
		t.Fatal(code, body)
	}
	at := "/kit/printers/handshake"
	kit, err := c.St.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	key := ""
	for k, pr := range kit.Printers {
		if pr.Name == "quay printer" {
			key = k
		}
	}
	page := c.Page(t, at+"?key="+strings.ReplaceAll(key, " ", "+"), "Which word makes it wait?",
		"quay printer", "M400 U1", "nothing helped")
	if strings.Count(page, "data-try=") != len(handshake.Usual) {
		t.Error("not each word has a card")
	}
	_, out := c.Do("GET", at+"/file?key="+strings.ReplaceAll(key, " ", "+")+"&word=M0&word=HOLD_IT",
		nil, nil)
	if !strings.Contains(out, "\nHOLD_IT\n") || strings.Contains(out, "\nM25\n") ||
		!strings.Contains(out, "G1 X100 Y100 ") {
		t.Error(out)
	}
	_, out = c.Form(at+"/simulated", "key", key, "kind", "card")
	var seen []handshake.Happening
	if json.Unmarshal([]byte(out), &seen) != nil || len(seen) < 15 {
		t.Error(out)
	}
	for i, h := range seen[:len(seen)-2] {
		if n := seen[i+1]; h.What == handshake.DrawsStrokes && n.Try == h.Try && n.Time < h.Time+1 &&
			n.What == handshake.Wags && h.Try != 2 {
			t.Errorf("%+v is seen with %+v", h, n)
		}
	}
	c.Steps(t, []webtest.Step{
		{at, []string{"key", key}, 422, "ay what it did at one of the words"},
		{at, []string{"key", "none"}, 404, "not in the Kit any more"},
		{at, []string{"key", key, "word", "G28"}, 422, "ay what"},
		{at + "/simulated", []string{"key", key, "kind", "sunken"}, 422, "no such simulated"},
		{at, []string{"key", key, "did_1", "went on", "did_2", "late", "on_2", "display", "tones",
			"no", "held", "no"}, 200, "waits at M25, but late"},
	})
	if kit, err = c.St.Kit(t.Context()); err != nil {
		t.Fatal(err)
	}
	pr := kit.Printers[key]
	if pr.StopWord(plan.Colour) != "M25" || !pr.Silent || pr.Blank || pr.Holds != 2 ||
		!pr.IgnoresStop("M0") || pr.Asked == "" {
		t.Errorf("%+v", pr)
	}
	if _, out = c.Do("GET", p+"/write", nil, nil); !strings.Contains(out, "\nM25") ||
		strings.Contains(out, "M300") {
		t.Error("the file does not stop as it has told")
	}
	c.Page(t, p+"/cue", "Be there within 2 min")
	// An ear that stops with a word it was seen to ignore is not written.
	err = c.St.Change(t.Context(), 1, func(doc *plan.Plan) error {
		doc.Ears[0].Stop = "M0"
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if code, out = c.Do("GET", p+"/write", nil, nil); code != 409 ||
		!strings.Contains(out, "went straight on at M0") {
		t.Error(code, out)
	}
}
