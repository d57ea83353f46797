package bind

import (
	"bytes"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"dogear/core/plan"
	"dogear/demo"
	"dogear/demo/demotest"
	"dogear/store"
	"dogear/web/book"
)

// TestReadBinding reads addresses of two piers, 1 coarse and 2 fine, and what a control asks for;
// as an address of its own each says the same again.
func TestReadBinding(t *testing.T) {
	books := map[int64]*book.Book{}
	for id, high := range map[int64]float64{1: 0.3, 2: 0.15} {
		file, _ := demo.Slice(demo.Pier(high, 0), demo.DialectNamed("plain"))
		books[id] = &book.Book{Print: store.Print{ID: id, Title: fmt.Sprint("pier ", id)},
			Src: bytes.NewReader(file), Ix: demotest.Index(t, file)}
	}
	opened := 0
	open := func(id int64) (*book.Book, error) {
		opened++
		if b, ok := books[id]; ok {
			return b, nil
		}
		return nil, store.ErrNone
	}
	kit := &store.Kit{Kit: plan.Kit{Filaments: map[string]plan.Filament{"kelp": {Name: "Kelp"}}}}
	read := func(query string) (*binding, error) {
		t.Helper()
		q, err := url.ParseQuery(query)
		if err != nil {
			t.Fatal(err)
		}
		opened = 0
		return readBinding(q, kit, open)
	}
	for _, c := range []struct{ query, pieces, joints string }{
		{"", "", ""},
		{"p=1", "1:0-0", ""}, // its layers are chosen when another one comes
		{"p=1&p=2", "1:1-8 2:16-31", "  0 0 0"},
		{"p=1:1-8&p=2:16-31&j=nozzle&n=0,25&dz=-0.04&h=3&r=quiet&f=kelp", "1:1-8 2:16-31",
			"nozzle quiet 0.25 -0.04 3"},
		{"p=1:1-8&p=2:16-31&j=hammer", "1:1-8 2:16-31", "  0 0 0"},
		{"p=1:1-99&p=2:16-31", "1:1-8 2:16-31", "  0 0 0"}, // no such layers: laid out anew
		{"p=1:1-8&p=2:16-31&move=0:3.4", "1:1-11 2:22-31", "  0 0 0"},
		{"p=1:1-8&p=2:16-31&move=0:1e9", "1:1-8 2:16-31", "  0 0 0"},
		{"p=1:1-8&p=2:16-31&move=7:3.4", "1:1-8 2:16-31", "  0 0 0"},
		{"p=1:1-8&p=2:16-31&height=0:3.4", "1:1-11 2:22-31", "  0 0 0"},
		{"p=1:1-8&p=2:16-31&turn=0", "2:1-15 1:9-16", "  0 0 0"},
		{"p=1:1-8&p=2:16-31&turn=1", "1:1-8 2:16-31", "  0 0 0"},
		{"p=1:1-8&p=2:16-31&drop=0", "2:0-31", ""},
		{"p=1:1-8&p=2:16-23&p=1:13-15&j=nozzle&j=colour&drop=2", "1:1-8 2:16-31", "nozzle  0 0 0"},
		{"p=1:1-8&p=2:16-31&drop=9&turn=x&at=99&move=&ok=..%2F", "1:1-8 2:16-31", "  0 0 0"},
	} {
		t.Run(c.query, func(t *testing.T) {
			b, err := read(c.query)
			if err != nil {
				t.Fatal(err)
			}
			var pieces, joints []string
			for i, p := range b.pieces {
				pieces = append(pieces, fmt.Sprintf("%d:%d-%d", b.books[i].Print.ID, p.From, p.To))
			}
			for _, j := range b.joints {
				joints = append(joints, fmt.Sprint(j.Kind, " ", j.Routine, " ", j.Nozzle, " ", j.DZ, " ",
					j.Minutes))
			}
			if got := strings.Join(pieces, " "); got != c.pieces {
				t.Errorf("pieces %s, want %s", got, c.pieces)
			}
			if got := strings.Join(joints, ", "); got != c.joints {
				t.Errorf("joints %q, want %q", got, c.joints)
			}
			if b.at < 0 || b.at > max(len(b.pieces)-2, 0) || len(b.accept) > 0 {
				t.Errorf("joint %d is looked at, %v is let pass", b.at, b.accept)
			}
			if len(b.pieces) < 2 {
				return
			}
			again, err := read(strings.TrimPrefix(b.address(""), "?"))
			if err != nil || again.address("") != b.address("") {
				t.Errorf("%s, read again %s (%v)", b.address(""), again.address(""), err)
			}
		})
	}
	for query, want := range map[string]string{
		"p=x":                               store.ErrNone.Error(),
		"p=9":                               store.ErrNone.Error(),
		"p=1:1-8&p=2:16-31&dz=50":           "from -5 to 5",
		"p=1:1-8&p=2:16-31&n=nought":        "number",
		strings.Repeat("p=1&", 9):           "most 8",
		strings.Repeat("p=1&", 8) + "add=2": "most 8",
		strings.Repeat("add=1&", 9):         "most 8",
	} {
		t.Run(query, func(t *testing.T) {
			_, err := read(query)
			if err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%v, want %q", err, want)
			}
			if opened > MaxBound {
				t.Errorf("%d prints were opened", opened)
			}
		})
	}
}
