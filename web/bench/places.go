package bench

import (
	"fmt"

	"github.com/gofiber/fiber/v3"

	"dogear/core/place"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// placeNow says which place a typed text names. One that names none has no folds: somebody
// is still typing, and that is no failure.
func (s *pages) placeNow(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	p, err := place.Parse(b.Ix, b.Src, c.Query("at"))
	if err != nil {
		p = place.Place{Said: noPlace(c.Query("at"), err).Error(), Folds: []place.Fold{}}
	}
	return c.JSON(p)
}

// noPlace is the refusal of a text that names no place.
func noPlace(text string, err error) error {
	words := err.Error()
	if err == place.ErrWords {
		words = fmt.Sprintf("“%s” is no place; %s", fields.Clip(text), words)
	}
	return say.Sentence(fiber.StatusUnprocessableEntity, words)
}

// placeOf reads a place at which there is only one fold: before a layer, or, when a line
// was named, in front of that line.
func placeOf(b *book.Book, text string) (before int, line int64, err error) {
	p, err := place.Parse(b.Ix, b.Src, text)
	if err != nil {
		return 0, 0, noPlace(text, err)
	}
	if p.Line > 0 {
		return 0, p.Line, nil
	}
	n, err := p.Only()
	if err != nil {
		return 0, 0, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return n, 0, nil
}
