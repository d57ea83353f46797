package web_test

import (
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/web/webtest"
)

// TestTwoTabs changes one item of the Kit in two tabs: the later one is told.
func TestTwoTabs(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	kit, err := c.St.Kit(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	key := kit.Keys["filaments"][0]
	was := kit.Signs["filaments/"+key]
	if page := c.Page(t, "/kit/filaments/edit?key="+key, was); !strings.Contains(page, `name="was"`) {
		t.Fatal("the form does not carry what the item was")
	}
	if code, body := c.Form("/kit/filaments", "key", key, "was", was, "name", "One", "colour",
		"#112233"); code != 200 {
		t.Fatal(code, body)
	}
	if code, body := c.Form("/kit/filaments", "key", key, "was", was, "name", "Two", "colour",
		"#445566"); code != 409 || !strings.Contains(body, "omebody else") {
		t.Fatal(code, body)
	}
	if code, body := c.Form("/kit/filaments/remove", "key", key, "was", was); code != 409 ||
		!strings.Contains(body, "omebody else") {
		t.Error(code, body)
	}
	if kit, _ = c.St.Kit(t.Context()); kit.Filaments[key].Name != "One" {
		t.Error(kit.Filaments[key])
	}
	// Two new ones of one name, at once, are two.
	for _, name := range []string{"Kelp two", "Kelp two"} {
		if code, body := c.Form("/kit/filaments", "key", "", "was", "", "name", name, "colour",
			"#112233"); code != 200 {
			t.Error(code, body)
		}
	}
}
