package web

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/core/pickup"
	"dogear/core/release"
	"dogear/store"
)

// writePickup books the pick-up as written and sends the browser to its file.
func (s *Server) writePickup(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	d, err := s.cfg.Store.Draft(c.Context(), b.print.ID)
	if err != nil {
		return sentence(fiber.StatusConflict, "say first what you know about where it stopped")
	}
	r, ch, err := s.checked(c, b, 0, &d.Doc)
	if err != nil {
		return err
	}
	if f := r.Stopped(); f != nil {
		return sentence(fiber.StatusConflict, "the pick-up was not written: "+f.Message)
	}
	p := r.Pickup
	belief, err := pickup.Weigh(b.src, b.ix, pickup.Felt(d.Doc.Evidence, d.Doc.Choice.Feeler))
	if err != nil {
		return err
	}
	if why, _ := reopened(b, &d.Doc, belief); why != "" {
		return sentence(fiber.StatusConflict, why+" Say first which of them it is")
	}
	if d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0 {
		return sentence(fiber.StatusConflict, fmt.Sprintf("say first whether layer %d is the last "+
			"good one", ch.Layer))
	}
	m, err := s.marks(c.Context(), b.print.ID)
	if err != nil {
		return err
	}
	made, err := s.makeKept(c.Context(), b, m, r, ch)
	if err != nil {
		return err
	}
	id, err := s.cfg.Store.FinishDraft(c.Context(), b.print.ID, p.Start.Layer, p.Start.Line, p.Length,
		made)
	if err != nil {
		return err
	}
	s.note(c.Context(), b.print.ID, store.NotePickup, "%s", pickupName(b, r, ch))
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/pickups/%d?take=1", b.print.ID, id))
	return c.SendStatus(fiber.StatusOK)
}

// checked makes the pick-up of what is known and decided, and has it examined.
func (s *Server) checked(c fiber.Ctx, b *book, id int64, doc *store.PickupDoc) (*release.Release,
	*pickup.Choice, error) {
	m, err := s.marks(c.Context(), b.print.ID)
	if err != nil {
		return nil, nil, err
	}
	belief, err := pickup.Weigh(b.src, b.ix, pickup.Felt(doc.Evidence, doc.Choice.Feeler))
	if err != nil {
		return nil, nil, sentence(fiber.StatusConflict, err.Error())
	}
	ch := settled(doc, belief)
	q, err := s.picked(b, m, id, ch)
	if err != nil {
		return nil, nil, err
	}
	err = q.await(c)
	return q.out, &ch, asked(err)
}

// touchFile sends the touch check file of the pick-up being worked on.
func (s *Server) touchFile(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	d, err := s.pickupDoc(c.Context(), b.print.ID)
	if err != nil {
		return err
	}
	belief, err := pickup.Weigh(b.src, b.ix, pickup.Felt(d.Doc.Evidence, d.Doc.Choice.Feeler))
	if err != nil {
		return sentence(fiber.StatusConflict, err.Error())
	}
	if len(d.Doc.Evidence) == 0 && d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0 {
		return sentence(fiber.StatusConflict, "say first what you know about where it stopped")
	}
	ch := settled(&d.Doc, belief)
	// A page that was left open must not get the check of another height.
	if last := c.Query("last"); last != "" && last != strconv.Itoa(ch.Layer) {
		return sentence(fiber.StatusConflict, fmt.Sprintf("this page shows layer %s as the last good "+
			"one, by now it is layer %d; load the page again", clip(last), ch.Layer))
	}
	m, err := s.marks(c.Context(), b.print.ID)
	if err != nil {
		return err
	}
	r, t, err := release.Touch(c.Context(), b.src, b.ix, m.plan.Printer, ch, release.Asked{})
	if err != nil {
		return sentence(fiber.StatusConflict, err.Error())
	}
	return send(c, plainWith(b, fmt.Sprintf("_touch-check-%d", t.Start.Kept)), r)
}

// forgetPickup takes a written pick-up out of the list.
func (s *Server) forgetPickup(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Params("pickup"), 10, 64)
	if err != nil {
		return store.ErrNone
	}
	if err := s.cfg.Store.RemovePickup(c.Context(), b.print.ID, id); err != nil {
		return err
	}
	return s.sendPickup(c, b, "Forgotten.")
}

// nameWith names a file after the print.
func nameWith(b *book, suffix string) string {
	base, ext := b.print.Name, ".gcode"
	if i := strings.LastIndexByte(base, '.'); i > 0 {
		base, ext = base[:i], base[i:]
	}
	return base + suffix + ext
}

// plainWith does so for what is G-code by itself, whatever the print came packed in.
func plainWith(b *book, suffix string) string {
	if !archive.ForGCode(b.print.Name) {
		return stem(b.print.Name) + suffix + ".gcode"
	}
	return nameWith(b, suffix)
}
