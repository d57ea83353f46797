package web

import (
	"cmp"
	"encoding/json"
	"slices"

	"github.com/gofiber/fiber/v3"

	"dogear/core/landmark"
	"dogear/core/raster"
)

// benchRoutes are those of the bench.
func (s *Server) benchRoutes(r router) {
	r.get("/prints/:id", s.bench)
	r.get("/prints/:id/book", s.book)
	r.get("/prints/:id/bands", s.bandsOf)
	r.stream("/prints/:id/events", s.events)
	r.get("/prints/:id/margin", s.marginNow)
	r.get("/prints/:id/place", s.placeNow)
	r.get("/prints/:id/finds", s.findsNow)
	r.get("/prints/:id/layers/:n", s.geometry)
	r.get("/prints/:id/layers/:n/thread", s.thread)
	r.get("/prints/:id/layers/:n/overlay", s.overlay)
	r.get("/prints/:id/layers/:n/air", s.air)
	r.get("/prints/:id/cover/:view", s.cover)
	r.get("/prints/:id/ears/:ear", s.earCard)
	r.post("/prints/:id/ears", s.addEar)
	r.post("/prints/:id/pockets", s.addInsert)
	r.post("/prints/:id/version", s.newer)
	r.post("/prints/:id/carried", s.carriedRead)
	r.get("/prints/:id/compare/:old", s.comparePage)
	r.post("/prints/:id/mutes", s.mute)
	r.post("/prints/:id/mutes/remove", s.unmute)
	r.post("/prints/:id/changes", s.addChange)
	r.post("/prints/:id/changes/:change/remove", s.removeChange)
	r.post("/prints/:id/first", s.firstFilament)
	r.post("/prints/:id/undo", s.undo)
	r.post("/prints/:id/redo", s.redo)
	r.post("/prints/:id/ears/:ear", s.changeEar)
	r.post("/prints/:id/ears/:ear/remove", s.removeEar)
	r.post("/prints/:id/ears/:ear/copy", s.copyEar)
	r.post("/prints/:id/printer", s.usePrinter)
	r.post("/prints/:id/acquaint", s.makeAcquaintance)
	r.post("/prints/:id/axis", s.filamentAxis)
	r.post("/prints/:id/plan", s.openPlan)
	r.post("/prints/:id/takeover", s.takeOver)
	r.post("/prints/:id/takeout", s.takeOut)
	r.get("/prints/:id/plan", s.planFile)
}

func (s *Server) bench(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	if len(b.ix.Layers) == 0 {
		return fiber.NewError(fiber.StatusConflict, "This file moves the head but lays nothing, so "+
			"there is no layer to fold at.")
	}
	if b.marks == nil {
		s.jobs.landmarks(b)
	}
	margin, err := s.margin(c, b)
	if err != nil {
		return err
	}
	_, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	v := b.finds(m)
	v["Reading"], v["Title"], v["At"], v["Margin"] = b.reading(), b.print.Title, "bench", margin
	if b.print.Name == firstRun {
		for _, l := range b.landmarks() {
			if l.Kind == landmark.Raised {
				v["First"] = l.Before
			}
		}
	}
	v["Views"], v["Findings"] = raster.Views, b.ix.Findings
	return s.page(c, "bench", v)
}

// firstRun is the demo print on which the first steps are shown.
const firstRun = "tide-gauge.gcode"

// finds is what was found by looking at the layers.
func (b *book) finds(m *marked) fiber.Map {
	return fiber.Map{"Print": b.print, "Pockets": b.pockets(m), "Landmarks": b.landmarks(),
		"Looking": b.marks == nil}
}

// findsNow sends what was found, once it is.
func (s *Server) findsNow(c fiber.Ctx) error {
	b, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	return c.Render("_finds", b.finds(m))
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
func (b *book) landmarks() []markView {
	out := []markView{}
	if b.marks == nil {
		return out // still being found
	}
	// The surest first; of one fold there is one entry, with all its reasons.
	sorted := slices.Clone(b.marks.Landmarks)
	slices.SortStableFunc(sorted,
		func(x, y landmark.Landmark) int { return cmp.Compare(y.Certainty, x.Certainty) })
	for _, m := range sorted {
		v := markView{Kind: m.Kind, Certainty: m.Certainty, Reason: m.Reason,
			Skirt: m.Reason == landmark.SkirtEnds}
		if m.Certainty < 0.5 {
			continue
		}
		if m.BeforeLine != nil {
			v.Before, v.Line = max(b.ix.At(*m.BeforeLine), 1), *m.BeforeLine
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

func (s *Server) book(c fiber.Ctx) error {
	b, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	ix := b.ix
	n := len(ix.Layers)
	v := bookView{
		ID: b.print.ID, Version: b.print.SHA256[:12] + b.reading(), Lines: ix.Lines, Kind: ix.Kind,
		Box: b.outline.Box, Height: ix.Height().Millimetres(),
		Seconds: ix.Seconds, Z: make([]float64, n), H: make([]float64, n), Number: make([]*int64, n),
		Object: make([]int, n),
		Begin:  make([]float64, n), Took: make([]float64, n), Fold: make([]int64, n),
		Front: b.outline.Front, Side: b.outline.Side,
		Marks: b.landmarks(), Hollows: b.hollows(), Filament: map[string]fv{},
	}
	for i := range ix.Layers {
		l := &ix.Layers[i]
		v.Z[i], v.H[i], v.Object[i], v.Begin[i], v.Took[i], v.Fold[i] = l.Z.Millimetres(),
			l.Height.Millimetres(), int(l.Object), l.Begin, l.Seconds, l.Fold
		if l.HasNumber {
			v.Number[i] = &l.Number
		}
	}
	for k, f := range m.plan.Filaments {
		v.Filament[k] = fv{f.Name, f.Colour}
	}
	c.Set("Content-Type", "application/json")
	return json.NewEncoder(c.Response().BodyWriter()).Encode(v)
}

// bandsOf sends in which filaments a print is laid.
func (s *Server) bandsOf(c fiber.Ctx) error {
	b, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	return c.JSON(m.bands(b.ix))
}
