// Package house checks what anybody sees of the code before reading it: how long its lines,
// functions and files are.
package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"
)

// At most so many columns a line, lines a function and lines a file.
const (
	mostColumns  = 100
	mostFunction = 80
	mostTest     = 120 // a whole journey, or a table of cases
	mostFile     = 400
)

// straight are functions that are longer, and have nowhere to bend: tables, and the loop in
// which most of the time of a reading goes.
var straight = []string{"Machine.m", "Command.Parse", "Machine.LayRun", "Step.Words",
	"plantedFaults"}

// each calls f for every file of the repository with one of some extensions.
func each(t *testing.T, f func(path, text string), extensions ...string) {
	t.Helper()
	root := filepath.Join("..", "..")
	n := 0
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && slices.Contains([]string{"node_modules", "dist", "tmp", ".git"}, d.Name()):
			return filepath.SkipDir
		case d.IsDir() || !slices.Contains(extensions, filepath.Ext(path)):
			return nil
		}
		text, err := os.ReadFile(path)
		f(strings.TrimPrefix(path, root+string(filepath.Separator)), string(text))
		n++
		return err
	})
	if err != nil || n == 0 {
		t.Fatal(n, "files", err)
	}
}

// TestLines checks that lines end at 100 columns.
func TestLines(t *testing.T) {
	each(t, func(path, text string) {
		for k, line := range strings.Split(text, "\n") {
			if n := utf8.RuneCountInString(line); n > mostColumns {
				t.Errorf("%s:%d has %d columns", path, k+1, n)
			}
		}
	}, ".go", ".html", ".css", ".mjs", ".js")
}

// TestLengths checks how long functions and files of Go are.
func TestLengths(t *testing.T) {
	each(t, func(path, text string) {
		if n := strings.Count(text, "\n"); n > mostFile {
			t.Errorf("%s has %d lines", path, n)
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, text, parser.SkipObjectResolution)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			n := set.Position(fn.End()).Line - set.Position(fn.Pos()).Line + 1
			most := mostFunction
			if strings.HasSuffix(path, "_test.go") {
				most = mostTest
			}
			if name := nameOf(fn); n > most && !slices.Contains(straight, name) {
				t.Errorf("%s: %s has %d lines", path, name, n)
			}
		}
	}, ".go")
}

// nameOf is the name of a function, behind the type that it is a method of.
func nameOf(fn *ast.FuncDecl) string {
	if fn.Recv == nil {
		return fn.Name.Name
	}
	of := fn.Recv.List[0].Type
	if p, ok := of.(*ast.StarExpr); ok {
		of = p.X
	}
	if id, ok := of.(*ast.Ident); ok {
		return id.Name + "." + fn.Name.Name
	}
	return fn.Name.Name
}
