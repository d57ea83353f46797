// Package cuesheet has the pages of the cue sheet.
package cuesheet

import (
	"embed"
	"fmt"
	"html/template"
	"io"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/cue"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/assets"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
	"dogear/web/views"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of the cue sheet.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/prints/:id/cue", s.cuePage)
	r.Get("/prints/:id/cue/:as", s.cueFile)
	r.Post("/prints/:id/cue/clean", s.cameClean)
}

// localTime is how a browser writes a date and time.
const localTime = "2006-01-02T15:04"

// cueSheet lays the marks onto the file and makes the timetable.
func (s *pages) cueSheet(c fiber.Ctx) (*book.Book, *cue.Sheet, error) {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return nil, nil, err
	}
	var start time.Time
	if t := c.Query("start"); t != "" {
		if start, err = time.ParseInLocation(localTime, t, time.Local); err != nil {
			return nil, nil, say.Sentence(fiber.StatusUnprocessableEntity,
				"write the start as date and time")
		}
	}
	sheet, _, err := Timetable(b, m, start)
	return b, sheet, err
}

// Timetable is the cue sheet of a marked print, with what was laid onto the file for it.
func Timetable(b *book.Book, m *book.Marked, start time.Time) (*cue.Sheet, *apply.Result, error) {
	res, err := apply.Plan(b.Src, b.Ix, m.Plan, b.Found())
	if err != nil {
		return nil, nil, say.Sentence(fiber.StatusConflict, err.Error())
	}
	sheet, err := cue.New(b.Print.Title, b.Src, b.Ix, m.Plan, res, start)
	if err != nil {
		return nil, nil, err
	}
	sheet.After = afterwards(b, m)
	return sheet, res, nil
}

// cuePage is the timetable to have beside the printer.
func (s *pages) cuePage(c fiber.Ctx) error {
	b, sheet, err := s.cueSheet(c)
	if err != nil {
		return err
	}
	return s.Page(c, "cue", fiber.Map{"Title": "Cue sheet of " + b.Print.Title, "At": "cue",
		"ID": b.Print.ID, "Print": b.Print, "Sheet": sheet, "Start": c.Query("start")})
}

// cleanView is what was learned of a change from one filament to another.
type cleanView struct {
	*cue.Change
	Was, Now float64 // mm
}

// cameClean learns from how a change of filament came out: what is pushed through at the next
// one between the two. With mm in the form that is put back.
func (s *pages) cameClean(c fiber.Ctx) error {
	_, sheet, err := s.cueSheet(c)
	if err != nil {
		return err
	}
	var v cleanView
	for i := range sheet.Rows {
		if x := sheet.Rows[i].Change; x != nil && x.Ear == c.FormValue("ear") {
			v.Change = x
		}
	}
	if v.Change == nil {
		return say.Sentence(fiber.StatusNotFound, "there is no such change of filament any more")
	}
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	f, ok := kit.Filaments[v.To]
	if _, there := kit.Filaments[v.From]; !ok || !there {
		return say.Sentence(fiber.StatusConflict, "only filaments of the Kit are learned about; put "+
			"both into it first")
	}
	v.Was = v.Purge
	if c.FormValue("mm") != "" {
		v.Now, err = fields.Of(c).Number("mm", 1, 2000)
	} else if v.Now, err = plan.NextPurge(v.Purge, c.FormValue("clean")); err != nil {
		err = say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	if err != nil {
		return err
	}
	after := map[string]float64{v.From: v.Now}
	for from, mm := range f.After {
		if from != v.From {
			after[from] = mm
		}
	}
	back := c.FormValue("mm") != ""
	if back && v.Now == f.Purge { // as before anything was learned
		delete(after, v.From)
	}
	f.After = after
	err = s.Store.PutFrom(c.Context(), plan.Filaments, v.To, kit.Signs[plan.Filaments+"/"+v.To],
		plan.Item{Drawer: plan.Filaments, Key: v.To, Doc: f})
	if err != nil {
		return site.ChangedMeanwhile(err)
	}
	b, sheet, err := s.cueSheet(c)
	if err != nil {
		return err
	}
	s.Note(c.Context(), b.Print.ID, store.NoteLearned, "%s to %s: purge %g mm, %g mm before", v.Old,
		v.New, v.Now, v.Was)
	m := fiber.Map{"ID": b.Print.ID, "Sheet": sheet}
	if !back {
		m["Learned"] = &v
	}
	return c.Render("_cue", m)
}

// cueFile sends the timetable as a table or a calendar.
func (s *pages) cueFile(c fiber.Ctx) error {
	if as := c.Params("as"); as != "ics" && as != "csv" {
		return fiber.NewError(fiber.StatusNotFound, "A cue sheet is to be had as csv or as ics.")
	}
	b, sheet, err := s.cueSheet(c)
	if err != nil {
		return err
	}
	var text strings.Builder
	kind, ext := "text/csv; charset=utf-8", ".csv"
	if c.Params("as") == "ics" {
		kind, ext = "text/calendar; charset=utf-8", ".ics"
		err = sheet.Calendar(&text, time.Now())
	} else {
		err = sheet.CSV(&text)
	}
	if err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	c.Set("Content-Type", kind)
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q",
		say.ASCII(b.Print.Name)+"-cue-sheet"+ext))
	return c.SendString(text.String())
}

// HTML writes a timetable as a page that needs no other file.
func HTML(w io.Writer, s *cue.Sheet) error {
	v, err := views.New(Templates)
	if err != nil {
		return err
	}
	css, err := assets.Dist.ReadFile("dist/app.css")
	if err != nil {
		return err
	}
	return v.Render(w, "_cue_file", fiber.Map{"Sheet": s, "Style": template.CSS(css)})
}
