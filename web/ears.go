package web

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/core/routine"
)

// marginView is the column of notes beside the book.
type marginView struct {
	ID         int64
	Ears       []earView
	First      string
	FirstName  string
	Filaments  []swatch
	Undo, Redo bool
	Data       string // the ears and bands for the scripts, as JSON
	Said       string // what was done, for the live region
	Mutes      []muteView
}

// muteView is a run of muted lines in the margin.
type muteView struct {
	From, To int64
	Layer    int
}

type swatch struct {
	Slug, Name, Colour string
	Chosen             bool
}

type earView struct {
	ID, Kind, Title, Does, Place, File, When string
	Before                                   int   // the layer it stands before or lies in
	Line                                     int64 // set when it lies inside that layer
	Colour                                   string
	Note                                     string
	Steps                                    []string
	Stop                                     string
	Swatches                                 []swatch
	Last                                     int // the highest layer it may stand before
}

// earData is an ear as the scripts know it.
type earData struct {
	ID     string `json:"id"`
	Before int    `json:"before"`
	Line   int64  `json:"line"` // 0, or the line in front of which it stands inside the layer
	Kind   string `json:"kind"`
	Colour string `json:"colour"`
	Name   string `json:"name"`
}

func (s *Server) margin(c fiber.Ctx, b *book) (*marginView, error) {
	m, err := s.marks(c.Context(), b.print.ID)
	if err != nil {
		return nil, err
	}
	v := &marginView{ID: b.print.ID, First: m.plan.First, FirstName: m.plan.FilamentName(m.plan.First), Undo: m.undo, Redo: m.redo, Filaments: swatches(m, m.plan.First)}
	data := struct {
		Ears  []earData   `json:"ears"`
		Bands []band      `json:"bands"`
		Mutes []plan.Span `json:"mutes"`
	}{[]earData{}, m.bands(b.ix), append([]plan.Span{}, m.plan.Mutes...)}
	for _, mu := range m.plan.Mutes {
		v.Mutes = append(v.Mutes, muteView{mu.From, mu.To, max(b.ix.At(mu.From), 1)})
	}
	for _, e := range sortedEars(m.plan, b.ix) {
		x := m.earView(b, e)
		v.Ears = append(v.Ears, x)
		data.Ears = append(data.Ears, earData{e.ID, x.Before, x.Line, e.Kind, x.Colour, x.Title})
	}
	j, err := json.Marshal(data)
	v.Data = string(j)
	return v, err
}

func swatches(m *marked, chosen string) []swatch {
	var out []swatch
	for _, f := range m.filaments {
		out = append(out, swatch{f.Slug, f.Name, f.Colour, f.Slug == chosen})
	}
	return out
}

func (m *marked) earView(b *book, e plan.Ear) earView {
	n, line := place(e, b.ix)
	l := &b.ix.Layers[n-1]
	v := earView{ID: e.ID, Kind: e.Kind, Before: n, Line: line, Note: e.Note, Stop: m.plan.StopOf(&e), Last: len(b.ix.Layers), When: hours(l.Begin)}
	v.Place = fmt.Sprintf("before layer %d · %s mm", n, millimetres(l.Z-l.Height))
	if line > 0 {
		v.Place = fmt.Sprintf("inside layer %d · line %s", n, group(line))
		if f, err := routine.Locate(b.src, b.ix, &e); err == nil {
			v.When = hours(f.Seconds)
		}
	}
	if l.HasNumber && l.Number != int64(n) {
		v.File = fmt.Sprintf("file %d", l.Number)
	}
	if f, ok := m.plan.Filaments[e.Filament]; ok && e.Kind == plan.Colour {
		v.Title, v.Colour, v.Does = f.Name, f.Colour, "Colour change"
		v.Swatches = swatches(m, e.Filament)
	} else {
		v.Title, v.Does = "Plain stop", "Stops and waits"
		if e.Note != "" {
			v.Title = e.Note
		}
	}
	if r, err := m.plan.RoutineOf(&e); err == nil {
		for _, st := range r {
			v.Steps = append(v.Steps, st.Words(m.plan, &e))
		}
	}
	return v
}

