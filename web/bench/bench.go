// Package bench has the pages of the bench: the print, its margin, and all that is marked there.
package bench

import (
	"cmp"
	"embed"
	"encoding/json"
	"slices"

	"github.com/gofiber/fiber/v3"

	"dogear/core/landmark"
	"dogear/core/raster"
	"dogear/web/book"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of the bench: the print, its margin, and all that is marked there.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/prints/:id", s.bench)
	r.Get("/prints/:id/book", s.book)
	r.Get("/prints/:id/bands", s.bandsOf)
	r.Stream("/prints/:id/events", s.events)
	r.Get("/prints/:id/margin", s.marginNow)
	r.Get("/prints/:id/place", s.placeNow)
	r.Get("/prints/:id/finds", s.findsNow)
	r.Get("/prints/:id/layers/:n", s.geometry)
	r.Get("/prints/:id/layers/:n/thread", s.thread)
	r.Get("/prints/:id/layers/:n/overlay", s.overlay)
	r.Get("/prints/:id/layers/:n/air", s.air)
	r.Get("/prints/:id/cover/:view", s.cover)
	r.Get("/prints/:id/ears/:ear", s.earCard)
	r.Post("/prints/:id/ears", s.addEar)
	r.Post("/prints/:id/pockets", s.addInsert)
	r.Post("/prints/:id/version", s.newer)
	r.Post("/prints/:id/carried", s.carriedRead)
	r.Get("/prints/:id/compare/:old", s.comparePage)
	r.Post("/prints/:id/mutes", s.mute)
	r.Post("/prints/:id/mutes/remove", s.unmute)
	r.Post("/prints/:id/changes", s.addChange)
	r.Post("/prints/:id/changes/:change/remove", s.removeChange)
	r.Post("/prints/:id/first", s.firstFilament)
	r.Post("/prints/:id/undo", s.undo)
	r.Post("/prints/:id/redo", s.redo)
	r.Post("/prints/:id/ears/:ear", s.changeEar)
	r.Post("/prints/:id/ears/:ear/remove", s.removeEar)
	r.Post("/prints/:id/ears/:ear/copy", s.copyEar)
	r.Post("/prints/:id/printer", s.usePrinter)
	r.Post("/prints/:id/acquaint", s.makeAcquaintance)
	r.Post("/prints/:id/axis", s.filamentAxis)
	r.Post("/prints/:id/plan", s.openPlan)
	r.Post("/prints/:id/takeover", s.takeOver)
	r.Post("/prints/:id/takeout", s.takeOut)
	r.Get("/prints/:id/plan", s.planFile)
}

func (s *pages) bench(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	if len(b.Ix.Layers) == 0 {
		return fiber.NewError(fiber.StatusConflict, "This file moves the head but lays nothing, so "+
			"there is no layer to fold at.")
	}
	if b.Marks == nil {
		s.Jobs.Landmarks(b)
	}
	margin, err := s.margin(c, b)
	if err != nil {
		return err
	}
	_, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	v := finds(b, m)
	v["Reading"], v["Title"], v["At"], v["Margin"] = b.Reading(), b.Print.Title, "bench", margin
	if b.Print.Name == firstRun {
		for _, l := range landmarks(b) {
			if l.Kind == landmark.Raised {
				v["First"] = l.Before
			}
		}
	}
	v["Views"], v["Findings"] = raster.Views, b.Ix.Findings
	return s.Page(c, "bench", v)
}

// firstRun is the demo print on which the first steps are shown.
const firstRun = "tide-gauge.gcode"

// finds is what was found by looking at the layers.
func finds(b *book.Book, m *book.Marked) fiber.Map {
	return fiber.Map{"Print": b.Print, "Pockets": pockets(b, m), "Landmarks": landmarks(b),
		"Looking": b.Marks == nil}
}

// findsNow sends what was found, once it is.
func (s *pages) findsNow(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	return c.Render("_finds", finds(b, m))
}

