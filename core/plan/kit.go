package plan

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"
)

// KitFormat is the name of the kit format.
const KitFormat = "dogear-kit/1"

// Kit is what somebody owns: printers, filaments, inserts and routines, by
// name or key.
type Kit struct {
	Format    string                `json:"format"`
	Printers  map[string]Printer    `json:"printers,omitempty"`
	Filaments map[string]Filament   `json:"filaments,omitempty"`
	Inserts   map[string]InsertPart `json:"inserts,omitempty"`
	Routines  map[string]Routine    `json:"routines,omitempty"`
}

// Drawers of a kit.
const (
	Printers  = "printers"
	Filaments = "filaments"
	Inserts   = "inserts"
	Routines  = "routines"
)

// Drawers in the order in which they are shown.
var Drawers = []string{Printers, Filaments, Inserts, Routines}

// Item is one thing in a drawer: a Printer, Filament, InsertPart or Routine. A
// nil Doc stands for one that is taken out.
type Item struct {
	Drawer, Key string
	Doc         any
}

// Items returns everything in the kit, drawer by drawer, ordered by key.
func (k *Kit) Items() []Item {
	var out []Item
	add := func(drawer string, keys []string, doc func(string) any) {
		slices.Sort(keys)
		for _, key := range keys {
			out = append(out, Item{drawer, key, doc(key)})
		}
	}
	add(Printers, slices.Collect(maps.Keys(k.Printers)), func(s string) any { return k.Printers[s] })
	add(Filaments, slices.Collect(maps.Keys(k.Filaments)),
		func(s string) any { return k.Filaments[s] })
	add(Inserts, slices.Collect(maps.Keys(k.Inserts)), func(s string) any { return k.Inserts[s] })
	add(Routines, slices.Collect(maps.Keys(k.Routines)), func(s string) any { return k.Routines[s] })
	return out
}

// ParseKit reads a kit and says in a sentence what is wrong with it.
func ParseKit(r io.Reader) (*Kit, error) {
	var k Kit
	if err := json.NewDecoder(io.LimitReader(r, maxPlan)).Decode(&k); err != nil {
		return nil, fmt.Errorf("this is not JSON that can be read: %w", err)
	}
	if k.Format != KitFormat {
		return nil, fmt.Errorf("the format is %q; %q is understood", k.Format, KitFormat)
	}
	for _, it := range k.Items() {
		if err := CheckKey(it.Key); err != nil {
			return nil, fmt.Errorf("%s %q: %w", it.Drawer, it.Key, err)
		}
	}
	for n, p := range k.Printers {
		if err := p.Check(); err != nil {
			return nil, fmt.Errorf("printer %q: %w", n, err)
		}
		k.Printers[n] = p
	}
	for n, f := range k.Filaments {
		if err := f.Check(); err != nil {
			return nil, fmt.Errorf("filament %q: %w", n, err)
		}
	}
	for n, i := range k.Inserts {
		if err := i.Check(); err != nil {
			return nil, fmt.Errorf("insert %q: %w", n, err)
		}
	}
	for n, x := range k.Routines {
		if err := x.Check(); err != nil {
			return nil, fmt.Errorf("routine %q: %w", n, err)
		}
	}
	return &k, nil
}

// CheckKey says what is wrong with a key or name.
func CheckKey(key string) error {
	if strings.TrimSpace(key) != key || key == "" || len(key) > 80 {
		return errors.New("a name has 1 to 80 characters and no blank at its ends")
	}
	for _, r := range key {
		if r < ' ' || r == utf8.RuneError {
			return errors.New("a name is made of letters, digits and signs")
		}
	}
	return nil
}

// Shapes an insert can have.
var Shapes = []string{"hex", "square", "disc", "block", "ball", "ring", "other"}

// InsertPart is what goes into a pocket. Lengths in mm: Across is the width
// across flats or the diameter, Length the longer side of a block, Inner the
// hole of a ring.
type InsertPart struct {
	Name   string  `json:"name,omitempty"`
	Shape  string  `json:"shape"`
	Across float64 `json:"across"`
	Length float64 `json:"length,omitempty"`
	Inner  float64 `json:"inner,omitempty"`
	Height float64 `json:"height"`
	Steel  bool    `json:"steel,omitempty"`
	Magnet bool    `json:"magnet,omitempty"`
	Grams  float64 `json:"grams,omitempty"`
	// Tolerance is by how much it may be larger than its sizes say.
	Tolerance float64 `json:"tolerance,omitempty"`
}

// Check says what is wrong with an insert. Sizes may be left out.
func (i *InsertPart) Check() error {
	if i.Shape != "" && !slices.Contains(Shapes, i.Shape) && i.Shape != "round" && i.Shape != "rect" {
		return fmt.Errorf("the shape %q is not known; there are %s", i.Shape, strings.Join(Shapes, ", "))
	}
	for _, v := range []float64{i.Across, i.Length, i.Inner, i.Height, i.Tolerance} {
		if !within(v, 0, 500) {
			return fmt.Errorf("%g mm is out of range", v)
		}
	}
	if !within(i.Grams, 0, 10000) {
		return fmt.Errorf("%g g is out of range", i.Grams)
	}
	return nil
}
