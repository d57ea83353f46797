package web

import (
	"context"
	"encoding/csv"
	"fmt"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/store"
)

// diaryRoutes are those of what happened to a print.
func (s *Server) diaryRoutes(r router) {
	r.get("/prints/:id/diary", s.diaryPage)
	r.get("/prints/:id/diary/csv", s.diaryFile)
}

// note adds a line to a print's diary. Nothing is held back because that fails.
func (s *Server) note(ctx context.Context, print int64, kind, format string, a ...any) {
	if err := s.cfg.Store.Note(ctx, print, kind, fmt.Sprintf(format, a...)); err != nil {
		s.log.Warn("writing the diary", "print", print, "err", err)
	}
}

// diaryOf is a print, and what happened to it, the newest line first.
func (s *Server) diaryOf(c fiber.Ctx) (store.Print, []store.Entry, error) {
	p, err := s.print(c)
	if err != nil {
		return p, nil, err
	}
	all, err := s.cfg.Store.Diary(c.Context(), p.ID)
	return p, all, err
}

// diaryPage shows what happened to a print.
func (s *Server) diaryPage(c fiber.Ctx) error {
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
	return s.page(c, "diary", fiber.Map{"Title": "Diary of " + p.Title, "At": "diary", "Print": p,
		"Lines": lines})
}

// diaryFile sends it as a table, the oldest line first.
func (s *Server) diaryFile(c fiber.Ctx) error {
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
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", ascii(p.Name)+"-diary.csv"))
	return c.SendString(b.String())
}

// cell keeps a text from being taken for a formula by a spreadsheet.
func cell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
