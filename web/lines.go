package web

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/explain"
	"dogear/core/gcode"
	"dogear/core/plan"
)

// linesRoutes are those of the lines.
func (s *Server) linesRoutes(r router) {
	r.get("/prints/:id/lines", s.linesPage)
	r.get("/prints/:id/line/:line", s.lineState)
	r.get("/prints/:id/text", s.text)
	r.get("/prints/:id/search", s.search)
}

// linesPage shows the file as text.
func (s *Server) linesPage(c fiber.Ctx) error {
	b, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	line, err := strconv.ParseInt(c.Query("line", "1"), 10, 64)
	if err != nil || line < 1 || line > b.ix.Lines {
		line = 1
	}
	ears := []string{}
	for _, e := range sortedEars(m.plan, b.ix) {
		ears = append(ears, fmt.Sprint(earLine(e, b)))
	}
	spans := []string{}
	for _, mu := range m.plan.Mutes {
		spans = append(spans, fmt.Sprintf("%d-%d", mu.From, mu.To))
	}
	return s.page(c, "lines", fiber.Map{"Mutes": strings.Join(spans, ","), "Title": "Lines of " +
		b.print.Title, "At": "lines", "Print": b.print, "Lines": b.ix.Lines, "Line": line,
		"Ears": strings.Join(ears, ",")})
}

// earLine is the line in front of which an ear stands.
func earLine(e plan.Ear, b *book) int64 {
	if e.BeforeLine > 0 {
		return e.BeforeLine
	}
	n, _ := apply.Place(b.ix, &e)
	return b.ix.Layers[n-1].Fold
}

// mostLines bounds how many lines are sent at once.
const mostLines = 400

type lineView struct {
	N     int64  `json:"n"`
	Text  string `json:"text"`
	Words string `json:"words"`
}

// text sends some lines of the file with their words.
func (s *Server) text(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	from, err1 := strconv.ParseInt(c.Query("from"), 10, 64)
	count, err2 := strconv.ParseInt(c.Query("count"), 10, 64)
	if err1 != nil || err2 != nil || from < 1 || count < 1 {
		return sentence(fiber.StatusUnprocessableEntity, "say from which line and how many")
	}
	end := min(from+min(count, mostLines), b.ix.Lines+1)
	out := []lineView{}
	err = b.ix.Walk(b.src, b.ix.At(from), end, func(line int64, text []byte, cmd *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		if line < from {
			return true
		}
		v := lineView{line, show(text), explain.Line(cmd, a, m)}
		if cmd.Empty() && cmd.Comment != nil {
			v.Words = explain.Mark(bytes.TrimRight(text, "\r\n"), b.ix.Marks, b.ix.At(line), b.ix)
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
func (s *Server) lineState(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	line, err := strconv.ParseInt(c.Params("line"), 10, 64)
	if err != nil || line < 1 || line > b.ix.Lines {
		return fiber.NewError(fiber.StatusNotFound, "There is no such line.")
	}
	n := b.ix.At(line)
	var state []string
	words, text := "", ""
	err = b.ix.Walk(b.src, n, line+1, func(l int64, raw []byte, cmd *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if l == line {
			state, words, text = explain.State(m), explain.Line(cmd, a, m), show(raw)
			if cmd.Empty() && cmd.Comment != nil {
				words = explain.Mark(bytes.TrimRight(raw, "\r\n"), b.ix.Marks, n, b.ix)
			}
		}
		return true
	})
	if err != nil {
		return err
	}
	return c.JSON(fiber.Map{"line": line, "layer": n, "layers": len(b.ix.Layers), "text": text,
		"words": words, "state": state})
}

// search finds the next line behind (or, with back, before) one that holds a
// text, lies between two heights ("z 1.2 3.4"), or opens a layer ("layer").
func (s *Server) search(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	from, err := strconv.ParseInt(c.Query("from", "0"), 10, 64)
	if err != nil || from < 0 {
		from = 0
	}
	q := strings.TrimSpace(c.Query("q"))
	if q == "" {
		return sentence(fiber.StatusUnprocessableEntity, "type what to look for")
	}
	found, next, err := b.search(q, from, time.Now().Add(searchTurn))
	if err != nil {
		return err
	}
	return c.JSON(fiber.Map{"line": found, "next": next, "of": b.ix.Lines})
}

// searchTurn is how long a search looks before it answers how far it has come. Whoever
// asked goes on from there, or does not.
const searchTurn = time.Second

// search returns the first line behind from that a search asks for, 0 when there
// is none up to line next; next is 0 when that is the end.
func (b *book) search(q string, from int64, until time.Time) (found, next int64, err error) {
	low := strings.ToLower(q)
	if low == "layer" || low == "next layer" {
		for i := range b.ix.Layers {
			if b.ix.Layers[i].Fold > from {
				return b.ix.Layers[i].Fold, 0, nil
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
	err = b.ix.WalkFrom(b.src, from+1, b.ix.Lines+1, func(line int64, text []byte, cmd *gcode.Command,
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
