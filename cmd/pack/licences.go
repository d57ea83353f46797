package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

// scripts are the packages of which parts stand in web/assets/dist.
var scripts = []string{"@alpinejs/csp", "htmx.org", "tailwindcss",
	"@fontsource-variable/fraunces", "@fontsource-variable/source-sans-3",
	"@fontsource/jetbrains-mono"}

// licences gathers the licences of all that the program is made of: Go itself, the modules it
// is linked with, and what its pages bring.
func licences(env []string) ([]byte, error) {
	var out bytes.Buffer
	out.WriteString("Dogear is made of these parts, each under its own licence.\n")
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return nil, err
	}
	if err := add(&out, "Go and its standard library", strings.TrimSpace(string(root))); err != nil {
		return nil, err
	}
	list := exec.Command("go", "list", "-deps", "-f",
		"{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}}\t{{.Dir}}{{end}}{{end}}",
		"dogear/cmd/dogear")
	list.Env, list.Stderr = env, os.Stderr
	lines, err := list.Output()
	if err != nil {
		return nil, err
	}
	modules := strings.Split(strings.TrimSpace(string(lines)), "\n")
	slices.Sort(modules)
	for _, m := range slices.Compact(modules) {
		if name, dir, ok := strings.Cut(m, "\t"); ok {
			if err := add(&out, name, dir); err != nil {
				return nil, err
			}
		}
	}
	for _, s := range scripts {
		dir := filepath.Join("node_modules", filepath.FromSlash(s))
		data, err := os.ReadFile(filepath.Join(dir, "package.json"))
		if err != nil {
			return nil, fmt.Errorf("run make setup first: %w", err)
		}
		var p struct{ Version, License string }
		if err := json.Unmarshal(data, &p); err != nil {
			return nil, err
		}
		err = add(&out, s+" "+p.Version, dir)
		if errors.Is(err, errNone) && p.License != "" {
			fmt.Fprintf(&out, "%s%s %s\n\nLicence: %s, as its package says.\n", rule, s, p.Version,
				p.License)
			err = nil
		}
		if err != nil {
			return nil, err
		}
	}
	return out.Bytes(), nil
}

const rule = "\n----------------------------------------------------------------------\n"

// errNone is the cause when a part comes without a licence.
var errNone = errors.New("it comes without a licence")

// add writes the licences that lie in a folder.
func add(out *bytes.Buffer, name, dir string) error {
	var files []string
	for _, p := range []string{"LICENSE*", "LICENCE*", "COPYING*", "NOTICE*", "PATENTS"} {
		found, err := filepath.Glob(filepath.Join(dir, p))
		if err != nil {
			return err
		}
		files = append(files, found...)
	}
	slices.Sort(files)
	texts := 0
	for _, f := range files {
		if strings.HasSuffix(f, ".go") {
			continue
		}
		text, err := os.ReadFile(f)
		if err != nil {
			return err
		}
		fmt.Fprintf(out, "%s%s: %s\n\n%s\n", rule, name, filepath.Base(f), bytes.TrimSpace(text))
		texts++
	}
	if texts == 0 {
		return fmt.Errorf("%s: %w", name, errNone)
	}
	return nil
}
