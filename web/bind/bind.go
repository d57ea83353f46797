// Package bind has the pages of the page on which prints are bound.
package bind

import (
	"embed"
	"errors"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/bind"
	"dogear/core/gate"
	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/conn"
	"dogear/web/say"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of the page on which prints are bound.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/bind", s.bindPage)
	r.Get("/bind/file", s.bindFile)
	r.Get("/bind/over", s.bindOver)
	r.Post("/bind/shelf", s.bindShelf)
}

// bindPage shows the pieces and what is at the joint that is looked at.
func (s *pages) bindPage(c fiber.Ctx) error {
	b, err := s.binding(c)
	if err != nil {
		return err
	}
	m := fiber.Map{"Title": "Bind", "At": "bind"}
	if len(b.pieces) < 2 {
		if m["Groups"], m["First"], m["All"], err = s.bindable(c.Context(), b); err != nil {
			return err
		}
		return s.Page(c, "bind", m)
	}
	ctx, stop := conn.WhileThere(c)
	defer stop()
	v, err := s.boundView(ctx, b)
	if err != nil {
		return err
	}
	if c.Get("HX-Request") != "" {
		return c.Render("_bind", v)
	}
	m["V"] = v
	return s.Page(c, "bind", m)
}

// boundName is the name of a bound file: what the names of its pieces begin with.
func boundName(b *binding) string {
	name := arrive.Stem(b.books[0].Print.Name)
	for _, k := range b.books[1:] {
		o := arrive.Stem(k.Print.Name)
		for !strings.HasPrefix(o, name) {
			name = name[:len(name)-1]
		}
	}
	if name = strings.TrimRight(name, "-_ ."); name == "" {
		name = "print"
	}
	return name + "-bound.gcode"
}

// bindFile sends a bound file.
func (s *pages) bindFile(c fiber.Ctx) error {
	b, r, err := s.bound(c)
	if err != nil {
		return err
	}
	return arrive.Send(c, boundName(b), r)
}

// bindShelf puts a bound file on the shelf, as a print of its own.
func (s *pages) bindShelf(c fiber.Ctx) error {
	b, r, err := s.bound(c)
	if err != nil {
		return err
	}
	if f := r.Stopped(); f != nil {
		return say.Sentence(fiber.StatusConflict, f.Message)
	}
	file, _, err := r.Reader()
	if err != nil {
		return err
	}
	p, err := arrive.Shelve(s.Site, c.Context(), file, boundName(b), nil)
	if err != nil {
		return err
	}
	if err := s.along(c.Context(), b, p.ID); err != nil {
		s.Log.Warn("the ears of the pieces did not come along", "print", p.ID, "error", err)
	}
	s.Jobs.Start(p)
	c.Set("HX-Redirect", "/")
	return c.SendStatus(fiber.StatusOK)
}

// bound binds what an address says, and has it examined.
func (s *pages) bound(c fiber.Ctx) (*binding, *gate.Release, error) {
	b, err := s.binding(c)
	if err != nil {
		return nil, nil, err
	}
	if len(b.pieces) < 2 {
		return nil, nil, say.Sentence(fiber.StatusBadRequest, "it takes two pieces or more")
	}
	ctx, stop := conn.WhileThere(c)
	defer stop()
	r, err := s.joined(ctx, b)
	return b, r, err
}

// bindOver sends what a layer of one print lays over nothing of a layer of
// another, as the overlay of a page.
func (s *pages) bindOver(c fiber.Ctx) error {
	one := func(key string) (bind.Piece, int, error) {
		id, n, _ := strings.Cut(c.Query(key), ":")
		k, err := strconv.ParseInt(id, 10, 64)
		m, err2 := strconv.Atoi(n)
		if err != nil || err2 != nil {
			return bind.Piece{}, 0, store.ErrNone
		}
		pr, err := s.Store.Print(c.Context(), k)
		if err != nil {
			return bind.Piece{}, 0, err
		}
		if pr.State != "ready" {
			return bind.Piece{}, 0, store.ErrNone
		}
		b, err := s.Books.Get(c.Context(), pr)
		if err == nil && (m < 1 || m > len(b.Ix.Layers)) {
			err = store.ErrNone
		}
		if err != nil {
			return bind.Piece{}, 0, err
		}
		return bind.Piece{Name: pr.Title, Src: b.Src, Ix: b.Ix}, m, nil
	}
	below, n, err := one("below")
	above, m, err2 := one("above")
	if err = errors.Join(err, err2); err != nil {
		return err
	}
	g, err := bind.InTheAir(&below, n, &above, m)
	if err != nil {
		return err
	}
	return site.SendRuns(c, g, nil)
}
