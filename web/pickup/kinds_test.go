package pickup

import (
	"os"
	"regexp"
	"testing"

	"dogear/core/pickup"
)

// TestKinds checks that every kind of evidence has its words, can be chosen, and is asked for.
func TestKinds(t *testing.T) {
	page, err := os.ReadFile("templates/_pickup.html")
	if err != nil {
		t.Fatal(err)
	}
	script, err := os.ReadFile("../assets/js/evidence.js")
	if err != nil {
		t.Fatal(err)
	}
	for _, kind := range pickup.Kinds {
		if w := kindWords[kind]; w.card == "" || w.short == "" {
			t.Errorf("%s has no words", kind)
		}
		for where, text := range map[string][]byte{`value="` + kind + `"`: page,
			`(?m)^  "?` + kind + `"?: \[`: script} {
			if !regexp.MustCompile(where).Match(text) {
				t.Errorf("%s is not there: %s", kind, where)
			}
		}
	}
	if len(kindWords) != len(pickup.Kinds) {
		t.Errorf("%d kinds have words", len(kindWords))
	}
}