// bookView is what the bench's scripts know of a print. Heights, lengths and
// times are mm and seconds; lists have one entry a layer.
type bookView struct {
	ID       int64         `json:"id"`
	Version  string        `json:"version"` // changes with the bytes
	Lines    int64         `json:"lines"`
	Kind     string        `json:"kind"`
	Box      [4]float32    `json:"box"`
	Height   float64       `json:"height"`
	Seconds  float64       `json:"seconds"`
	Z        []float64     `json:"z"`
	H        []float64     `json:"h"`
	Number   []*int64      `json:"number"`
	Object   []int         `json:"object"`
	Begin    []float64     `json:"begin"`
	Took     []float64     `json:"took"`
	Fold     []int64       `json:"fold"`
	Front    [][]float32   `json:"front"`
	Side     [][]float32   `json:"side"`
	Filament map[string]fv `json:"filaments"`
	Marks    []markView    `json:"landmarks"`
	Hollows  []hollow      `json:"hollows"`
}

// markView is a landmark on the spine; Line is set when it lies inside Before.
type markView struct {
	Before    int     `json:"before"`
	Line      int64   `json:"line"`
	Kind      string  `json:"kind"`
	Certainty float64 `json:"certainty"`
	Reason    string  `json:"reason"`
	Skirt     bool    `json:"skirt"` // it only tells where the part begins
}

// Colours reports whether people change the colour at folds of this kind.
func (m markView) Colours() bool {
	return !m.Skirt && slices.Contains([]string{landmark.Raised, landmark.Step, landmark.FlatEnds,
		landmark.Paths}, m.Kind)
}

// landmarks are those of a print that are sure enough to be shown.
func landmarks(b *book.Book) []markView {
	out := []markView{}
	if b.Marks == nil {
		return out // still being found
	}
	// The surest first; of one fold there is one entry, with all its reasons.
	sorted := slices.Clone(b.Marks.Landmarks)
	slices.SortStableFunc(sorted,
		func(x, y landmark.Landmark) int { return cmp.Compare(y.Certainty, x.Certainty) })
	for _, m := range sorted {
		v := markView{Kind: m.Kind, Certainty: m.Certainty, Reason: m.Reason,
			Skirt: m.Reason == landmark.SkirtEnds}
		if m.Certainty < 0.5 {
			continue
		}
		if m.BeforeLine != nil {
			v.Before, v.Line = max(b.Ix.At(*m.BeforeLine), 1), *m.BeforeLine
		} else {
			v.Before = *m.BeforeLayer
		}
		if k := slices.IndexFunc(out,
			func(o markView) bool { return o.Before == v.Before && o.Line == v.Line }); k >= 0 {
			if v.Kind != landmark.LastOpen { // that is said by what closes it
				out[k].Reason += ". " + v.Reason
			}
			continue
		}
		out = append(out, v)
	}
	slices.SortStableFunc(out, func(x, y markView) int {
		return cmp.Or(cmp.Compare(x.Before, y.Before), cmp.Compare(x.Line, y.Line))
	})
	return out
}

type fv struct {
	Name   string `json:"name"`
	Colour string `json:"colour"`
}

func (s *pages) book(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	ix := b.Ix
	n := len(ix.Layers)
	v := bookView{
		ID: b.Print.ID, Version: b.Print.SHA256[:12] + b.Reading(), Lines: ix.Lines, Kind: ix.Kind,
		Box: b.Outline.Box, Height: ix.Height().Millimetres(),
		Seconds: ix.Seconds, Z: make([]float64, n), H: make([]float64, n), Number: make([]*int64, n),
		Object: make([]int, n),
		Begin:  make([]float64, n), Took: make([]float64, n), Fold: make([]int64, n),
		Front: b.Outline.Front, Side: b.Outline.Side,
		Marks: landmarks(b), Hollows: hollows(b), Filament: map[string]fv{},
	}
	for i := range ix.Layers {
		l := &ix.Layers[i]
		v.Z[i], v.H[i], v.Object[i], v.Begin[i], v.Took[i], v.Fold[i] = l.Z.Millimetres(),
			l.Height.Millimetres(), int(l.Object), l.Begin, l.Seconds, l.Fold
		if l.HasNumber {
			v.Number[i] = &l.Number
		}
	}
	for k, f := range m.Plan.Filaments {
		v.Filament[k] = fv{f.Name, f.Colour}
	}
	c.Set("Content-Type", "application/json")
	return json.NewEncoder(c.Response().BodyWriter()).Encode(v)
}

// bandsOf sends in which filaments a print is laid.
func (s *pages) bandsOf(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	return c.JSON(m.Bands(b.Ix))
}
