// Package views renders the templates of the pages.
package views

import (
	"bytes"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"math"
	"path"
	"strings"

	"dogear/core/figures"
	"dogear/web/assets"
	"dogear/web/say"
)

// Files are the templates that pages share.
//
//go:embed templates/*.html
var Files embed.FS

// Views renders the templates. A page is layout.html with the page's "main";
// a name that begins with an underscore is a part by itself.
type Views struct {
	files []fs.FS
	pages map[string]*template.Template
	parts *template.Template
}

// New reads templates/*.html of each of files, and those that pages share.
func New(files ...fs.FS) (*Views, error) {
	v := &Views{files: append(files, Files), pages: map[string]*template.Template{}}
	return v, v.read()
}

// Load implements fiber.Views: there is nothing left to do for the server that starts with them.
func (v *Views) Load() error { return nil }

func (v *Views) read() error {
	v.parts = template.New("").Funcs(funcs)
	pages := map[string]string{}
	for _, from := range v.files {
		names, err := fs.Glob(from, "templates/*.html")
		if err != nil {
			return err
		}
		for _, n := range names {
			text, err := fs.ReadFile(from, n)
			if err != nil {
				return err
			}
			name := strings.TrimSuffix(path.Base(n), ".html")
			if _, twice := pages[name]; twice || v.parts.Lookup(name) != nil {
				return fmt.Errorf("there are two templates %q", name)
			}
			if !strings.HasPrefix(name, "_") && name != "layout" {
				pages[name] = string(text)
			} else if _, err := v.parts.New(name).Parse(string(text)); err != nil {
				return err
			}
		}
	}
	for name, text := range pages {
		t, err := v.parts.Clone()
		if err != nil {
			return err
		}
		if _, err := t.New("page").Parse(text); err != nil {
			return err
		}
		v.pages[name] = t
	}
	return nil
}

// Render implements fiber.Views.
func (v *Views) Render(out io.Writer, name string, bind any, _ ...string) error {
	var b bytes.Buffer
	var err error
	if t, ok := v.pages[name]; ok {
		err = t.ExecuteTemplate(&b, "layout", bind)
	} else if v.parts.Lookup(name) != nil {
		err = v.parts.ExecuteTemplate(&b, name, bind)
	} else {
		err = fmt.Errorf("there is no template %q", name)
	}
	if err != nil {
		return err
	}
	_, err = b.WriteTo(out)
	return err
}

var funcs = template.FuncMap{
	"mm":    say.Millimetres,
	"hours": figures.Hours,
	"group": figures.Count,
	"asset": assets.URL,
	"dict": func(kv ...string) map[string]string {
		m := map[string]string{}
		for i := 0; i+1 < len(kv); i += 2 {
			m[kv[i]] = kv[i+1]
		}
		return m
	},
	"dict2": func(kv ...any) map[string]any {
		m := map[string]any{}
		for i := 0; i+1 < len(kv); i += 2 {
			m[kv[i].(string)] = kv[i+1]
		}
		return m
	},
	"blank": func(v float64) string { // 0 means that nothing is said
		if v == 0 {
			return ""
		}
		return fmt.Sprint(v)
	},
	"blank0": func(n int) string {
		if n == 0 {
			return ""
		}
		return fmt.Sprint(n)
	},
	"sub":  func(a, b float64) float64 { return math.Round((a-b)*10) / 10 },
	"sum":  func(a, b int) int { return max(a+b, 1) },
	"next": func(n int) int { return n + 1 },
	"neg":  func(a float64) float64 { return -a },
	"vals": func(kv ...string) (string, error) { // for hx-vals: a name may hold quotes
		m := map[string]string{}
		for i := 0; i+1 < len(kv); i += 2 {
			m[kv[i]] = kv[i+1]
		}
		j, err := json.Marshal(m)
		return string(j), err
	},
	"clock":  figures.Clock,
	"metres": say.Metres,
	"plural64": func(n int64, one, many string) string {
		if n == 1 {
			return "1 " + one
		}
		return figures.Count(n) + " " + many
	},
	"plural": func(n int, one, many string) string {
		if n == 1 {
			return "1 " + one
		}
		return figures.Count(int64(n)) + " " + many
	},
}
