package site

import (
	"context"
	"errors"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/say"
)

// CheckPlan checks a plan with what it uses of the Kit put in.
func CheckPlan(p *plan.Plan, kit *store.Kit) error {
	if err := book.WithKit(p, kit).Check(); err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return nil
}

// ChangedMeanwhile says in a sentence that somebody else was faster.
func ChangedMeanwhile(err error) error {
	if errors.Is(err, store.ErrChanged) {
		return say.Sentence(fiber.StatusConflict, "somebody else has changed this just now, here or in "+
			"another window. Load the page again to see how it is, then change it")
	}
	return err
}

// Marks returns what is marked in a print.
func (s *Site) Marks(ctx context.Context, id int64) (*book.Marked, error) {
	return book.Marks(ctx, s.Store, id)
}
