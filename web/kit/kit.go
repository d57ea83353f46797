// Package kit has the pages of the Kit, of routines, and of the handshake with a printer.
package kit

import (
	"bytes"
	"embed"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
	"dogear/web/draw"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of the Kit, of routines, and of the handshake with a printer.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	s.handshakeRoutes(r)
	r.Get("/kit", s.kitPage)
	r.Get("/kit/file", s.kitFile)
	r.Post("/kit/file", s.openKit)
	r.Post("/kit/undo", s.kitUndo)
	r.Post("/kit/redo", s.kitRedo)
	r.Post("/kit/routines/steps", s.routineSteps)
	r.Post("/kit/routines/copy", s.copyRoutine)
	r.Post("/kit/routines/rename", s.renameRoutine)
	r.Post("/kit/printers/plan", s.planPreview)
	r.Get("/kit/:drawer/edit", s.kitEdit)
	r.Post("/kit/:drawer", s.kitSave)
	r.Post("/kit/:drawer/remove", s.kitRemove)
}

// kitPage shows the drawers.
func (s *pages) kitPage(c fiber.Ctx) error {
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	v := kitView{Undo: kit.Undo, Redo: kit.Redo}
	for _, key := range kit.Keys[plan.Printers] {
		p := kit.Printers[key]
		v.Printers = append(v.Printers,
			printerView{Key: key, Name: p.Name, Size: fmt.Sprintf("%g × %g mm, %g high", p.Bed[2]-p.Bed[0],
				p.Bed[3]-p.Bed[1], p.Top), Stops: stops(&p), Remarks: remarks(&p), Plan: draw.NewBedPlan(&p,
				132)})
	}
	for _, key := range kit.Keys[plan.Filaments] {
		f := kit.Filaments[key]
		v.Filaments = append(v.Filaments, filamentView{key, f.Name, f.Colour, f.Material, heats(&f),
			feeds(&f)})
	}
	for _, key := range kit.Keys[plan.Inserts] {
		i := kit.Inserts[key]
		v.Inserts = append(v.Inserts, insertView{key, sizes(&i), draw.NewShape(&i)})
	}
	v.Routines = routineList(kit)
	return s.Page(c, "kit", fiber.Map{"Title": "Kit", "At": "kit", "V": v})
}

// drawer returns the drawer of a request.
func drawer(c fiber.Ctx) (string, error) {
	d := c.Params("drawer")
	if !slices.Contains(plan.Drawers, d) {
		return "", fiber.NewError(fiber.StatusNotFound, "The Kit has no such drawer.")
	}
	return d, nil
}

// kitEdit shows one item to be changed, or an empty one.
func (s *pages) kitEdit(c fiber.Ctx) error {
	d, err := drawer(c)
	if err != nil {
		return err
	}
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	key := c.Query("key")
	m := fiber.Map{"At": "kit", "Key": key, "Drawer": d, "New": key == "", "Was": kit.Signs[d+"/"+key]}
	there := key == ""
	switch d {
	case plan.Printers:
		p, ok := kit.Printers[key]
		if key == "" {
			p = *plan.Generic()
			p.Name = ""
		}
		there = there || ok
		m["V"], m["Title"] = printerFormOf(kit, p), say.Or(p.Name, "A printer")
	case plan.Filaments:
		f, ok := kit.Filaments[key]
		if key == "" {
			f = plan.Filament{Colour: "#8a8f91", Purge: 30}
		}
		there = there || ok
		m["V"], m["Title"], m["Others"] = f, say.Or(f.Name, "A filament"), behind(kit, key, &f)
	case plan.Inserts:
		i, ok := kit.Inserts[key]
		if key == "" {
			i = plan.InsertPart{Shape: "hex"}
		}
		there = there || ok
		m["V"], m["Shapes"], m["Title"] = i, plan.Shapes, say.Or(key, "An insert")
	case plan.Routines:
		return s.routinePage(c, kit, key)
	}
	if !there {
		return fiber.NewError(fiber.StatusNotFound, "This is not in the Kit any more.")
	}
	return s.Page(c, strings.TrimSuffix(d, "s"), m)
}

// kitSave keeps what a form says about an item.
func (s *pages) kitSave(c fiber.Ctx) error {
	d, err := drawer(c)
	if err != nil {
		return err
	}
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	key := c.FormValue("key")
	it := plan.Item{Drawer: d, Key: key}
	switch d {
	case plan.Printers:
		p, err := readPrinter(fields.Of(c), kit.Printers[key])
		if err != nil {
			return err
		}
		it.Doc, it.Key = p, say.Or(key, FreeKey(p.Name, kit.Keys[d]))
	case plan.Filaments:
		f, err := readFilament(fields.Of(c), kit.Kit, key)
		if err != nil {
			return err
		}
		it.Doc, it.Key = f, say.Or(key, FreeKey(f.Name, kit.Keys[d]))
	case plan.Inserts:
		i, err := readInsert(fields.Of(c))
		if err != nil {
			return err
		}
		it.Doc, it.Key = i, i.Name
		if it.Key != key && slices.Contains(kit.Keys[d], it.Key) {
			return say.Sentence(fiber.StatusConflict, fmt.Sprintf("there is an insert called “%s” already",
				it.Key))
		}
		if key != "" && key != it.Key { // an ear keeps a copy, so it may be called otherwise
			if err := s.putItem(c, d, key, plan.Item{Drawer: d, Key: key}, it); err != nil {
				return err
			}
			c.Set("HX-Redirect", "/kit#"+d)
			return c.SendStatus(fiber.StatusOK)
		}
	default:
		return fiber.ErrMethodNotAllowed
	}
	if err := s.putItem(c, d, it.Key, it); err != nil {
		return err
	}
	c.Set("HX-Redirect", "/kit#"+d)
	return c.SendStatus(fiber.StatusOK)
}

