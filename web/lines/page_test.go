package lines_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/demo/demotest"
	"dogear/web/webtest"
)

// TestLinesPage shows a file with its mark and what is muted, sends its lines with their words, and
// says what a line does and where another one is.
func TestLinesPage(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	ix := demotest.Index(t, file)
	text := strings.Split(string(file), "\n")
	path := fmt.Sprintf("/prints/%d", c.Upload(file, "gauge.gcode"))
	first, fold := ix.Layers[3].First, ix.Layers[6].Fold
	for _, s := range [][]string{{"/ears", "where", "layer 7", "kind", "insert"},
		{"/ears", "where", fmt.Sprint("line ", first+2), "kind", "insert"},
		{"/mutes", "from", fmt.Sprint(first), "to", fmt.Sprint(first)}} {
		if code, body := c.Form(path+s[0], s[1:]...); code != 200 {
			t.Fatal(s, code, body)
		}
	}
	c.Page(t, path+"/lines?line=12", `data-at="12"`, fmt.Sprintf(`data-count="%d"`, ix.Lines),
		fmt.Sprintf(`data-ears="%d,%d"`, first+2, fold),
		fmt.Sprintf(`data-mutes="%d-%d"`, first, first))
	c.Page(t, path+"/lines?line=999999", `data-at="1"`)

	get := func(what string, into any) {
		t.Helper()
		code, body := c.Do("GET", path+what, nil, nil)
		if code != 200 || json.Unmarshal([]byte(body), into) != nil {
			t.Fatalf("%s: %d %s", what, code, body)
		}
	}
	var sent []struct {
		N           int64
		Text, Words string
	}
	get(fmt.Sprintf("/text?from=%d&count=5000", first-3), &sent)
	if len(sent) != 400 || sent[0].N != first-3 {
		t.Fatalf("%d lines from %d on", len(sent), sent[0].N)
	}
	for _, l := range sent {
		if l.Text != strings.TrimRight(text[l.N-1], "\r") {
			t.Errorf("line %d: %q, want %q", l.N, l.Text, text[l.N-1])
		}
	}
	if words := sent[3].Words; !strings.HasPrefix(words, "lays ") {
		t.Errorf("line %d: %q", first, words)
	}
	get(fmt.Sprintf("/text?from=%d&count=9", ix.Lines), &sent)
	if len(sent) != 1 || sent[0].N != ix.Lines {
		t.Errorf("behind the end: %+v", sent)
	}

	var line struct {
		Line        int64
		Layer       int
		Text, Words string
		State       []string
	}
	get(fmt.Sprint("/line/", first), &line)
	if line.Layer != 4 || line.Text != text[first-1] || line.Words == "" || len(line.State) < 4 {
		t.Errorf("%+v", line)
	}
	get("/search?q=layer&from="+fmt.Sprint(fold-1), &line)
	if line.Line != fold {
		t.Errorf("layer 7 is found on line %d, not %d", line.Line, fold)
	}

	for what, want := range map[string]int{"/text?from=0&count=9": 422, "/text?from=9": 422,
		"/search?q=+": 422, "/line/0": 404, "/line/nine": 404, "/line/999999": 404} {
		if code, body := c.Do("GET", path+what, nil, nil); code != want {
			t.Errorf("%s: %d, want %d: %s", what, code, want, body)
		}
	}
}
