package web

import (
	"context"
	"errors"

	"github.com/gofiber/fiber/v3"

	"dogear/core/pickup"
	"dogear/store"
)

// pickupRoutes are those of the pick-up.
func (s *Server) pickupRoutes(r router) {
	r.get("/prints/:id/pickup", s.pickupPage)
	r.get("/prints/:id/pickup/now", s.pickupNow)
	r.post("/prints/:id/pickup/evidence", s.addEvidence)
	r.post("/prints/:id/pickup/evidence/remove", s.dropEvidence)
	r.post("/prints/:id/pickup/evidence/measured", s.onlyMeasured)
	r.post("/prints/:id/pickup/choice", s.decide)
	r.post("/prints/:id/pickup/flip", s.flip)
	r.post("/prints/:id/pickup/accept", s.accept)
	r.post("/prints/:id/pickup/undo", s.undoPickup)
	r.post("/prints/:id/pickup/redo", s.redoPickup)
	r.post("/prints/:id/pickup/write", s.writePickup)
	r.get("/prints/:id/pickup/touch", s.touchFile)
	r.post("/prints/:id/pickup/photo", s.putPhoto)
	r.post("/prints/:id/pickup/photo/pin", s.pinPhoto)
	r.post("/prints/:id/pickup/photo/remove", s.dropPhoto)
	r.get("/prints/:id/photos/:photo", s.photo)
	r.get("/prints/:id/picture", s.packPicture)
	r.get("/prints/:id/pickups/:pickup", s.keptPage)
	r.get("/prints/:id/pickups/:pickup/file", s.keptFile)
	r.get("/prints/:id/pickups/:pickup/touch", s.keptTouch)
	r.post("/prints/:id/pickups/:pickup/outcome", s.outcome)
	r.post("/prints/:id/pickups/:pickup/remove", s.forgetPickup)
}

// pieceNames are the kinds of evidence as cards are called.
var pieceNames = map[string]string{
	pickup.Touch: "Touched with the nozzle", pickup.Caliper: "Calipers",
	pickup.Counted: "Layers counted", pickup.Layer: "Last good layer",
	pickup.FileNumber: "The file's number",
	pickup.Display:    "Position on the display", pickup.Minutes: "Clock when it stopped",
	pickup.Percent: "Percentage", pickup.Line: "Line", pickup.Byte: "Bytes sent",
	pickup.Extruded: "E on the display", pickup.Weight: "Weight of the part",
	pickup.Picture: "In a picture from the side",
	pickup.Spool:   "Lost by the spool", pickup.Used: "Filament used",
}

// pickupDoc returns what is known and decided so far.
func (s *Server) pickupDoc(ctx context.Context, id int64) (store.Pickup, error) {
	d, err := s.cfg.Store.Draft(ctx, id)
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

func (s *Server) pickupPage(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	if len(b.ix.Layers) < 2 {
		return fiber.NewError(fiber.StatusConflict, "This print has no two layers, so there is nothing "+
			"to pick up.")
	}
	v, err := s.pickupView(c, b)
	if err != nil {
		return err
	}
	return s.page(c, "pickup", fiber.Map{"Title": "Pick-up of " + b.print.Title, "At": "pickup",
		"Print": b.print, "V": v})
}

func (s *Server) sendPickup(c fiber.Ctx, b *book, said string) error {
	v, err := s.pickupView(c, b)
	if err != nil {
		return err
	}
	v.Said = said
	return c.Render("_pickup", v)
}

// pickupNow sends the pick-up being worked on as it stands, for a page on which it is
// being examined.
func (s *Server) pickupNow(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	return s.sendPickup(c, b, "")
}

// changePickup carries out one change of the pick-up being worked on.
func (s *Server) changePickup(c fiber.Ctx, f func(b *book, d *store.PickupDoc) (string,
	error)) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	said := ""
	err = s.cfg.Store.ChangeDraft(c.Context(), b.print.ID, func(d *store.PickupDoc) error {
		said, err = f(b, d)
		return err
	})
	if err != nil {
		return err
	}
	return s.sendPickup(c, b, said)
}

// mostPieces bounds the evidence of one pick-up.
const mostPieces = 12

// acceptWords are what somebody writes who overrides a finding.
const acceptWords = "i have looked and i will watch"

func (s *Server) undoPickup(c fiber.Ctx) error {
	return s.stepPickup(c, s.cfg.Store.UndoDraft, "Taken back.")
}

func (s *Server) redoPickup(c fiber.Ctx) error {
	return s.stepPickup(c, s.cfg.Store.RedoDraft, "Done again.")
}

func (s *Server) stepPickup(c fiber.Ctx, f func(context.Context, int64) error, said string) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	if err := f(c.Context(), b.print.ID); err != nil {
		return err
	}
	return s.sendPickup(c, b, said)
}
