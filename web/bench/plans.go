package bench

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"regexp"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/book"
	"dogear/web/picture"
	"dogear/web/say"
	"dogear/web/site"
)

// planFile sends what is marked as a plan that the command line understands,
// with all it uses and with where its ears lie, for other slicings.
func (s *pages) planFile(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	p := m.Plan
	if err := apply.Anchor(b.Src, b.Ix, p, b.Marks); err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	book.OnlyUsed(p)
	// The picture of a very large print would take longer than anybody waits: the plan goes
	// without.
	ctx, cancel := context.WithTimeout(c.Context(), pictureWithin)
	p.Picture, err = s.Pictures.PlanPicture(ctx, b, m)
	cancel()
	if err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	shape, err := apply.ShapeOf(b.Src, b.Ix)
	if err != nil {
		return err
	}
	p.Accept = nil // that was said of this file, not of another
	p.File = &plan.File{SHA256: b.Print.SHA256, Name: b.Print.Name, Shape: shape}
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q",
		say.ASCII(b.Print.Name)+".plan.json"))
	return c.JSON(p)
}

// pictureWithin is how long the picture of a plan may take.
const pictureWithin = 3 * time.Second

// openPlan lays a plan onto a print, in place of what is marked in it. A plan
// that was made for another file is laid on by height, and what moved is said.
func (s *pages) openPlan(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	text := c.FormValue("plan")
	p, err := plan.Parse(strings.NewReader(text))
	if err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	var brought struct {
		Printer *json.RawMessage `json:"printer"`
	}
	if json.Unmarshal([]byte(text), &brought) != nil || brought.Printer == nil {
		p.Printer = nil
	}
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	var report []finding.Finding
	onto := gate.Onto{SHA256: b.Print.SHA256, Reanchor: true, Other: c.FormValue("other") != ""}
	if p.File == nil || p.File.SHA256 == "" {
		if report, err = apply.Reanchor(b.Src, b.Ix, p, b.Marks); err != nil {
			return err
		}
	} else if report, err = onto.Move(b.Src, b.Ix, p, b.Marks); errors.Is(err, gate.ErrOtherModel) {
		return s.askOther(c, b, text, err)
	} else if err != nil {
		return err
	}
	picture, from := picture.SanePicture(p.Picture), ""
	if p.File != nil {
		from = p.File.Name
	}
	p.File, p.Picture, p.Accept = nil, "", nil
	lean(p, kit)
	if err := site.CheckPlan(p, kit); err != nil {
		return err
	}
	full := *p
	full.Filaments, full.Routines = book.Merged(kit.Filaments, p.Filaments), book.Merged(kit.Routines,
		p.Routines)
	(&book.Marked{Plan: &full, Kit: kit}).Printer()
	if _, err := apply.Plan(b.Src, b.Ix, &full, b.Found()); err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	err = s.Store.Change(c.Context(), b.Print.ID, func(doc *plan.Plan) error {
		if p.Uses.Printer == "" && p.Printer == nil {
			p.Uses, p.Printer = doc.Uses, doc.Printer
		}
		if p.First == "" {
			p.First = doc.First
		}
		*doc = *p
		return nil
	})
	if err != nil {
		return err
	}
	v, err := s.margin(c, b)
	if err != nil {
		return err
	}
	v.Said, v.Report, v.PlanOf = fmt.Sprintf("The plan is applied: %s.",
		earsWord(len(p.Ears))), report, from
	v.Picture = picture
	return c.Render("_margin", v)
}

// askOther says that a plan was made for another model, and changes nothing: the plan
// stays in the page, to be laid on all the same.
func (s *pages) askOther(c fiber.Ctx, b *book.Book, text string, why error) error {
	v, err := s.margin(c, b)
	if err != nil {
		return err
	}
	var doc map[string]json.RawMessage
	if err := json.Unmarshal([]byte(text), &doc); err != nil {
		return err
	}
	delete(doc, "picture")
	lean, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	v.Said, v.OtherWhy, v.OtherPlan = "Nothing was changed.", say.Upper(why.Error()), string(lean)
	return c.Render("_margin", v)
}

