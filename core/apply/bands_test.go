package apply

import (
	"encoding/json"
	"os"
	"testing"
)

// TestNextFilament goes by the table by which the browser is tested too.
func TestNextFilament(t *testing.T) {
	text, err := os.ReadFile("testdata/next.json")
	if err != nil {
		t.Fatal(err)
	}
	var all []struct {
		Name   string
		Before int
		Line   int64
		Kit    []string
		Bands  []Band
		Want   string
	}
	if err := json.Unmarshal(text, &all); err != nil || len(all) < 9 {
		t.Fatal(len(all), err)
	}
	for _, c := range all {
		t.Run(c.Name, func(t *testing.T) {
			if got := NextFilament(c.Bands, c.Before, c.Line, c.Kit); got != c.Want {
				t.Errorf("%q, want %q", got, c.Want)
			}
		})
	}
}
