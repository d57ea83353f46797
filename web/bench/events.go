package bench

import (
	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/web/book"
	"dogear/web/say"
)

// events tells one bench when what is marked in its print has changed, here or in another
// browser.
func (s *pages) events(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	return s.TellOf(c, []int64{b.Print.ID}, false)
}

// marginNow sends the margin as it is, or nothing when the marks are those of the version that
// stands in the page: what came of the last change there is still to be read.
func (s *pages) marginNow(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return err
	}
	if c.Get("X-Version") == m.Version {
		return c.SendStatus(fiber.StatusNoContent)
	}
	return s.sendMargin(c, b, "")
}

// unchanged refuses to change an ear that somebody else has changed since it was
// shown: the header carries what it was.
func unchanged(c fiber.Ctx, e *plan.Ear) error {
	if was := c.Get("X-Ear"); was != "" && was != book.Sign(e) {
		return say.Sentence(fiber.StatusConflict,
			"somebody else has changed this ear just now. Look at it "+
				"as it is, then change it again")
	}
	return nil
}
