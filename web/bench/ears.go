package bench

import (
	"context"
	"slices"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// change carries out one change of a print's marks.
func (s *pages) change(c fiber.Ctx, f func(b *book.Book, p *plan.Plan) (string, error)) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, _ *store.Kit) (string, error) {
		return f(b, p)
	})
}

// changeWith carries out a change that asks the Kit.
func (s *pages) changeWith(c fiber.Ctx,
	f func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error)) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	said := ""
	err = s.Store.Change(c.Context(), b.Print.ID, func(p *plan.Plan) error {
		if said, err = f(b, p, kit); err != nil {
			return err
		}
		// From the first mark on the print remembers its printer: another one
		// that comes first in the Kit later must not change it.
		if keys := kit.Keys[plan.Printers]; p.Uses.Printer == "" && p.Printer == nil && len(keys) > 0 {
			p.Uses.Printer = keys[0]
		}
		if p.First == "" && len(kit.Keys[plan.Filaments]) > 0 {
			p.First = kit.Keys[plan.Filaments][0]
		}
		return site.CheckPlan(p, kit)
	})
	if err != nil {
		return err
	}
	return s.sendMargin(c, b, said)
}

func (s *pages) addEar(c fiber.Ctx) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		e := plan.Ear{ID: p.FreeID()}
		if err := readEar(fields.Of(c), b, p, &e, kit); err != nil {
			return "", err
		}
		if e.BeforeLayer == 0 && e.BeforeLine == 0 && e.AtHeight == nil && e.FileNumber == nil {
			return "", say.Sentence(fiber.StatusUnprocessableEntity, "say before which layer")
		}
		p.Ears = append(p.Ears, e)
		return "Marked: the printer stops " + where(e) + ".", nil
	})
}

// ear finds the ear of a request.
func ear(c fiber.Ctx, p *plan.Plan) (int, error) {
	i := slices.IndexFunc(p.Ears, func(e plan.Ear) bool { return e.ID == c.Params("ear") })
	if i < 0 {
		return 0, say.Sentence(fiber.StatusNotFound, errGone.Error())
	}
	return i, nil
}

func (s *pages) changeEar(c fiber.Ctx) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		i, err := ear(c, p)
		if err != nil {
			return "", err
		}
		e := p.Ears[i]
		if err := unchanged(c, &e); err != nil {
			return "", err
		}
		if err := readEar(fields.Of(c), b, p, &e, kit); err != nil {
			return "", err
		}
		p.Ears[i] = e
		return "Changed: the printer stops " + where(e) + ".", nil
	})
}

// copyEar puts another ear like this one somewhere else.
func (s *pages) copyEar(c fiber.Ctx) error {
	return s.change(c, func(b *book.Book, p *plan.Plan) (string, error) {
		i, err := ear(c, p)
		if err != nil {
			return "", err
		}
		e := p.Ears[i]
		e.ID = p.FreeID()
		if err := locateEar(b, p, &e, c.FormValue("where")); err != nil {
			return "", err
		}
		if where(e) == where(p.Ears[i]) {
			return "", say.Sentence(fiber.StatusConflict,
				"this ear stands there already; write where its copy "+
					"is to go")
		}
		if err := fitsIn(b, p, &e); err != nil {
			return "", err
		}
		p.Ears = append(p.Ears, e)
		return "Copied: the printer stops " + where(e) + " too.", nil
	})
}

func (s *pages) removeEar(c fiber.Ctx) error {
	return s.change(c, func(_ *book.Book, p *plan.Plan) (string, error) {
		i, err := ear(c, p)
		if err != nil {
			return "", err
		}
		if err := unchanged(c, &p.Ears[i]); err != nil {
			return "", err
		}
		gone := where(p.Ears[i])
		p.Ears = slices.Delete(p.Ears, i, i+1)
		return "Removed: the printer no longer stops " + gone + ".", nil
	})
}

// usePrinter chooses the printer of the Kit that a print is for.
func (s *pages) usePrinter(c fiber.Ctx) error {
	return s.changeWith(c, func(_ *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		key := c.FormValue("printer")
		pr, ok := kit.Printers[key]
		if !ok {
			return "", say.Sentence(fiber.StatusUnprocessableEntity, "there is no such printer in the Kit")
		}
		p.Uses.Printer, p.Printer = key, nil
		return "This print is for " + pr.Called() + ".", nil
	})
}

// filamentAxis says of the printer that a print is for how it counts filament when G90
// and G91 say how places count: a printer of the Kit keeps it.
func (s *pages) filamentAxis(c fiber.Ctx) error {
	how := c.FormValue("how")
	if how != "steps" && how != "start" {
		return say.Sentence(fiber.StatusUnprocessableEntity,
			"say how the filament counts: steps, or start")
	}
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	pr, moves := *m.Plan.Printer, how == "steps"
	pr.G90MovesE = &moves
	said := "From the start it is, then. The print is read again."
	if moves {
		said = "In steps it is, then. The print is read again if that changes anything."
	}
	if key := m.Plan.Uses.Printer; key != "" {
		err := s.Store.PutFrom(c.Context(), plan.Printers, key, m.Kit.Signs[plan.Printers+"/"+key],
			plan.Item{Drawer: plan.Printers, Key: key, Doc: pr})
		if err != nil {
			return site.ChangedMeanwhile(err)
		}
	} else if err := s.Store.Change(c.Context(), b.Print.ID, func(p *plan.Plan) error {
		p.Printer = &pr
		return nil
	}); err != nil {
		return err
	}
	if _, _, err = s.OpenMarked(c); err != nil { // that begins the reading
		return err
	}
	return s.sendMargin(c, b, said)
}

func (s *pages) firstFilament(c fiber.Ctx) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		e := plan.Ear{Kind: plan.Colour, BeforeLayer: 1}
		if err := readEar(fields.Of(c), b, p, &e, kit); err != nil {
			return "", err
		}
		p.First = e.Filament
		return "The print starts in another filament.", nil
	})
}

func (s *pages) undo(c fiber.Ctx) error { return s.stepBack(c, s.Store.Undo, "Taken back.") }

func (s *pages) redo(c fiber.Ctx) error { return s.stepBack(c, s.Store.Redo, "Done again.") }

func (s *pages) stepBack(c fiber.Ctx, f func(context.Context, int64) error, said string) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	if err := f(c.Context(), b.Print.ID); err != nil {
		return err
	}
	return s.sendMargin(c, b, said)
}
