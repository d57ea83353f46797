package bench

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/figures"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// maxRuns bounds the runs of lines that are muted at once.
const maxRuns = 2000

// mute leaves lines out, unmute brings them back.
func (s *pages) mute(c fiber.Ctx) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		runs, err := spans(fields.Of(c), b)
		if err != nil {
			return "", err
		}
		p.Mutes = append(p.Mutes, runs...)
		if err := laysOn(b, p, kit); err != nil {
			return "", err
		}
		if len(runs) == 1 {
			return fmt.Sprintf("Muted: lines %s to %s are left out.", figures.Count(runs[0].From),
				figures.Count(runs[0].To)), nil
		}
		return fmt.Sprintf("Muted: %d runs of lines are left out.", len(runs)), nil
	})
}

// laysOn applies a plan to its file and says what would go wrong, before it is kept.
func laysOn(b *book.Book, p *plan.Plan, kit *store.Kit) error {
	doc := book.WithKit(p, kit)
	if err := doc.Check(); err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	if _, err := apply.Plan(b.Src, b.Ix, doc, b.Found()); err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	return nil
}

func (s *pages) unmute(c fiber.Ctx) error {
	return s.change(c, func(b *book.Book, p *plan.Plan) (string, error) {
		m, err := span(b, c.FormValue("from"), c.FormValue("to"))
		if err != nil {
			return "", err
		}
		for i, o := range p.Mutes {
			if o == m {
				p.Mutes = append(p.Mutes[:i], p.Mutes[i+1:]...)
				return fmt.Sprintf("Back again: lines %s to %s.", figures.Count(m.From),
					figures.Count(m.To)), nil
			}
		}
		return "", say.Sentence(fiber.StatusNotFound, "these lines are not muted any more")
	})
}

// spans are the runs of lines of a request: from and to, or several as runs
// ("12-20,31-44").
func spans(form fields.Form, b *book.Book) ([]plan.Span, error) {
	text := form.Value("runs")
	if text == "" {
		m, err := span(b, form.Value("from"), form.Value("to"))
		return []plan.Span{m}, err
	}
	var out []plan.Span
	for run := range strings.SplitSeq(text, ",") {
		from, to, _ := strings.Cut(run, "-")
		m, err := span(b, from, to)
		if err != nil {
			return nil, err
		}
		if out = append(out, m); len(out) > maxRuns {
			return nil, say.Sentence(fiber.StatusUnprocessableEntity,
				fmt.Sprintf("at most %d runs of lines are muted at once", maxRuns))
		}
	}
	return out, nil
}

func span(b *book.Book, first, last string) (plan.Span, error) {
	from, err1 := strconv.ParseInt(first, 10, 64)
	to, err2 := strconv.ParseInt(last, 10, 64)
	if err1 != nil || err2 != nil || from < 1 || to < from || to > b.Ix.Lines {
		return plan.Span{}, say.Sentence(fiber.StatusUnprocessableEntity, "say from which line to which")
	}
	return plan.Span{From: from, To: to}, nil
}