// where says in words where an ear stands.
func where(e plan.Ear) string {
	if e.BeforeLine > 0 {
		return fmt.Sprintf("in front of line %d", e.BeforeLine)
	}
	return fmt.Sprintf("before layer %d", e.BeforeLayer)
}

// sendMargin answers a change with the margin as it is now.
func (s *Server) sendMargin(c fiber.Ctx, b *book, said string) error {
	v, err := s.margin(c, b)
	if err != nil {
		return err
	}
	v.Said = said
	return c.Render("_margin", v)
}

// freeID returns an id that no ear of the plan has.
func freeID(p *plan.Plan) string {
	for k := 1; ; k++ {
		id := fmt.Sprintf("a%d", k)
		used := false
		for _, e := range p.Ears {
			used = used || e.ID == id
		}
		if !used {
			return id
		}
	}
}

// form reads and checks what a form says about an ear. Only what is there is
// changed.
func (s *Server) form(c fiber.Ctx, b *book, p *plan.Plan, e *plan.Ear) error {
	if v := c.FormValue("before"); v != "" {
		n, err := strconv.Atoi(v)
		if err != nil || n < 1 || n > len(b.ix.Layers) {
			return sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("there is no layer %s; this print has %s", clip(v), layersWord(len(b.ix.Layers))))
		}
		for _, o := range p.Ears {
			if o.ID != e.ID && o.BeforeLayer == n {
				return sentence(fiber.StatusConflict, fmt.Sprintf("there is an ear before layer %d already", n))
			}
		}
		e.BeforeLayer, e.BeforeLine = n, 0
	}
	if v := c.FormValue("line"); v != "" && v != "0" {
		n, err := strconv.ParseInt(v, 10, 64)
		if err != nil || n < 1 || n > b.ix.Lines {
			return sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("there is no line %s; this file has %s", clip(v), group(b.ix.Lines)))
		}
		for _, o := range p.Ears {
			if o.ID != e.ID && o.BeforeLine == n {
				return sentence(fiber.StatusConflict, fmt.Sprintf("there is an ear in front of line %d already", n))
			}
		}
		e.BeforeLayer, e.BeforeLine = 0, n
	}
	switch kind := c.FormValue("kind"); kind {
	case "":
	case "colour":
		e.Kind = plan.Colour
	case "stop":
		e.Kind, e.Filament = plan.Insert, ""
	default:
		return sentence(fiber.StatusUnprocessableEntity, "an ear is a colour change or a plain stop")
	}
	if v := c.FormValue("filament"); v != "" {
		fs, err := s.cfg.Store.Filaments(c.Context())
		if err != nil {
			return err
		}
		found := false
		for _, f := range fs {
			found = found || f.Slug == v
		}
		if !found {
			return sentence(fiber.StatusUnprocessableEntity, "there is no such filament in the Kit")
		}
		e.Kind, e.Filament = plan.Colour, v
	}
	if c.FormValue("has_note") != "" {
		e.Note = clip(c.FormValue("note"))
	}
	if e.Kind == "" || e.Kind == plan.Colour && e.Filament == "" {
		return sentence(fiber.StatusUnprocessableEntity, "choose the filament that goes on")
	}
	return nil
}

// clip bounds a text that a person typed.
func clip(s string) string {
	s = strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r == utf8.RuneError {
			return ' '
		}
		return r
	}, s))
	if r := []rune(s); len(r) > 80 {
		s = string(r[:80])
	}
	return s
}

// change carries out one change of a print's marks.
func (s *Server) change(c fiber.Ctx, f func(b *book, p *plan.Plan) (string, error)) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	said := ""
	err = s.cfg.Store.Change(c.Context(), b.print.ID, func(p *plan.Plan) error {
		said, err = f(b, p)
		return err
	})
	if err != nil {
		return err
	}
	return s.sendMargin(c, b, said)
}

