package pickup

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/core/gate"
	"dogear/core/pickup"
	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// writePickup books the pick-up as written and sends the browser to its file.
func (s *pages) writePickup(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	d, err := s.Store.Draft(c.Context(), b.Print.ID)
	if err != nil {
		return say.Sentence(fiber.StatusConflict, "say first what you know about where it stopped")
	}
	r, ch, err := s.checked(c, b, 0, &d.Doc)
	if err != nil {
		return err
	}
	if f := r.Stopped(); f != nil {
		return say.Sentence(fiber.StatusConflict, "the pick-up was not written: "+f.Message)
	}
	p := r.Pickup()
	belief, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(d.Doc.Evidence, d.Doc.Choice.Feeler))
	if err != nil {
		return err
	}
	if why, _ := reopened(b, &d.Doc, belief); why != "" {
		return say.Sentence(fiber.StatusConflict, why+" Say first which of them it is")
	}
	if d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0 {
		return say.Sentence(fiber.StatusConflict, fmt.Sprintf("say first whether layer %d is the last "+
			"good one", ch.Layer))
	}
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return err
	}
	made, err := s.makeKept(c.Context(), b, m, r, ch)
	if err != nil {
		return err
	}
	id, err := s.Store.FinishDraft(c.Context(), b.Print.ID, p.Start.Layer, p.Start.Line, p.Length,
		made)
	if err != nil {
		return err
	}
	s.Note(c.Context(), b.Print.ID, store.NotePickup, "%s", pickupName(b, r, ch))
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/pickups/%d?take=1", b.Print.ID, id))
	return c.SendStatus(fiber.StatusOK)
}

// checked makes the pick-up of what is known and decided, and has it examined.
func (s *pages) checked(c fiber.Ctx, b *book.Book, id int64,
	doc *store.PickupDoc) (*gate.Release,
	*pickup.Choice, error) {
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return nil, nil, err
	}
	belief, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(doc.Evidence, doc.Choice.Feeler))
	if err != nil {
		return nil, nil, say.Sentence(fiber.StatusConflict, err.Error())
	}
	ch := settled(doc, belief)
	q, err := s.Picked(b, m, id, ch)
	if err != nil {
		return nil, nil, err
	}
	err = site.Await(c, q)
	return q.Out(), &ch, site.Asked(err)
}

// touchFile sends the touch check file of the pick-up being worked on.
func (s *pages) touchFile(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	d, err := s.pickupDoc(c.Context(), b.Print.ID)
	if err != nil {
		return err
	}
	belief, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(d.Doc.Evidence, d.Doc.Choice.Feeler))
	if err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	if len(d.Doc.Evidence) == 0 && d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0 {
		return say.Sentence(fiber.StatusConflict, "say first what you know about where it stopped")
	}
	ch := settled(&d.Doc, belief)
	// A page that was left open must not get the check of another height.
	if last := c.Query("last"); last != "" && last != strconv.Itoa(ch.Layer) {
		return say.Sentence(fiber.StatusConflict,
			fmt.Sprintf("this page shows layer %s as the last good "+
				"one, by now it is layer %d; load the page again", fields.Clip(last), ch.Layer))
	}
	return s.sendTouch(c, b, ch)
}

// sendTouch makes and examines the touch check of a choice, and sends it.
func (s *pages) sendTouch(c fiber.Ctx, b *book.Book, ch pickup.Choice) error {
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return err
	}
	r, t, err := gate.Touch(c.Context(), b.Src, b.Ix, m.Plan.Printer, ch, gate.Asked{})
	if err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	return arrive.Send(c, plainWith(b, fmt.Sprintf("_touch-check-%d", t.Start.Kept)), r)
}

// forgetPickup takes a written pick-up out of the list.
func (s *pages) forgetPickup(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Params("pickup"), 10, 64)
	if err != nil {
		return store.ErrNone
	}
	if err := s.Store.RemovePickup(c.Context(), b.Print.ID, id); err != nil {
		return err
	}
	return s.sendPickup(c, b, "Forgotten.")
}

// nameWith names a file after the print.
func nameWith(b *book.Book, suffix string) string {
	base, ext := b.Print.Name, ".gcode"
	if i := strings.LastIndexByte(base, '.'); i > 0 {
		base, ext = base[:i], base[i:]
	}
	return base + suffix + ext
}

// plainWith does so for what is G-code by itself, whatever the print came packed in.
func plainWith(b *book.Book, suffix string) string {
	if !archive.ForGCode(b.Print.Name) {
		return arrive.Stem(b.Print.Name) + suffix + ".gcode"
	}
	return nameWith(b, suffix)
}
