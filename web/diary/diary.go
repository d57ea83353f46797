// Package diary has the pages of what happened to a print.
package diary

import (
	"embed"
	"encoding/csv"
	"fmt"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/store"
	"dogear/web/say"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of what happened to a print.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/prints/:id/diary", s.diaryPage)
	r.Get("/prints/:id/diary/csv", s.diaryFile)
}

// diaryOf is a print, and what happened to it, the newest line first.
func (s *pages) diaryOf(c fiber.Ctx) (store.Print, []store.Entry, error) {
	p, err := s.Print(c)
	if err != nil {
		return p, nil, err
	}
	all, err := s.Store.Diary(c.Context(), p.ID)
	return p, all, err
}

// diaryPage shows what happened to a print.
func (s *pages) diaryPage(c fiber.Ctx) error {
	p, all, err := s.diaryOf(c)
	if err != nil {
		return err
	}
	type line struct{ Day, At, Kind, Text string }
	var lines []line
	day := ""
	for _, e := range all {
		l := line{At: e.At.Local().Format("15:04"), Kind: e.Kind, Text: e.Text}
		if d := e.At.Local().Format("Monday, 2 January 2006"); d != day {
			day, l.Day = d, d
		}
		lines = append(lines, l)
	}
	return s.Page(c, "diary", fiber.Map{"Title": "Diary of " + p.Title, "At": "diary", "Print": p,
		"Lines": lines})
}

// diaryFile sends it as a table, the oldest line first.
func (s *pages) diaryFile(c fiber.Ctx) error {
	p, all, err := s.diaryOf(c)
	if err != nil {
		return err
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	rows := [][]string{{"at", "what", "text"}}
	for i := len(all) - 1; i >= 0; i-- {
		rows = append(rows, []string{all[i].At.Format(time.RFC3339), all[i].Kind, cell(all[i].Text)})
	}
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	c.Set("Content-Type", "text/csv; charset=utf-8")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q",
		say.ASCII(p.Name)+"-diary.csv"))
	return c.SendString(b.String())
}

// cell keeps a text from being taken for a formula by a spreadsheet.
func cell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