func (s *Server) addEar(c fiber.Ctx) error {
	return s.change(c, func(b *book, p *plan.Plan) (string, error) {
		e := plan.Ear{ID: freeID(p)}
		if err := s.form(c, b, p, &e); err != nil {
			return "", err
		}
		if e.BeforeLayer == 0 && e.BeforeLine == 0 {
			return "", sentence(fiber.StatusUnprocessableEntity, "say before which layer")
		}
		p.Ears = append(p.Ears, e)
		return "Marked: the printer stops " + where(e) + ".", nil
	})
}

func (s *Server) changeEar(c fiber.Ctx) error {
	return s.change(c, func(b *book, p *plan.Plan) (string, error) {
		for i := range p.Ears {
			if p.Ears[i].ID == c.Params("ear") {
				if err := s.form(c, b, p, &p.Ears[i]); err != nil {
					return "", err
				}
				return "Changed: the printer stops " + where(p.Ears[i]) + ".", nil
			}
		}
		return "", sentence(fiber.StatusNotFound, "this ear is not there any more")
	})
}

func (s *Server) removeEar(c fiber.Ctx) error {
	return s.change(c, func(_ *book, p *plan.Plan) (string, error) {
		for i := range p.Ears {
			if p.Ears[i].ID == c.Params("ear") {
				gone := where(p.Ears[i])
				p.Ears = append(p.Ears[:i], p.Ears[i+1:]...)
				return "Removed: the printer no longer stops " + gone + ".", nil
			}
		}
		return "", sentence(fiber.StatusNotFound, "this ear is not there any more")
	})
}

func (s *Server) firstFilament(c fiber.Ctx) error {
	return s.change(c, func(_ *book, p *plan.Plan) (string, error) {
		e := plan.Ear{Kind: plan.Colour}
		if err := s.form(c, &book{}, &plan.Plan{}, &e); err != nil {
			return "", err
		}
		p.First = e.Filament
		return "The print starts in another filament.", nil
	})
}

func (s *Server) undo(c fiber.Ctx) error { return s.step(c, s.cfg.Store.Undo, "Taken back.") }

func (s *Server) redo(c fiber.Ctx) error { return s.step(c, s.cfg.Store.Redo, "Done again.") }

func (s *Server) step(c fiber.Ctx, f func(context.Context, int64) error, said string) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	if err := f(c.Context(), b.print.ID); err != nil {
		return err
	}
	return s.sendMargin(c, b, said)
}

// mute leaves lines out, restore brings them back.
func (s *Server) mute(c fiber.Ctx) error {
	return s.change(c, func(b *book, p *plan.Plan) (string, error) {
		m, err := span(c, b)
		if err != nil {
			return "", err
		}
		p.Mutes = append(p.Mutes, m)
		doc := *p
		if err := doc.Check(); err != nil {
			return "", sentence(fiber.StatusConflict, err.Error())
		}
		// Laying it onto the file says what would go wrong, before it is kept.
		if _, err := routine.Apply(b.src, b.ix, &doc); err != nil {
			return "", sentence(fiber.StatusConflict, err.Error())
		}
		return fmt.Sprintf("Muted: lines %s to %s are left out.", group(m.From), group(m.To)), nil
	})
}

func (s *Server) unmute(c fiber.Ctx) error {
	return s.change(c, func(b *book, p *plan.Plan) (string, error) {
		m, err := span(c, b)
		if err != nil {
			return "", err
		}
		for i, o := range p.Mutes {
			if o == m {
				p.Mutes = append(p.Mutes[:i], p.Mutes[i+1:]...)
				return fmt.Sprintf("Back again: lines %s to %s.", group(m.From), group(m.To)), nil
			}
		}
		return "", sentence(fiber.StatusNotFound, "these lines are not muted any more")
	})
}

func span(c fiber.Ctx, b *book) (plan.Span, error) {
	from, err1 := strconv.ParseInt(c.FormValue("from"), 10, 64)
	to, err2 := strconv.ParseInt(c.FormValue("to"), 10, 64)
	if err1 != nil || err2 != nil || from < 1 || to < from || to > b.ix.Lines {
		return plan.Span{}, sentence(fiber.StatusUnprocessableEntity, "say from which line to which")
	}
	return plan.Span{From: from, To: to}, nil
}
