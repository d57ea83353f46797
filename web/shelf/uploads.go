package shelf

import (
	"errors"
	"fmt"

	"github.com/gofiber/fiber/v3"

	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/say"
)

// upload takes a file as the body of a request and starts reading it.
func (s *Shelf) upload(c fiber.Ctx) error { return arrive.Bring(s.Site, c, store.Print{}) }

// reading says how far the reading of a print is.
func (s *Shelf) reading(c fiber.Ctx) error {
	c.Set("Cache-Control", "no-store")
	p, perr := s.Print(c)
	var id int64
	if _, err := fmt.Sscan(c.Params("id"), &id); err != nil {
		return store.ErrNone
	}
	if j, ok := s.Jobs.Get(id); ok {
		return c.JSON(fiber.Map{"state": j.State, "what": j.What, "done": j.Done, "error": j.Err})
	}
	if perr != nil {
		return perr
	}
	if p.State == "reading" {
		s.Jobs.Start(p)
	}
	return c.JSON(fiber.Map{"state": p.State, "what": "", "done": 0})
}

func (s *Shelf) cancel(c fiber.Ctx) error {
	p, err := s.Print(c)
	if err != nil {
		return err
	}
	if !s.Jobs.Cancel(p.ID) {
		return say.Sentence(fiber.StatusConflict, "this print is not being read any more")
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// packPicture sends the picture that came with a print.
func (s *Shelf) packPicture(c fiber.Ctx) error {
	p, err := s.Print(c)
	if err != nil {
		return err
	}
	data, err := s.Store.PackPicture(c.Context(), p.ID)
	if errors.Is(err, store.ErrNone) {
		return say.Sentence(fiber.StatusNotFound, "no picture came with this print")
	}
	if err != nil {
		return err
	}
	c.Set("Content-Type", "image/jpeg")
	c.Set("Cache-Control", "private, max-age=3600")
	return c.Send(data)
}
