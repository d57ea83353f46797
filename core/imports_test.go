package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

// rank orders the packages: imports go to a lower rank only.
var rank = map[string]int{
	"figures": 0, "finding": 0, "mark": 0, "gcode": 0, "archive": 0, "edit": 1, "layer": 1,
	"explain": 2, "place": 2, "raster": 2, "landmark": 3, "thread": 3,
	"plan": 3, "insert": 4, "routine": 5, "apply": 6, "apply/applytest": 7,
	"proof": 7, "pickup": 7, "bind": 7, "cue": 7,
	"proof/second": 8, "printer": 8, "watch": 0, "foreign": 8, "handshake": 9, "gate": 10,
}

// TestTable finds each package in the table of README.md, but for those within another one.
func TestTable(t *testing.T) {
	text, err := os.ReadFile("README.md")
	if err != nil {
		t.Fatal(err)
	}
	for name := range rank {
		if !strings.Contains(name, "/") && !strings.Contains(string(text), "\n| `"+name+"` |") {
			t.Errorf("README.md does not tell what %s is for", name)
		}
	}
}

// TestCoreStandsAlone checks that core imports nothing but the standard
// library and itself, and itself in one direction.
func TestCoreStandsAlone(t *testing.T) {
	files := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") ||
			strings.HasSuffix(path, "_test.go") {
			return err
		}
		files++
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		own := filepath.Dir(path)
		from, ok := rank[own]
		if !ok {
			t.Errorf("%s: give the package %s a rank", path, own)
		}
		for _, im := range f.Imports {
			name, _ := strconv.Unquote(im.Path.Value)
			if name == "net/http" || name == "os" || name == "html/template" || name == "database/sql" {
				t.Errorf("%s imports %s", path, name)
			}
			rest, ours := strings.CutPrefix(name, "dogear/core/")
			if ours {
				if rank[rest] >= from && rest != own {
					t.Errorf("%s imports %s, which is not below it", path, name)
				}
			} else if strings.Contains(strings.Split(name, "/")[0], ".") ||
				strings.HasPrefix(name, "dogear/") {
				t.Errorf("%s imports %s", path, name)
			}
		}
		return nil
	})
	if err != nil || files < 10 {
		t.Fatal(files, err)
	}
}
