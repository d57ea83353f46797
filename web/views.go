package web

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
	"dogear/core/gcode"
)

//go:embed templates/*.html
var templateFiles embed.FS

// views renders the templates. A page is layout.html with the page's "main";
// a name that begins with an underscore is a part by itself.
type views struct {
	pages map[string]*template.Template
	parts *template.Template
}

func newViews() (*views, error) {
	v := &views{pages: map[string]*template.Template{}}
	return v, v.Load()
}

// Load implements fiber.Views.
func (v *views) Load() error {
	names, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		return err
	}
	base := template.New("").Funcs(funcs)
	var pages []string
	for _, n := range names {
		if b := path.Base(n); strings.HasPrefix(b, "_") || b == "layout.html" {
			text, err := templateFiles.ReadFile(n)
			if err != nil {
				return err
			}
			if _, err := base.New(strings.TrimSuffix(b, ".html")).Parse(string(text)); err != nil {
				return err
			}
		} else {
			pages = append(pages, n)
		}
	}
	v.parts = base
	for _, n := range pages {
		t, err := base.Clone()
		if err != nil {
			return err
		}
		text, err := templateFiles.ReadFile(n)
		if err != nil {
			return err
		}
		name := strings.TrimSuffix(path.Base(n), ".html")
		if _, err := t.New("page").Parse(string(text)); err != nil {
			return err
		}
		v.pages[name] = t
	}
	return nil
}

// Render implements fiber.Views.
func (v *views) Render(out io.Writer, name string, bind any, _ ...string) error {
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
	"mm":    millimetres,
	"hours": figures.Hours,
	"group": figures.Count,
	"asset": assetURL,
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
	"metres": metres,
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

// millimetres writes a height or length with at least two decimals.
func millimetres(n gcode.Nano) string {
	n = gcode.Nano(math.Round(float64(n)/1e3)) * 1e3
	return n.String()
}
