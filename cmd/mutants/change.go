package main

import (
	"cmp"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// mutant is one change of one place.
type mutant struct {
	id       int
	pkg      string
	file     string
	line     int
	from, to int    // bytes of the file that give way
	with     string // what stands there then; %s is what stood there, %[2]d the id
	what     string
}

func (m *mutant) place() string {
	wd, _ := os.Getwd()
	rel, err := filepath.Rel(wd, m.file)
	if err != nil {
		rel = m.file
	}
	return fmt.Sprintf("%s:%d", rel, m.line)
}

// others are the operators that take the place of another one.
var others = map[token.Token]token.Token{token.LSS: token.LEQ, token.LEQ: token.LSS,
	token.GTR: token.GEQ, token.GEQ: token.GTR, token.EQL: token.NEQ, token.NEQ: token.EQL,
	token.LAND: token.LOR, token.LOR: token.LAND}

// mutantsOf finds all places of a file that can be changed. Places within another one are both
// there; a sample takes one of them.
func mutantsOf(p pkg, file string) ([]mutant, error) {
	src, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	set := token.NewFileSet()
	f, err := parser.ParseFile(set, file, src, parser.ParseComments)
	if err != nil || ast.IsGenerated(f) {
		return nil, err
	}
	var out []mutant
	add := func(n ast.Node, with, what string) {
		at := set.Position(n.Pos())
		out = append(out, mutant{pkg: p.ImportPath, file: file, line: at.Line, from: at.Offset,
			to: set.Position(n.End()).Offset, with: with, what: what})
	}
	text := func(n ast.Node) string {
		return string(src[set.Position(n.Pos()).Offset:set.Position(n.End()).Offset])
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.GenDecl:
			return n.Tok == token.VAR // constants cannot be switched
		case *ast.IfStmt:
			add(n.Cond, "(mutantOn(%[2]d) != (%[1]s))", "if not")
		case *ast.BinaryExpr:
			if op, ok := others[n.Op]; ok {
				x, y := text(n.X), text(n.Y)
				add(n, fmt.Sprintf("(mutantOn(%%[2]d) && (%s %s %s) || !mutantOn(%%[2]d) && (%%[1]s))",
					escape(x), op, escape(y)), fmt.Sprintf("%s for %s", op, n.Op))
			}
		case *ast.BranchStmt:
			if n.Label == nil && n.Tok == token.CONTINUE {
				add(n, "if mutantOn(%[2]d) { break }; %[1]s", "break for continue")
			}
		case *ast.ExprStmt, *ast.IncDecStmt:
			if !strings.HasPrefix(text(n), "panic(") {
				add(n, "if !mutantOn(%[2]d) { %[1]s }", "gone: "+short(text(n)))
			}
		case *ast.AssignStmt:
			if n.Tok != token.DEFINE {
				add(n, "if !mutantOn(%[2]d) { %[1]s }", "gone: "+short(text(n)))
			}
		}
		return true
	})
	return inBlocks(f, set, out), nil
}

// inBlocks leaves out statements that stand where no block may: heads of if, for and switch.
func inBlocks(f *ast.File, set *token.FileSet, all []mutant) []mutant {
	heads := map[int]bool{}
	head := func(s ast.Stmt) {
		if s != nil {
			heads[set.Position(s.Pos()).Offset] = true
		}
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.IfStmt:
			head(n.Init)
		case *ast.ForStmt:
			head(n.Init)
			head(n.Post)
		case *ast.SwitchStmt:
			head(n.Init)
		case *ast.TypeSwitchStmt:
			head(n.Init)
			head(n.Assign)
		case *ast.CommClause:
			head(n.Comm)
		}
		return true
	})
	return slices.DeleteFunc(all, func(m mutant) bool {
		return heads[m.from] && strings.Contains(m.with, "{")
	})
}

func escape(s string) string { return strings.ReplaceAll(s, "%", "%%") }

func short(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if len(s) > 50 {
		s = s[:50] + "…"
	}
	return s
}

// apart returns the first n changes that do not overlap.
func apart(all []mutant, n int) []mutant {
	var out []mutant
	byFile := map[string][]mutant{}
	for _, m := range all {
		if len(out) == n {
			break
		}
		if slices.ContainsFunc(byFile[m.file], func(o mutant) bool {
			return m.from < o.to && o.from < m.to
		}) {
			continue
		}
		m.id = len(out)
		byFile[m.file] = append(byFile[m.file], m)
		out = append(out, m)
	}
	return out
}

// write writes the changed files, and returns the file that lays them over the others.
func write(dir string, all []mutant) (string, error) {
	byFile := map[string][]*mutant{}
	dirs := map[string]string{}
	for i := range all {
		m := &all[i]
		byFile[m.file] = append(byFile[m.file], m)
		dirs[filepath.Dir(m.file)] = m.file
	}
	lay := struct{ Replace map[string]string }{map[string]string{}}
	n := 0
	put := func(file string, text []byte) error {
		n++
		to := filepath.Join(dir, fmt.Sprintf("%d.go", n))
		lay.Replace[file] = to
		return os.WriteFile(to, text, 0o600)
	}
	for file, ms := range byFile {
		src, err := os.ReadFile(file)
		if err != nil {
			return "", err
		}
		slices.SortFunc(ms, func(a, b *mutant) int { return cmp.Compare(b.from, a.from) })
		for _, m := range ms {
			with := fmt.Sprintf(m.with, src[m.from:m.to], m.id)
			src = slices.Concat(src[:m.from], []byte(with), src[m.to:])
		}
		if err := put(file, src); err != nil {
			return "", err
		}
	}
	for d, file := range dirs {
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, file, nil, parser.PackageClauseOnly)
		if err != nil {
			return "", err
		}
		if err := put(filepath.Join(d, "zz_mutant.go"), fmt.Appendf(nil, `package %s

import "os"

var mutantNow = func() (n int) {
	for _, c := range os.Getenv("DOGEAR_MUTANT") {
		if c < '0' || c > '9' {
			return -1
		}
		n = 10*n + int(c-'0')
	}
	return n
}()

func mutantOn(n int) bool { return n == mutantNow }
`, f.Name.Name)); err != nil {
			return "", err
		}
	}
	j, err := json.Marshal(lay)
	if err != nil {
		return "", err
	}
	overlay := filepath.Join(dir, "overlay.json")
	return overlay, os.WriteFile(overlay, j, 0o600)
}
