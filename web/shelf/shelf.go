// Package shelf has the pages of the shelf, and of what comes to it.
package shelf

import (
	"context"
	"embed"
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/store"
	"dogear/web/bind"
	"dogear/web/picture"
	"dogear/web/say"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// Shelf are the pages of the shelf, and of what comes to it.
type Shelf struct {
	*site.Site
	folders []*Folder
}

// New returns the pages of the shelf.
func New(on *site.Site) *Shelf { return &Shelf{Site: on} }

// Routes adds the pages to a router.
func (s *Shelf) Routes(r site.Router) {
	r.Get("/", s.shelf)
	r.Post("/prints", s.upload)
	r.Post("/demo", s.demo)
	r.Get("/prints/:id/picture", s.packPicture)
	r.Get("/prints/:id/reading", s.reading)
	r.Post("/prints/:id/cancel", s.cancel)
	r.Post("/prints/:id/remove", s.takeOff)
	r.Post("/prints/:id/back", s.putBack)
	r.Post("/prints/:id/delete", s.deleteForGood)
	r.Get("/off", s.takenOffPage)
	r.Stream("/events", s.allEvents)
}

// stand is a print standing on the shelf.
type stand struct {
	Packed bool // a picture came with it
	store.Print
	Reading bool
	Facts   string
	Ears    string // what is marked
	Next    string // what it needs next
	To      string // where that is done
	Scale   string // said when the picture is not to the shelf's scale
	Failed  string // where it failed
	Kin     string // address to bind it with other slicings of its model
	Picture picture.View
}

// shelfPage is how many prints are sent at a time; the next ones come when somebody has
// scrolled so far.
const shelfPage = 30

func (s *Shelf) shelf(c fiber.Ctx) error {
	find := strings.TrimSpace(c.Query("find"))
	from, err := strconv.Atoi(c.Query("from"))
	if err != nil || from < 0 || from > 1<<30 {
		from = 0
	}
	sh, err := s.Store.Shelf(c.Context(), find, from, shelfPage)
	if err != nil {
		return err
	}
	kit, err := s.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	// One scale for all, in which the tallest and the widest still fit; what
	// would be too small to see gets its own and says so.
	px := min(picture.ShelfHigh/sh.Tall, picture.ShelfWide/sh.Wide)
	var stands []stand
	for i := range sh.Stands {
		stands = append(stands, s.standing(c, &sh.Stands[i], kit, px))
	}
	v := fiber.Map{"Title": "Shelf", "At": "shelf", "Stands": stands, "Find": find, "All": sh.All,
		"Folders": s.watchedFolders(), "More": "", "From": from}
	if from+len(stands) < sh.Found {
		v["More"] = "/?" + url.Values{"find": {find}, "from": {fmt.Sprint(from + len(stands))}}.Encode()
		v["Left"] = sh.Found - from - len(stands)
	}
	if c.Get("HX-Request") != "" {
		return c.Render("_stands", v)
	}
	running, err := s.Store.Running(c.Context())
	if err != nil {
		return err
	}
	v["Running"] = len(running)
	if v["TakenOff"], err = s.Store.CountTakenOff(c.Context()); err != nil {
		return err
	}
	if id, err := strconv.ParseInt(c.Query("off"), 10, 64); err == nil {
		if p, err := s.Store.TakenOffPrint(c.Context(), id); err == nil {
			v["Off"] = p
		}
	}
	return s.Page(c, "shelf", v)
}

// standing shows one print. One that cannot be shown is read again, and hides no other.
func (s *Shelf) standing(c fiber.Ctx, p *store.Stand, kit *store.Kit, px float64) stand {
	st := stand{Print: p.Print, Reading: p.State != "ready"}
	if st.Reading {
		return st
	}
	d, err := s.Pictures.DrawingOf(c.Context(), p, kit)
	if err != nil {
		s.Log.Error("showing a print", "print", p.ID, "err", err)
		s.Again(c.Context(), p.Print, err)
		st.Reading = true
		return st
	}
	st.Facts = fmt.Sprintf("%s mm · %s · %s", say.OneDecimal(p.High), say.LayersWord(p.Layers),
		figures.Hours(p.Seconds))
	st.Ears, st.Failed = d.Next, d.Failed
	if st.Next, st.To, err = s.nextFor(c.Context(), p); err != nil {
		s.Log.Error("what a print needs next", "print", p.ID, "err", err)
	}
	own := px
	if p.High*px > picture.ShelfHigh || p.Wide*px > picture.ShelfWide {
		own = min(picture.ShelfHigh/p.High, picture.ShelfWide/p.Wide)
		st.Scale = "drawn smaller"
	} else if d.Above != nil && d.Deep*px > picture.ShelfHigh {
		own = min(picture.ShelfHigh/d.Deep, px)
		st.Scale = "drawn smaller"
	} else if max(p.High, p.Wide)*px < 24 {
		own = min(picture.ShelfHigh/p.High, 60/max(p.High, p.Wide))
		st.Scale = "drawn larger"
	}
	if d.Above != nil {
		st.Scale = strings.TrimPrefix(st.Scale+", seen from above", ", ")
	}
	if all, err := s.Store.Kin(c.Context(), p.ID, bind.MaxBound); err == nil && len(all) > 1 {
		st.Kin = bind.Address(all)
	}
	st.Picture, st.Packed = d.Picture(own), p.Shown
	return st
}

// nextFor says what a print that did not fail needs next, and where that is done.
func (s *Shelf) nextFor(ctx context.Context, p *store.Stand) (next, to string, err error) {
	m, err := s.Marks(ctx, p.ID)
	if err != nil {
		return "", "", err
	}
	bench := fmt.Sprintf("/prints/%d", p.ID)
	if len(m.Plan.Ears)+len(m.Plan.Changes)+len(m.Plan.Mutes) == 0 {
		return "Choose the layer, and mark it", bench, nil
	}
	w, err := s.Written(ctx, p.ID, m)
	switch {
	case err != nil:
		return "", "", err
	case w.Name == "":
		return "Read the proof, and write it", bench + "/proof", nil
	case w.Outdated:
		return "Marked anew: write it again", bench + "/proof", nil
	}
	return "Written " + w.When + ": its cue sheet", bench + "/cue", nil
}
