package shelf

import (
	"fmt"
	"math"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/store"
	"dogear/web/site"
)

// takenOff is a print that was taken off the shelf.
type takenOff struct {
	ID    int64
	Title string
	Name  string
	When  string
	Until string // how long it can be put back
	MB    float64
}

// takeOff takes a print off the shelf; it can be put back.
func (s *Shelf) takeOff(c fiber.Ctx) error {
	p, err := s.Print(c)
	if err != nil {
		return err
	}
	known := s.Store.Known(c.Context(), p.ID)
	if p.State == "reading" && s.Jobs.Cancel(p.ID) && !known { // what was never read is not kept
		c.Set("HX-Redirect", "/")
		return c.SendStatus(fiber.StatusOK)
	}
	if err := s.Store.TakeOff(c.Context(), p.ID); err != nil {
		return err
	}
	s.Books.Drop(p.ID)
	c.Set("HX-Redirect", fmt.Sprintf("/?off=%d", p.ID))
	return c.SendStatus(fiber.StatusOK)
}

// putBack puts it back.
func (s *Shelf) putBack(c fiber.Ctx) error {
	id, err := site.PrintID(c)
	if err != nil {
		return err
	}
	if err := s.Store.PutBack(c.Context(), id); err != nil {
		return err
	}
	c.Set("HX-Redirect", "/")
	return c.SendStatus(fiber.StatusOK)
}

// deleteForGood deletes a print that was taken off the shelf.
func (s *Shelf) deleteForGood(c fiber.Ctx) error {
	id, err := site.PrintID(c)
	if err != nil {
		return err
	}
	if _, err := s.Store.TakenOffPrint(c.Context(), id); err != nil {
		return err
	}
	if err := s.Store.Remove(c.Context(), id); err != nil {
		return err
	}
	c.Set("HX-Redirect", "/off")
	return c.SendStatus(fiber.StatusOK)
}

// takenOffPage lists what can be put back.
func (s *Shelf) takenOffPage(c fiber.Ctx) error {
	all, err := s.Store.TakenOff(c.Context())
	if err != nil {
		return err
	}
	var list []takenOff
	sum := 0.0
	for _, t := range all {
		mb := float64(t.Stored) / 1e6
		sum += mb
		until := t.Removed.Add(store.KeepRemoved)
		list = append(list, takenOff{t.ID, t.Title, t.Name, t.Removed.Local().Format("2 January 15:04"),
			days(time.Until(until)), mb})
	}
	return s.Page(c, "off", fiber.Map{"Title": "Taken off the shelf", "At": "off", "List": list,
		"Sum": fmt.Sprintf("%.1f", sum)})
}

// days says how long something is still kept.
func days(d time.Duration) string {
	switch n := int(math.Ceil(d.Hours() / 24)); {
	case n > 1:
		return fmt.Sprintf("%d days", n)
	}
	return "a day"
}
