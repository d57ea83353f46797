package fields

import "testing"

// TestForm reads numbers as people write them, and says what is wrong with others.
func TestForm(t *testing.T) {
	f := Form{"wide": {" 7,45 "}, "blank": {" "}, "word": {"wide"}, "all": {"a", "b"}}
	for name, want := range map[string]float64{"wide": 7.45, "blank": 1, "none": 1} {
		if v, err := f.Number(name, 1, 10); err != nil || v != want {
			t.Errorf("%s: %g %v", name, v, err)
		}
	}
	for name, want := range map[string]string{
		"word": "Word: “wide” must be a number from 1 to 10.", "none": "Say how wide it is."} {
		if _, err := f.Needed(name, "how wide it is", 1, 10); err == nil || err.Error() != want {
			t.Errorf("%s: %v", name, err)
		}
	}
	if f.Value("all") != "a" || len(f.All("all")) != 2 || f.All("none") != nil {
		t.Error(f.All("all"))
	}
	if got := Clip("  a\tb\xff" + string(make([]byte, 200))); got != "a b" {
		t.Errorf("%q", got)
	}
}
