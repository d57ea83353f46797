package web_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// page is the rank of the pages: one knows what is shared, and no other page but by knows.
const page = 5

// rank orders the packages: imports go to a lower rank only.
var rank = map[string]int{
	"say": 0, "cache": 0, "conn": 0, "hub": 0, "assets": 0,
	"draw": 1, "fields": 1, "book": 1, "views": 1,
	"reading": 2, "picture": 2, "site": 3, "arrive": 4,
	"access": page, "bench": page, "bind": page, "cuesheet": page, "diary": page, "kit": page,
	"lines": page, "pickup": page, "proof": page, "rehearse": page, "shelf": page, "watch": page,
	".": 6, "webtest": 7,
}

// knows are the pages that lead to another one and ask it for the address, or for what it shows.
var knows = map[string]string{"shelf": "bind", "bench": "kit", "watch": "cuesheet"}

// TestRooms checks that the packages of the web import each other in one direction.
func TestRooms(t *testing.T) {
	seen := map[string]bool{}
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") ||
			strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		own := filepath.ToSlash(filepath.Dir(path))
		seen[own] = true
		from, ok := rank[own]
		if !ok {
			t.Errorf("%s: give the package %s a rank", path, own)
		}
		for _, im := range f.Imports {
			name, _ := strconv.Unquote(im.Path.Value)
			rest, ours := strings.CutPrefix(name, "dogear/web/")
			if ours && rank[rest] >= from && knows[own] != rest {
				t.Errorf("%s imports %s, which is not below it", path, name)
			}
		}
		return nil
	})
	if err != nil || len(seen) != len(rank) {
		t.Fatal(seen, err)
	}
	for a, b := range knows {
		if knows[b] != "" || !slices.Contains([]int{rank[a], rank[b]}, page) {
			t.Errorf("%s knows %s, which knows another page", a, b)
		}
	}
}
