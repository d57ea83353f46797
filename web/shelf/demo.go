package shelf

import (
	"context"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/demo"
	"dogear/store"
)

// demo puts the demo prints on the shelf.
func (s *Shelf) demo(c fiber.Ctx) error {
	if err := s.LoadDemo(c.Context()); err != nil {
		return err
	}
	c.Set("HX-Redirect", "/")
	return c.SendStatus(fiber.StatusOK)
}

// LoadKit puts what ships into a Kit that nobody has touched.
func (s *Shelf) LoadKit(ctx context.Context) error {
	return s.Store.Ship(ctx, plan.Shipped()...)
}

// LoadDemo slices the demo prints and puts those on the shelf that are not
// there yet. They are read before it returns.
func (s *Shelf) LoadDemo(ctx context.Context) error {
	if err := s.Store.Ship(ctx, demo.Kit()...); err != nil {
		return err
	}
	have := map[string]bool{}
	prints, err := s.Store.Prints(ctx)
	if err != nil {
		return err
	}
	for _, p := range prints {
		have[p.Name] = true
	}
	parts := demo.Parts()
	for i := len(parts) - 1; i >= 0; i-- { // the newest stands first
		if have[parts[i].Slug+".gcode"] {
			continue
		}
		if err := s.loadPart(ctx, parts[i]); err != nil {
			return err
		}
	}
	return nil
}

func (s *Shelf) loadPart(ctx context.Context, part demo.Part) error {
	st := s.Store
	file, _ := demo.Slice(part.Solid, demo.DialectNamed(part.Dialect))
	up, err := st.Begin(ctx)
	if err != nil {
		return err
	}
	defer up.Abandon()
	if _, err := up.Write(file); err != nil {
		return err
	}
	if err := up.Finish(part.Slug+".gcode", part.Title); err != nil {
		return err
	}
	p, err := st.Print(ctx, up.ID)
	if err != nil {
		return err
	}
	if err := s.Jobs.ReadFor(ctx, p, nil, time.Minute); err != nil {
		return err
	}
	if part.Failed > 0 {
		err := st.ChangeDraft(ctx, p.ID, func(d *store.PickupDoc) error {
			d.Evidence = []pickup.Evidence{{Kind: pickup.Percent, Value: part.Failed}}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return st.Change(ctx, p.ID, func(doc *plan.Plan) error {
		doc.First = part.First
		for _, e := range part.Ears {
			x := plan.Ear{ID: doc.FreeID(), BeforeLayer: e.Before, Kind: e.Kind, Filament: e.Filament,
				Note: e.Note, Count: e.Count, Pole: e.Pole}
			for _, it := range plan.Shipped() {
				if part, ok := it.Doc.(plan.InsertPart); ok && it.Key == e.Insert {
					x.Insert = &part
				}
			}
			if e.Slow > 0 {
				x.Bridge = &plan.Bridge{Speed: e.Slow}
			}
			doc.Ears = append(doc.Ears, x)
		}
		return nil
	})
}
