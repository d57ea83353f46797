package main

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/alecthomas/kong"

	"dogear/core/plan"
	"dogear/demo"
	"dogear/store"
)

// documents are the pages whose commands and examples people copy.
func documents(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, glob := range []string{"README.md", "docs/*.md", "docs/guide/*.md"} {
		names, err := filepath.Glob(filepath.Join("..", "..", glob))
		if err != nil || len(names) == 0 {
			t.Fatal(glob, err)
		}
		for _, n := range names {
			text, err := os.ReadFile(n)
			if err != nil {
				t.Fatal(err)
			}
			out[filepath.Base(filepath.Dir(n))+"/"+filepath.Base(n)] = string(text)
		}
	}
	return out
}

// TestExamples reads every example of JSON in the documents; plans have to go onto the
// lighthouse as they are printed.
func TestExamples(t *testing.T) {
	n := 0
	dir := t.TempDir()
	file, out := filepath.Join(dir, "lighthouse.gcode"), filepath.Join(dir, "out.gcode")
	g, _ := demo.Slice(demo.Lighthouse(), demo.DialectNamed("plain"))
	if err := os.WriteFile(file, g, 0o600); err != nil {
		t.Fatal(err)
	}
	for name, text := range documents(t) {
		for _, m := range regexp.MustCompile("(?s)```json\n(.*?)```").FindAllStringSubmatch(text, -1) {
			n++
			if !json.Valid([]byte(m[1])) {
				t.Errorf("%s: this is no JSON:\n%s", name, m[1])
			} else if strings.Contains(m[1], plan.Format) {
				p := filepath.Join(dir, "plan.json")
				if err := os.WriteFile(p, []byte(m[1]), 0o600); err != nil {
					t.Fatal(err)
				}
				if code, _, errs := dogear(t, "apply", file, "--plan", p, "-o", out, "--force"); code != 0 {
					t.Errorf("%s: %s:\n%s", name, errs, m[1])
				}
			}
		}
	}
	if n < 2 {
		t.Errorf("%d examples", n)
	}
}

// TestFlags finds every flag that the documents name among those that there are.
func TestFlags(t *testing.T) {
	var c cli
	k, err := kong.New(&c, kong.Name("dogear"), helps.CloneWith(kong.Vars{"version": ""}))
	if err != nil {
		t.Fatal(err)
	}
	known := map[string]bool{}
	for _, cmd := range k.Model.Children {
		for _, f := range cmd.Flags {
			known["--"+f.Name] = true
		}
	}
	for name, text := range documents(t) {
		for _, f := range regexp.MustCompile("[ `](--[a-z][a-z-]*)").FindAllStringSubmatch(text, -1) {
			if !known[f[1]] {
				t.Errorf("%s: there is no flag %s", name, f[1])
			}
		}
	}
}

// command is a line of a document that begins with our name; what stands behind two blanks
// says what it does.
var command = regexp.MustCompile(`(?m)^    dogear (\S+(?: \S+)*)`)

// TestCommands runs every command of the documents as it is printed, in a folder in which
// the files lie that it names. Those that go on until they are ended are only understood.
func TestCommands(t *testing.T) {
	n := 0
	for name, text := range documents(t) {
		for _, m := range command.FindAllStringSubmatch(text, -1) {
			if n++; testing.Short() && n%4 != 0 {
				continue
			}
			t.Run(name+"/"+m[1], func(t *testing.T) { try(t, strings.Fields(m[1])) })
		}
	}
	if n < 15 {
		t.Errorf("%d commands", n)
	}
}

// demoPrints are those that commands of the documents are tried on, by their slugs.
var demoPrints = sync.OnceValue(func() map[string][]byte {
	tried := []string{"mooring-bollard", "harbour-wall-coarse", "harbour-wall-fine"}
	out := map[string][]byte{}
	for _, p := range demo.Parts() {
		if slices.Contains(tried, p.Slug) {
			out[p.Slug], _ = demo.Slice(p.Solid, demo.DialectNamed(p.Dialect))
		}
	}
	return out
})

func try(t *testing.T, args []string) {
	home := t.TempDir()
	t.Chdir(home)
	for i, a := range args {
		args[i] = strings.Replace(a, "~", home, 1)
	}
	write := func(name string, text []byte) {
		t.Helper()
		if err := os.WriteFile(name, text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	piece := func(name, slug string) {
		t.Helper()
		text, ok := demoPrints()[slug]
		if !ok {
			t.Fatalf("there is no demo print %q", slug)
		}
		write(name, text)
	}
	piece("FILE", "mooring-bollard")
	for _, n := range []string{"A", "wall-coarse.gcode"} {
		piece(n, "harbour-wall-coarse")
	}
	for _, n := range []string{"B", "wall-fine.gcode"} {
		piece(n, "harbour-wall-fine")
	}
	for _, n := range []string{"PLAN", "plan.json"} {
		write(n, []byte(twoEars))
	}
	keep := func(dir string) {
		t.Helper()
		st, err := store.Open(context.Background(), dir)
		if err != nil {
			t.Fatal(err)
		}
		st.Close()
	}
	switch args[0] {
	case "serve", "demo", "FILE": // go on for ever
		var c cli
		k, err := kong.New(&c, kong.Name("dogear"), helps.CloneWith(kong.Vars{"version": ""}))
		if err == nil {
			_, err = k.Parse(args)
		}
		if err != nil {
			t.Error(err)
		}
		return
	case "proof":
		piece("ORIGINAL", "mooring-bollard")
		if code, _, errs := dogear(t, "apply", "ORIGINAL", "--plan", "PLAN", "-o", "EDITED"); code != 0 {
			t.Fatal(errs)
		}
	case "backup":
		keep(args[1])
	case "restore":
		keep("full")
		if code, _, errs := dogear(t, "backup", "full", "-o", args[1], "--force"); code != 0 {
			t.Fatal(errs)
		}
	}
	if code, out, errs := dogear(t, args...); code != 0 {
		t.Errorf("exit status %d\n%s%s", code, out, errs)
	}
}
