package site

import (
	"context"
	"errors"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/store"
	"dogear/web/book"
)

// Open returns the print of a request with its book.
func (s *Site) Open(c fiber.Ctx) (*book.Book, error) {
	p, err := s.Print(c)
	if err != nil {
		return nil, err
	}
	if p.State != "ready" {
		return nil, fiber.NewError(fiber.StatusConflict, "This print is still being read. Wait a "+
			"moment, then open it again.")
	}
	b, err := s.Books.Get(c.Context(), p)
	if err != nil && s.Again(c.Context(), p, err) {
		return nil, fiber.NewError(fiber.StatusConflict, "This print is being read again. Wait a "+
			"moment, then open it.")
	}
	return b, err
}

// Again lets a print be read again when what was kept of its reading cannot be used.
func (s *Site) Again(ctx context.Context, p store.Print, err error) bool {
	if !errors.Is(err, store.ErrStale) || s.Store.Again(ctx, p.ID) != nil {
		return false
	}
	s.Jobs.Start(p)
	return true
}

// OpenMarked returns the print of a request with its book and its marks.
func (s *Site) OpenMarked(c fiber.Ctx) (*book.Book, *book.Marked, error) {
	b, err := s.Open(c)
	if err != nil {
		return nil, nil, err
	}
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err == nil && !b.Ix.ReadsAlike(m.Plan.Dialect()) {
		s.Jobs.Again(b, m.Plan.Dialect())
	}
	return b, m, err
}

// PrintID is the number of the print that a request is about.
func PrintID(c fiber.Ctx) (int64, error) {
	id, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil {
		return 0, store.ErrNone
	}
	return id, nil
}

// Print is the print that a request is about.
func (s *Site) Print(c fiber.Ctx) (store.Print, error) {
	id, err := PrintID(c)
	if err != nil {
		return store.Print{}, err
	}
	return s.Store.Print(c.Context(), id)
}
