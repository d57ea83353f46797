package web

import (
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/core/routine"
)

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
		if _, err := routine.Apply(b.src, b.ix, &doc, b.found()); err != nil {
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
