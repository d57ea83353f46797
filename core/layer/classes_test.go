package layer

import (
	"encoding/json"
	"os"
	"testing"
)

// TestClasses numbers the classes of paths as the table does, by which the browser is tested too:
// pages are sent as numbers.
func TestClasses(t *testing.T) {
	text, err := os.ReadFile("testdata/classes.json")
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	if err := json.Unmarshal(text, &names); err != nil || len(names) != len(classNames) {
		t.Fatal(names, err)
	}
	for n, want := range names {
		if got := Class(n).String(); got != want {
			t.Errorf("class %d is %q, want %q", n, got, want)
		}
	}
}
