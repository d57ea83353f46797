// Package lines has the pages of a print's lines.
package lines

import (
	"bytes"
	"embed"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/explain"
	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/web/book"
	"dogear/web/say"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of a print's lines.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/prints/:id/lines", s.linesPage)
	r.Get("/prints/:id/line/:line", s.lineState)
	r.Get("/prints/:id/text", s.text)
	r.Get("/prints/:id/search", s.search)
}

// linesPage shows the file as text.
func (s *pages) linesPage(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	line, err := strconv.ParseInt(c.Query("line", "1"), 10, 64)
	if err != nil || line < 1 || line > b.Ix.Lines {
		line = 1
	}
	ears := []string{}
	for _, e := range apply.Ears(m.Plan, b.Ix) {
		ears = append(ears, fmt.Sprint(earLine(e, b)))
	}
	spans := []string{}
	for _, mu := range m.Plan.Mutes {
		spans = append(spans, fmt.Sprintf("%d-%d", mu.From, mu.To))
	}
	return s.Page(c, "lines", fiber.Map{"Mutes": strings.Join(spans, ","), "Title": "Lines of " +
		b.Print.Title, "At": "lines", "Print": b.Print, "Lines": b.Ix.Lines, "Line": line,
		"Ears": strings.Join(ears, ",")})
}

// earLine is the line in front of which an ear stands.
func earLine(e plan.Ear, b *book.Book) int64 {
	if e.BeforeLine > 0 {
		return e.BeforeLine
	}
	n, _ := apply.Place(b.Ix, &e)
	return b.Ix.Layers[n-1].Fold
}

// maxLines bounds how many lines are sent at once.
const maxLines = 400

type lineView struct {
	N     int64  `json:"n"`
	Text  string `json:"text"`
	Words string `json:"words"`
}

// text sends some lines of the file with their words.
func (s *pages) text(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	from, err1 := strconv.ParseInt(c.Query("from"), 10, 64)
	count, err2 := strconv.ParseInt(c.Query("count"), 10, 64)
	if err1 != nil || err2 != nil || from < 1 || count < 1 {
		return say.Sentence(fiber.StatusUnprocessableEntity, "say from which line and how many")
	}
	end := min(from+min(count, maxLines), b.Ix.Lines+1)
	out := []lineView{}
	err = b.Ix.Walk(b.Src, b.Ix.At(from), end, func(line int64, text []byte, cmd *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		if line < from {
			return true
		}
		v := lineView{line, say.Show(text), explain.Line(cmd, a, m)}
		if cmd.Empty() && cmd.Comment != nil {
			v.Words = explain.Mark(bytes.TrimRight(text, "\r\n"), b.Ix.Marks, b.Ix.At(line), b.Ix)
		}
		out = append(out, v)
		return true
	})
	if err != nil {
		return err
	}
	return c.JSON(out)
}

// lineState says what a line does and what the machine remembers behind it.
func (s *pages) lineState(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	line, err := strconv.ParseInt(c.Params("line"), 10, 64)
	if err != nil || line < 1 || line > b.Ix.Lines {
		return fiber.NewError(fiber.StatusNotFound, "There is no such line.")
	}
	n := b.Ix.At(line)
	var state []string
	words, text := "", ""
	err = b.Ix.Walk(b.Src, n, line+1, func(l int64, raw []byte, cmd *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if l == line {
			state, words, text = explain.State(m), explain.Line(cmd, a, m), say.Show(raw)
			if cmd.Empty() && cmd.Comment != nil {
				words = explain.Mark(bytes.TrimRight(raw, "\r\n"), b.Ix.Marks, n, b.Ix)
			}
		}
		return true
	})
	if err != nil {
		return err
	}
	return c.JSON(fiber.Map{"line": line, "layer": n, "layers": len(b.Ix.Layers), "text": text,
		"words": words, "state": state})
}

// search finds the next line behind (or, with back, before) one that holds a
// text, lies between two heights ("z 1.2 3.4"), or opens a layer ("layer").
func (s *pages) search(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	from, err := strconv.ParseInt(c.Query("from", "0"), 10, 64)
	if err != nil || from < 0 {
		from = 0
	}
	q := strings.TrimSpace(c.Query("q"))
	if q == "" {
		return say.Sentence(fiber.StatusUnprocessableEntity, "type what to look for")
	}
	found, next, err := search(b, q, from, time.Now().Add(searchTurn))
	if err != nil {
		return err
	}
	return c.JSON(fiber.Map{"line": found, "next": next, "of": b.Ix.Lines})
}

// searchTurn is how long a search looks before it answers how far it has come. Whoever
// asked goes on from there, or does not.
const searchTurn = time.Second

// search returns the first line behind from that a search asks for, 0 when there
// is none up to line next; next is 0 when that is the end.
func search(b *book.Book, q string, from int64, until time.Time) (found, next int64, err error) {
	low := strings.ToLower(q)
	if low == "layer" || low == "next layer" {
		for i := range b.Ix.Layers {
			if b.Ix.Layers[i].Fold > from {
				return b.Ix.Layers[i].Fold, 0, nil
			}
		}
		return 0, 0, nil
	}
	var lo, hi float64
	byHeight := false
	if n, _ := fmt.Sscanf(strings.NewReplacer("between", "", "and", "", "-", " ", ",",
		" ").Replace(low), "z %f %f", &lo, &hi); n == 2 {
		byHeight = true
	}
	needle := []byte(low)
	err = b.Ix.WalkFrom(b.Src, from+1, b.Ix.Lines+1, func(line int64, text []byte, cmd *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		if line%(1<<14) == 0 && time.Now().After(until) {
			next = line - 1
			return false
		}
		if byHeight {
			z := m.Pos[2].Millimetres()
			if (a.Kind == gcode.Travel || a.Kind == gcode.Lay) && z >= lo && z <= hi {
				found = line
			}
		} else if bytes.Contains(bytes.ToLower(text), needle) {
			found = line
		}
		return found == 0
	})
	return found, next, err
}
