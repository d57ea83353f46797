package pickup

import (
	"bytes"
	"errors"
	"fmt"
	"image/jpeg"
	"io"
	"math"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/book"
	"dogear/web/say"
)

// A picture of the part lies under the left page, pinned by two places. The browser makes it
// small and takes all out of it that a camera writes along; it is kept here and sent nowhere.

// Bounds of a picture: bytes, and dots along either side.
const (
	maxPhoto = 4 << 20
	maxDots  = 4096
)

// putPhoto keeps a picture for the pick-up that is being worked on.
func (s *pages) putPhoto(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	data, err := io.ReadAll(io.LimitReader(arrive.NewBody(c), maxPhoto+1))
	if err != nil {
		return say.Sentence(fiber.StatusBadRequest, "the picture did not arrive whole")
	}
	if len(data) > maxPhoto {
		return say.Sentence(fiber.StatusRequestEntityTooLarge, "this picture is too large")
	}
	p, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil || p.Width > maxDots || p.Height > maxDots || p.Width*p.Height == 0 {
		return say.Sentence(fiber.StatusUnprocessableEntity,
			"this is no picture that Dogear can lay under "+
				"a page")
	}
	id, err := s.Store.PutPhoto(c.Context(), b.Print.ID, data)
	if errors.Is(err, store.ErrPhotos) {
		return say.Sentence(fiber.StatusConflict,
			fmt.Sprintf("there are %d pictures of this print already, "+
				"which is all that it keeps", store.MaxPhotos))
	}
	if err != nil {
		return err
	}
	return s.changePickup(c, func(_ *book.Book, d *store.PickupDoc) (string, error) {
		d.Photo = &store.Photo{ID: id, Pins: [2][2]float64{{0.3, 0.7}, {0.7, 0.3}}}
		return "The picture is here. Now pin it.", nil
	})
}

// pinPhoto says where two places of the picture lie on the bed.
func (s *pages) pinPhoto(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book.Book, d *store.PickupDoc) (string, error) {
		if d.Photo == nil {
			return "", say.Sentence(fiber.StatusNotFound, "there is no picture any more")
		}
		p := *d.Photo
		for i := range 2 {
			for k, name := range []string{"px", "py", "x", "y"} {
				v, err := strconv.ParseFloat(c.FormValue(fmt.Sprint(name, i+1)), 64)
				if err != nil || math.IsNaN(v) || math.Abs(v) > 1e5 {
					return "", say.Sentence(fiber.StatusUnprocessableEntity, "a place of the picture is missing")
				}
				if k < 2 {
					p.Pins[i][k] = min(max(v, 0), 1)
				} else {
					p.At[i][k-2] = v
				}
			}
		}
		if p.Pins[0] == p.Pins[1] || p.At[0] == p.At[1] {
			return "", say.Sentence(fiber.StatusUnprocessableEntity,
				"the two places are the same; drag 1 and "+
					"2 onto different ones")
		}
		d.Photo = &p
		return "Pinned. Move the last good layer, and see which one fits.", nil
	})
}

// dropPhoto takes the picture away from the pick-up.
func (s *pages) dropPhoto(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book.Book, d *store.PickupDoc) (string, error) {
		d.Photo = nil
		return "The picture is taken away.", nil
	})
}

// photo sends a picture.
func (s *pages) photo(c fiber.Ctx) error {
	p, err := s.Print(c)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Params("photo"), 10, 64)
	if err != nil {
		return say.Sentence(fiber.StatusNotFound, "there is no such picture")
	}
	data, err := s.Store.Photo(c.Context(), p.ID, id)
	if errors.Is(err, store.ErrNone) {
		return say.Sentence(fiber.StatusNotFound, "there is no such picture")
	}
	if err != nil {
		return err
	}
	c.Set("Content-Type", "image/jpeg")
	c.Set("Cache-Control", "private, max-age=31536000, immutable")
	return c.Send(data)
}