// putItem keeps items, unless the one that a form was about has changed since the form was
// shown: the form carries what it was.
func (s *pages) putItem(c fiber.Ctx, d, key string, items ...plan.Item) error {
	was := fields.Of(c).All("was")
	if len(was) == 0 {
		return s.Store.Put(c.Context(), items...)
	}
	return site.ChangedMeanwhile(s.Store.PutFrom(c.Context(), d, key, was[0], items...))
}

// FreeKey makes a key of a name that none of the others is.
func FreeKey(name string, keys []string) string {
	base := strings.ToLower(strings.Join(strings.Fields(name), "-"))
	key := base
	for k := 2; slices.Contains(keys, key); k++ {
		key = fmt.Sprintf("%s-%d", base, k)
	}
	return key
}

// kitRemove takes an item out, unless a print uses it.
func (s *pages) kitRemove(c fiber.Ctx) error {
	d, err := drawer(c)
	if err != nil {
		return err
	}
	key := c.FormValue("key")
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	if !slices.Contains(kit.Keys[d], key) {
		return say.Sentence(fiber.StatusNotFound, "this is not in the Kit any more")
	}
	if len(kit.Keys[d]) == 1 && (d == plan.Printers || d == plan.Filaments) {
		return say.Sentence(fiber.StatusConflict, "the last one stays: a print needs one")
	}
	if by, err := s.usedBy(c, d, key); err != nil || by != "" {
		if err != nil {
			return err
		}
		return say.Sentence(fiber.StatusConflict, fmt.Sprintf("“%s” uses it; choose another there first",
			by))
	}
	if err := s.putItem(c, d, key, plan.Item{Drawer: d, Key: key}); err != nil {
		return err
	}
	c.Set("HX-Redirect", "/kit#"+d)
	return c.SendStatus(fiber.StatusOK)
}

// usedBy names a print, or a printer, that uses an item.
func (s *pages) usedBy(c fiber.Ctx, d, key string) (string, error) {
	prints, err := s.Store.Prints(c.Context())
	if err != nil {
		return "", err
	}
	for _, pr := range prints {
		p, _, _, err := s.Store.Plan(c.Context(), pr.ID)
		if err != nil {
			return "", err
		}
		used := d == plan.Printers && p.Uses.Printer == key
		if _, own := p.Filaments[key]; d == plan.Filaments && !own {
			used = p.First == key
			for _, e := range p.Ears {
				used = used || e.Filament == key
			}
		}
		if _, own := p.Routines[key]; d == plan.Routines && !own {
			for _, e := range p.Ears {
				var name string
				used = used || json.Unmarshal(e.Routine, &name) == nil && name == key
			}
		}
		if used {
			return pr.Title, nil
		}
	}
	if d == plan.Routines {
		kit, err := s.Store.Kit(c.Context())
		if err != nil {
			return "", err
		}
		for _, p := range kit.Printers {
			for _, name := range p.Routine {
				if name == key {
					return p.Name, nil
				}
			}
		}
	}
	return "", nil
}

func (s *pages) kitUndo(c fiber.Ctx) error {
	return s.kitStep(c, s.Store.UndoKit(c.Context()))
}

func (s *pages) kitRedo(c fiber.Ctx) error {
	return s.kitStep(c, s.Store.RedoKit(c.Context()))
}

func (s *pages) kitStep(c fiber.Ctx, err error) error {
	if err != nil {
		return err
	}
	c.Set("HX-Refresh", "true")
	return c.SendStatus(fiber.StatusOK)
}

// kitFile sends the Kit as dogear-kit/1.
func (s *pages) kitFile(c fiber.Ctx) error {
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	c.Set("Content-Disposition", `attachment; filename="dogear-kit.json"`)
	return c.JSON(kit.Kit)
}

// openKit puts what a kit file holds into the Kit, over what has the same name.
func (s *pages) openKit(c fiber.Ctx) error {
	k, err := plan.ParseKit(bytes.NewReader([]byte(c.FormValue("kit"))))
	if err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	if err := s.Store.Put(c.Context(), k.Items()...); err != nil {
		return err
	}
	c.Set("HX-Redirect", "/kit")
	return c.SendStatus(fiber.StatusOK)
}
