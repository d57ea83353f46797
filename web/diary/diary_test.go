package diary_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/store"
	"dogear/web/webtest"
)

// TestDiary keeps what a print's diary says from being a formula, and from growing without end.
func TestDiary(t *testing.T) {
	c, p := webtest.WallOnShelf(t)
	c.Page(t, p+"/diary", "Nothing happened to this print yet")
	c.Form(p+"/ears", "before", "20", "kind", "stop")
	if code, _ := c.Do("GET", p+"/write", nil, nil); code != 200 {
		t.Fatal(code)
	}
	c.Page(t, p+"/diary", "written", "wall_stop-20")
	for k := range store.MaxEntries + 5 {
		if err := c.St.Note(t.Context(), 1, "learned", fmt.Sprint("=", k)); err != nil {
			t.Fatal(err)
		}
	}
	all, err := c.St.Diary(t.Context(), 1)
	if err != nil || len(all) != store.MaxEntries {
		t.Errorf("%d lines, %v", len(all), err)
	}
	if _, table := c.Do("GET", p+"/diary/csv", nil, nil); !strings.Contains(table, ",'=7\n") {
		t.Error("a spreadsheet would work it out")
	}
}
