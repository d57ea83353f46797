package figures

import (
	"encoding/json"
	"fmt"
	"os"
	"testing"
)

// TestBoth goes by the table that the browser's functions are tested with too.
func TestBoth(t *testing.T) {
	text, err := os.ReadFile("testdata/figures.json")
	if err != nil {
		t.Fatal(err)
	}
	var table map[string][][2]any
	if err := json.Unmarshal(text, &table); err != nil {
		t.Fatal(err)
	}
	if len(table["count"]) < 5 || len(table["hours"]) < 5 {
		t.Fatal("the table is short")
	}
	for _, c := range table["count"] {
		if got := Count(int64(c[0].(float64))); got != c[1] {
			t.Errorf("Count(%v): %q, want %q", c[0], got, c[1])
		}
	}
	for _, c := range table["hours"] {
		if got := Hours(c[0].(float64)); got != c[1] {
			t.Errorf("Hours(%v): %q, want %q", c[0], got, c[1])
		}
	}
}

func TestShort(t *testing.T) {
	for n, want := range map[int64]string{-999: "-999", -1000: "-1\u2009000"} {
		if got := Count(n); got != want {
			t.Errorf("Count(%d): %q, want %q", n, got, want)
		}
	}
	for s, want := range map[float64]string{0.04: "", 5.04: "5.0 s", 89: "89 s", 600: "10 min 00 s"} {
		if got := Seconds(s); got != want {
			t.Errorf("Seconds(%g): %q, want %q", s, got, want)
		}
	}
}

func ExampleClock() {
	fmt.Println(Clock(3725))
	// Output: 1:02:05
}
