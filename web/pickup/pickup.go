// Package pickup has the pages of the pick-up.
package pickup

import (
	"context"
	"embed"
	"errors"

	"github.com/gofiber/fiber/v3"

	"dogear/core/pickup"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of the pick-up.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/prints/:id/pickup", s.pickupPage)
	r.Get("/prints/:id/pickup/now", s.pickupNow)
	r.Post("/prints/:id/pickup/evidence", s.addEvidence)
	r.Post("/prints/:id/pickup/evidence/remove", s.dropEvidence)
	r.Post("/prints/:id/pickup/evidence/measured", s.onlyMeasured)
	r.Post("/prints/:id/pickup/choice", s.decide)
	r.Post("/prints/:id/pickup/flip", s.flip)
	r.Post("/prints/:id/pickup/accept", s.accept)
	r.Post("/prints/:id/pickup/undo", s.undoPickup)
	r.Post("/prints/:id/pickup/redo", s.redoPickup)
	r.Post("/prints/:id/pickup/write", s.writePickup)
	r.Get("/prints/:id/pickup/touch", s.touchFile)
	r.Post("/prints/:id/pickup/photo", s.putPhoto)
	r.Post("/prints/:id/pickup/photo/pin", s.pinPhoto)
	r.Post("/prints/:id/pickup/photo/remove", s.dropPhoto)
	r.Get("/prints/:id/photos/:photo", s.photo)
	r.Get("/prints/:id/pickups/:pickup", s.keptPage)
	r.Get("/prints/:id/pickups/:pickup/file", s.keptFile)
	r.Get("/prints/:id/pickups/:pickup/touch", s.keptTouch)
	r.Post("/prints/:id/pickups/:pickup/outcome", s.outcome)
	r.Post("/prints/:id/pickups/:pickup/remove", s.forgetPickup)
}

// pickupDoc returns what is known and decided so far.
func (s *pages) pickupDoc(ctx context.Context, id int64) (store.Pickup, error) {
	d, err := s.Store.Draft(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return store.Pickup{PrintID: id}, nil
	}
	return d, err
}

// plan of a pick-up: the choice with its place filled in from what is known.
func settled(doc *store.PickupDoc, b *pickup.Belief) pickup.Choice {
	c := doc.Choice
	if c.Start == "" {
		c.Start = pickup.Next
	}
	if c.Z == "" {
		c.Z = pickup.ByTouch
	}
	c.PrimeWait = !doc.GoesOn && !c.LooseTop
	if c.Layer == 0 && b != nil && len(b.Pieces) > 0 { // nothing known proposes nothing
		c.Layer, c.Measured = b.Best, b.ByHeight()
	}
	if c.Start == pickup.Mid && c.Line == 0 && b != nil {
		c.Line = b.Line
	}
	return c
}

func (s *pages) pickupPage(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	if len(b.Ix.Layers) < 2 {
		return fiber.NewError(fiber.StatusConflict, "This print has no two layers, so there is nothing "+
			"to pick up.")
	}
	v, err := s.pickupView(c, b)
	if err != nil {
		return err
	}
	return s.Page(c, "pickup", fiber.Map{"Title": "Pick-up of " + b.Print.Title, "At": "pickup",
		"Print": b.Print, "V": v})
}

func (s *pages) sendPickup(c fiber.Ctx, b *book.Book, said string) error {
	v, err := s.pickupView(c, b)
	if err != nil {
		return err
	}
	v.Said = said
	return c.Render("_pickup", v)
}

// pickupNow sends the pick-up being worked on as it stands, for a page on which it is
// being examined.
func (s *pages) pickupNow(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	return s.sendPickup(c, b, "")
}

// changePickup carries out one change of the pick-up being worked on.
func (s *pages) changePickup(c fiber.Ctx, f func(b *book.Book, d *store.PickupDoc) (string,
	error)) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	said := ""
	err = s.Store.ChangeDraft(c.Context(), b.Print.ID, func(d *store.PickupDoc) error {
		said, err = f(b, d)
		return err
	})
	if err != nil {
		return err
	}
	return s.sendPickup(c, b, said)
}

// maxPieces bounds the evidence of one pick-up.
const maxPieces = 12

// acceptWords are what somebody writes who overrides a finding.
const acceptWords = "i have looked and i will watch"

func (s *pages) undoPickup(c fiber.Ctx) error {
	return s.stepPickup(c, s.Store.UndoDraft, "Taken back.")
}

func (s *pages) redoPickup(c fiber.Ctx) error {
	return s.stepPickup(c, s.Store.RedoDraft, "Done again.")
}

func (s *pages) stepPickup(c fiber.Ctx, f func(context.Context, int64) error, said string) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	if err := f(c.Context(), b.Print.ID); err != nil {
		return err
	}
	return s.sendPickup(c, b, said)
}
