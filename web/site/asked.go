package site

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/app/runner"
	"dogear/core/gate"
	"dogear/core/pickup"
	"dogear/web/book"
	"dogear/web/conn"
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
	case errors.Is(err, gate.ErrMarked):
		return say.Sentence(fiber.StatusConflict,
			"this file was written by Dogear already; take its marks "+
				"over on the bench, then mark what you want")
	}
	return say.Sentence(fiber.StatusConflict, err.Error())
}

// Examination is a file being examined: what may be written, or why not.
type Examination = runner.Job[*gate.Release]

// Await waits for an examination as long as it takes, or until the other side has gone.
func Await(c fiber.Ctx, q *Examination) error {
	ctx, stop := conn.WhileThere(c)
	defer stop()
	_, err := q.Within(ctx, 0)
	return err
}

// Examine has a file examined, or joins those who wait for it already. Equal keys are one question;
// of names what it is about, so that an older one nobody waits for makes room.
func (s *Site) Examine(key, of string, f func(ctx context.Context, ask gate.Asked) (*gate.Release,
	error)) (*Examination, error) {
	q, err := s.Gate.Ask(key, of, func(ctx context.Context, progress func(float64)) (*gate.Release,
		error) {
		return f(ctx, gate.Asked{Progress: progress})
	})
	if errors.Is(err, runner.ErrFull) {
		return nil, say.Sentence(fiber.StatusServiceUnavailable, err.Error())
	}
	return q, err
}

// planned asks for a print with all that is marked in it.
func (s *Site) planned(b *book.Book, m *book.Marked) (*Examination, error) {
	if err := readFor(b, m); err != nil {
		return nil, err
	}
	key, err := KeyOf("plan", b, m.Plan)
	if err != nil {
		return nil, err
	}
	of := fmt.Sprint("plan of ", b.Print.ID)
	return s.Examine(key, of, func(ctx context.Context, ask gate.Asked) (*gate.Release, error) {
		ask.Accept = m.Plan.Accept
		return gate.Plan(ctx, b.Src, b.Ix, m.Plan, b.Found(), ask)
	})
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
func (s *Site) Picked(b *book.Book, m *book.Marked, id int64, c pickup.Choice) (*Examination,
	error) {
	if err := readFor(b, m); err != nil {
		return nil, err
	}
	key, err := KeyOf("pickup", b, m.Plan, c)
	if err != nil {
		return nil, err
	}
	of := fmt.Sprintf("pick-up %d of %d", id, b.Print.ID)
	return s.Examine(key, of, func(ctx context.Context, ask gate.Asked) (*gate.Release, error) {
		return gate.Pickup(ctx, b.Src, b.Ix, m.Plan, b.Found(), c, ask)
	})
}

// AskedOf returns the print of a request, its marks and the examination of both.
func (s *Site) AskedOf(c fiber.Ctx) (b *book.Book, m *book.Marked, q *Examination, err error) {
	if b, m, err = s.OpenMarked(c); err == nil {
		q, err = s.planned(b, m)
	}
	return b, m, q, err
}

// Patience is how long a page waits for an examination before it shows a bar.
const Patience = 1500 * time.Millisecond
