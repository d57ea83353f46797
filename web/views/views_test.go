package views

import (
	"strings"
	"testing"
	"testing/fstest"
)

// folder has templates by name.
func folder(texts map[string]string) fstest.MapFS {
	m := fstest.MapFS{}
	for name, text := range texts {
		m["templates/"+name+".html"] = &fstest.MapFile{Data: []byte(text)}
	}
	return m
}

// TestViews renders pages within the layout, and parts by themselves, of several folders.
func TestViews(t *testing.T) {
	v, err := New(folder(map[string]string{
		"quay": `{{define "main"}}<main>{{template "_pile" .Note}}</main>{{end}}`}),
		folder(map[string]string{"_pile": `<i>{{.}}</i>`}))
	if err != nil {
		t.Fatal(err)
	}
	render := func(name string, bind any) string {
		t.Helper()
		var b strings.Builder
		if err := v.Render(&b, name, bind); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	if got := render("_pile", "<b>"); got != "<i>&lt;b&gt;</i>" {
		t.Error(got)
	}
	got := render("quay", map[string]any{"Note": "low water", "Title": "Quay", "At": "enter",
		"Limit": 1})
	if !strings.HasPrefix(got, "<!doctype html>") ||
		!strings.Contains(got, "<main><i>low water</i></main>") ||
		!strings.Contains(got, "<title>Quay") {
		t.Error(got)
	}
	if err := v.Render(&strings.Builder{}, "pier", nil); err == nil {
		t.Error("what is not there is rendered")
	}
	for what, name := range map[string]string{"page": "quay", "part": "_pile"} {
		if _, err := New(folder(map[string]string{name: ""}), folder(map[string]string{name: ""})); err ==
			nil {
			t.Errorf("%s: two have one name", what)
		}
	}
	if _, err := New(folder(map[string]string{"error": ""})); err == nil {
		t.Error("a page has the name of one that all share")
	}
	if _, err := New(folder(map[string]string{"quay": "{{"})); err == nil {
		t.Error("a template that is none is taken")
	}
}
