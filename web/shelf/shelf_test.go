package shelf_test

import (
	"fmt"
	"regexp"
	"strings"
	"testing"
	"time"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/shelf"
	"dogear/web/webtest"
)

// TestTakenOff takes a print off the shelf, puts it back, and deletes it for good.
func TestTakenOff(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	id := c.Upload(file, "gauge <b>.gcode")
	path := fmt.Sprintf("/prints/%d", id)
	if code, body := c.Form(path + "/remove"); code != 200 {
		t.Fatal(code, body)
	}
	for at, want := range map[string]int{path: 404, path + "/lines": 404, "/": 200, "/off": 200} {
		if code, _ := c.Do("GET", at, nil, nil); code != want {
			t.Errorf("%s: %d, want %d", at, code, want)
		}
	}
	if _, body := c.Do("GET", fmt.Sprint("/?off=", id), nil, nil); !strings.Contains(body,
		"Put it back") {
		t.Error("it cannot be undone on the shelf")
	}
	if _, body := c.Do("GET", "/off", nil, nil); !strings.Contains(body, "30 days") ||
		strings.Contains(body, "<b>.") {
		t.Error(body)
	}
	if code, body := c.Form(path + "/back"); code != 200 {
		t.Fatal(code, body)
	}
	if code, _ := c.Do("GET", path, nil, nil); code != 200 {
		t.Error(code)
	}
	if code, _ := c.Form(path + "/delete"); code != 404 {
		t.Errorf("what stands on the shelf is deleted for good: %d", code)
	}
	c.Form(path + "/remove")
	if code, body := c.Form(path + "/delete"); code != 200 {
		t.Fatal(code, body)
	}
	if code, _ := c.Form(path + "/back"); code != 404 {
		t.Error(code)
	}
}

// TestManyPrints shows a shelf of many prints piece by piece, whole with one that cannot
// be shown, and opens no file for what it has shown before.
func TestManyPrints(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	var ids []int64
	for k := range shelf.Page + 7 {
		ids = append(ids, c.Upload(append(file, fmt.Sprintf("; print %d\n", k)...),
			fmt.Sprintf("gauge-%d.gcode", k)))
	}
	seen := map[string]bool{}
	entry := regexp.MustCompile(`<h2 [^>]*title="([^"]+)"`)
	next := "/"
	for pages := 0; next != ""; pages++ {
		code, body := c.Do("GET", next, nil,
			map[string]string{"HX-Request": map[bool]string{true: "true"}[pages > 0]})
		if code != 200 || pages > 2 {
			t.Fatal(code, pages)
		}
		for _, m := range entry.FindAllStringSubmatch(body, -1) {
			if seen[m[1]] {
				t.Errorf("%s stands there twice", m[1])
			}
			seen[m[1]] = true
		}
		next = ""
		if m := regexp.MustCompile(`hx-get="([^"]+)"`).FindStringSubmatch(body); m != nil {
			next = strings.ReplaceAll(m[1], "&amp;", "&")
		}
	}
	if len(seen) != len(ids) {
		t.Errorf("%d of %d prints are shown", len(seen), len(ids))
	}
	// The drawings are kept now: nothing is opened to show them again.
	forget := func() {
		for _, id := range ids {
			c.S.Books.Drop(id)
		}
	}
	forget()
	if code, _ := c.Do("GET", "/", nil, nil); code != 200 || c.S.Books.Open() != 0 {
		t.Errorf("%d books were opened", c.S.Books.Open())
	}
	// One whose reading is damaged hides no other, and is read again.
	last := ids[len(ids)-1]
	c.SQL(`UPDATE indexes SET data = X'00' WHERE print_id = ?`, last)
	c.SQL(`UPDATE faces SET drawing = NULL WHERE print_id = ?`, last)
	forget()
	if code, body := c.Do("GET", "/", nil, nil); code != 200 ||
		len(entry.FindAllString(body, -1)) != shelf.Page {
		t.Errorf("%d: %d prints", code, len(entry.FindAllString(body, -1)))
	}
	for k := 0; ; k++ {
		code, _ := c.Do("GET", fmt.Sprint("/prints/", last), nil, nil)
		if code == 200 {
			break
		}
		if k > 300 {
			t.Fatalf("it is not read again: %d", code)
		}
		time.Sleep(20 * time.Millisecond)
	}
}
