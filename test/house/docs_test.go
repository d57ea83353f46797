package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

var (
	code  = regexp.MustCompile("`([^`]+)`")
	words = regexp.MustCompile(`[A-Za-z_][A-Za-z0-9_]*`)
)

// TestHowItWorks checks that every name in docs/how-it-works.md is one of the code's, and
// every file is there: a walk that leads to nothing is worse than none.
func TestHowItWorks(t *testing.T) {
	known := map[string]bool{}
	files := map[string]bool{}
	scripts := map[string]bool{} // of the pages
	each(t, func(path, text string) {
		files[filepath.Base(path)] = true
		scripts[filepath.Base(path)] = strings.Contains(filepath.ToSlash(path), "web/assets/js/")
		if filepath.Ext(path) == ".js" {
			for _, w := range words.FindAllString(text, -1) {
				known[w] = true
			}
			return
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, text, parser.SkipObjectResolution)
		if err != nil {
			t.Fatal(err)
		}
		known[f.Name.Name] = true
		ast.Inspect(f, func(n ast.Node) bool {
			if id, ok := n.(*ast.Ident); ok {
				known[id.Name] = true
			}
			return true
		})
	}, ".go", ".js")
	text, err := os.ReadFile(filepath.Join("..", "..", "docs", "how-it-works.md"))
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, m := range code.FindAllStringSubmatch(string(text), -1) {
		name := m[1]
		n++
		switch {
		case strings.HasPrefix(name, "dogear "), strings.HasPrefix(name, "POST "),
			strings.HasPrefix(name, "/"), strings.HasPrefix(name, "."):
			continue
		case strings.HasSuffix(name, ".go") || strings.HasSuffix(name, ".js"):
			if !files[filepath.Base(name)] {
				t.Errorf("%s is no file", name)
			}
			continue
		case strings.Contains(name, "/"):
			if _, err := os.Stat(filepath.Join("..", "..", name)); err != nil {
				t.Errorf("%s is no folder", name)
			}
			continue
		}
		for _, w := range words.FindAllString(name, -1) {
			if !known[w] {
				t.Errorf("%s: nothing is called %s", name, w)
			}
		}
	}
	if n < 50 {
		t.Error(n, "names: is this the right document?")
	}
	for name := range files {
		if filepath.Ext(name) == ".js" && scripts[name] && !strings.Contains(string(text), "`"+name+"`") {
			t.Errorf("%s is not in the table of scripts", name)
		}
	}
}

// TestDocumentsLink checks that links between the documents lead somewhere.
func TestDocumentsLink(t *testing.T) {
	link := regexp.MustCompile(`\]\(([^)#]+)(#[^)]*)?\)`)
	each(t, func(path, text string) {
		for _, m := range link.FindAllStringSubmatch(text, -1) {
			if strings.Contains(m[1], "://") {
				continue
			}
			to := filepath.Join("..", "..", filepath.Dir(path), m[1])
			if _, err := os.Stat(to); err != nil {
				t.Errorf("%s: nothing is at %s", path, m[1])
			}
		}
	}, ".md")
}
