package site

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/pickup"
	"dogear/core/release"
	"dogear/web/book"
	"dogear/web/gate"
	"dogear/web/say"
)

// KeyOf names what is asked by its content: the file, whether its pockets are known
// by now, and what is wanted of it.
func KeyOf(what string, b *book.Book, parts ...any) (string, error) {
	doc, err := json.Marshal(append(parts, b.Print.ID, b.Print.SHA256, b.Marks != nil, b.Ix.Dialect))
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%s/%x", what, sha256.Sum256(doc)), nil
}

// Asked answers for an error of the core: what is wrong with what was asked.
func Asked(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, context.Canceled):
		return say.Sentence(fiber.StatusConflict, "the examination was stopped, or what is marked was "+
			"changed meanwhile; open the page again")
	case errors.Is(err, release.ErrMarked):
		return say.Sentence(fiber.StatusConflict,
			"this file was written by Dogear already; take its marks "+
				"over on the bench, then mark what you want")
	}
	return say.Sentence(fiber.StatusConflict, err.Error())
}

// planned asks for a print with all that is marked in it.
func (s *Site) planned(b *book.Book, m *book.Marked) (*gate.Asking, error) {
	if err := readFor(b, m); err != nil {
		return nil, err
	}
	key, err := KeyOf("plan", b, m.Plan)
	if err != nil {
		return nil, err
	}
	of := fmt.Sprint("plan of ", b.Print.ID)
	return s.Gate.Ask(key, of, func(ctx context.Context, ask release.Asked) (*release.Release, error) {
		ask.Accept = m.Plan.Accept
		return release.Plan(ctx, b.Src, b.Ix, m.Plan, b.Found(), ask)
	}), nil
}

// readFor refuses to lay marks onto a print that is still being read again for their
// printer.
func readFor(b *book.Book, m *book.Marked) error {
	if b.Ix.ReadsAlike(m.Plan.Dialect()) {
		return nil
	}
	return say.Sentence(fiber.StatusConflict,
		"this print is being read again for "+m.Plan.Printer.Called()+
			"; wait a moment, then try again")
}

// Picked asks for a pick-up of a print: the one with a number, 0 for the one that is
// worked on.
func (s *Site) Picked(b *book.Book, m *book.Marked, id int64, c pickup.Choice) (*gate.Asking,
	error) {
	if err := readFor(b, m); err != nil {
		return nil, err
	}
	key, err := KeyOf("pickup", b, m.Plan, c)
	if err != nil {
		return nil, err
	}
	of := fmt.Sprintf("pick-up %d of %d", id, b.Print.ID)
	return s.Gate.Ask(key, of, func(ctx context.Context, ask release.Asked) (*release.Release, error) {
		return release.Pickup(ctx, b.Src, b.Ix, m.Plan, b.Found(), c, ask)
	}), nil
}

// AskedOf returns the print of a request, its marks and the examination of both.
func (s *Site) AskedOf(c fiber.Ctx) (b *book.Book, m *book.Marked, q *gate.Asking, err error) {
	if b, m, err = s.OpenMarked(c); err == nil {
		q, err = s.planned(b, m)
	}
	return b, m, q, err
}

// Patience is how long a page waits for an examination before it shows a bar.
const Patience = 1500 * time.Millisecond