func earsWord(n int) string {
	if n == 1 {
		return "1 ear"
	}
	return fmt.Sprintf("%d ears", n)
}

// lean takes out of a plan what the Kit holds just so; the rest stays with the
// print that the plan is laid onto and touches no other.
func lean(p *plan.Plan, kit *store.Kit) {
	for key, f := range p.Filaments {
		if k, ok := kit.Filaments[key]; ok && reflect.DeepEqual(k, f) {
			delete(p.Filaments, key)
		}
	}
	for name, r := range p.Routines {
		if k, ok := kit.Routines[name]; ok && reflect.DeepEqual(k, r) {
			delete(p.Routines, name)
		}
	}
	p.Uses = plan.Uses{}
	if p.Printer == nil {
		return
	}
	for _, key := range kit.Keys[plan.Printers] {
		if k := kit.Printers[key]; k.Name == p.Printer.Name {
			p.Uses.Printer, p.Printer = key, nil
			return
		}
	}
}

// maxAtHand is up to which size a file is read while somebody waits, bytes.
const maxAtHand = 40 << 20

// suffix is what Dogear puts behind the name of a file it writes.
var suffix = regexp.MustCompile(
	`_(stop-[\d-]+|\d+-stops-from-\d+|muted|changed|mended)(_[2-9a-z]{3})?$`)

// takeOut opens a file that Dogear has written as what it is: its original, with what stood
// in it as ears again. Where the original stands on the shelf already, its marks become those
// of the file, which can be undone, and the file itself is taken off the shelf.
func (s *pages) takeOut(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	taken, err := apply.TakeOut(b.Src)
	if err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	taken.Plan.Printer = nil
	lean(taken.Plan, kit)
	sum := sha256.New()
	if _, err := io.Copy(sum, edit.NewReader(b.Src, taken.Edits)); err != nil {
		return err
	}
	there, err := s.Store.OfBytes(c.Context(), fmt.Sprintf("%x", sum.Sum(nil)))
	if err == nil {
		return s.giveBack(c, b, there, taken.Plan)
	} else if !errors.Is(err, store.ErrNone) {
		return err
	}
	name := b.Print.Name
	ext := ""
	if i := strings.LastIndexByte(name, '.'); i > 0 {
		name, ext = name[:i], name[i:]
	}
	name = suffix.ReplaceAllString(name, "") + ext
	pack, err := s.Store.Pack(c.Context(), b.Print.ID)
	if err != nil && !errors.Is(err, store.ErrNone) {
		return err
	}
	p, err := arrive.Shelve(s.Site, c.Context(), edit.NewReader(b.Src, taken.Edits), name, pack)
	if err != nil {
		return err
	}
	err = s.Store.Change(c.Context(), p.ID, func(doc *plan.Plan) error {
		*doc = *taken.Plan
		return nil
	})
	if err != nil {
		return err
	}
	if p.Bytes > maxAtHand {
		s.Jobs.Start(p)
		c.Set("HX-Redirect", "/")
		return c.SendStatus(fiber.StatusOK)
	}
	if err := s.Jobs.ReadFor(c.Context(), p, nil, 2*time.Second); err != nil {
		return err
	}
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d", p.ID))
	return c.SendStatus(fiber.StatusOK)
}

// giveBack gives the original that stands on the shelf the marks of a file that Dogear wrote
// of it.
func (s *pages) giveBack(c fiber.Ctx, b *book.Book, there store.Print, p *plan.Plan) error {
	now, _, _, err := s.Store.Plan(c.Context(), there.ID)
	if err != nil {
		return err
	}
	p.Uses.Printer = now.Uses.Printer // a file does not say it; what is chosen stays
	if book.VersionOf(now) != book.VersionOf(p) {
		err := s.Store.Change(c.Context(), there.ID, func(doc *plan.Plan) error {
			*doc = *p
			return nil
		})
		if err != nil {
			return err
		}
	}
	if err := s.Store.TakeOff(c.Context(), b.Print.ID); err != nil {
		return err
	}
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d", there.ID))
	return c.SendStatus(fiber.StatusOK)
}
