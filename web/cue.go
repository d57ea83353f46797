package web

import (
	"fmt"
	"html/template"
	"io"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/cue"
	"dogear/core/routine"
)

// cueRoutes are those of the cue sheet.
func (s *Server) cueRoutes(r router) {
	r.get("/prints/:id/cue", s.cuePage)
	r.get("/prints/:id/cue/:as", s.cueFile)
}

// localTime is how a browser writes a date and time.
const localTime = "2006-01-02T15:04"

// cueSheet lays the marks onto the file and makes the timetable.
func (s *Server) cueSheet(c fiber.Ctx) (*book, *cue.Sheet, error) {
	b, m, err := s.openMarked(c)
	if err != nil {
		return nil, nil, err
	}
	var start time.Time
	if t := c.Query("start"); t != "" {
		if start, err = time.ParseInLocation(localTime, t, time.Local); err != nil {
			return nil, nil, sentence(fiber.StatusUnprocessableEntity, "write the start as date and time")
		}
	}
	res, err := routine.Apply(b.src, b.ix, m.plan, b.found())
	if err != nil {
		return nil, nil, sentence(fiber.StatusConflict, err.Error())
	}
	sheet, err := cue.New(b.print.Title, b.src, b.ix, m.plan, res, start)
	if err != nil {
		return nil, nil, err
	}
	sheet.After = b.afterwards(m)
	return b, sheet, nil
}

// cuePage is the timetable to have beside the printer.
func (s *Server) cuePage(c fiber.Ctx) error {
	b, sheet, err := s.cueSheet(c)
	if err != nil {
		return err
	}
	return s.page(c, "cue", fiber.Map{"Title": "Cue sheet of " + b.print.Title, "At": "cue",
		"Print": b.print, "Sheet": sheet, "Start": c.Query("start")})
}

// cueFile sends the timetable as a table or a calendar.
func (s *Server) cueFile(c fiber.Ctx) error {
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
		return sentence(fiber.StatusConflict, err.Error())
	}
	c.Set("Content-Type", kind)
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q",
		ascii(b.print.Name)+"-cue-sheet"+ext))
	return c.SendString(text.String())
}

// CueHTML writes a timetable as a page that needs no other file.
func CueHTML(w io.Writer, s *cue.Sheet) error {
	v, err := newViews()
	if err != nil {
		return err
	}
	css, err := dist.ReadFile("assets/dist/app.css")
	if err != nil {
		return err
	}
	return v.Render(w, "_cue_file", fiber.Map{"Sheet": s, "Style": template.CSS(css)})
}
