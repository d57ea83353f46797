package web

import (
	"context"
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/store"
)

// shelfRoutes are those of the shelf.
func (s *Server) shelfRoutes(r router) {
	r.get("/", s.shelf)
	r.post("/prints", s.upload)
	r.post("/demo", s.demo)
	r.get("/prints/:id/reading", s.reading)
	r.post("/prints/:id/cancel", s.cancel)
	r.post("/prints/:id/remove", s.takeOff)
	r.post("/prints/:id/back", s.putBack)
	r.post("/prints/:id/delete", s.deleteForGood)
	r.get("/off", s.takenOffPage)
	r.stream("/events", s.allEvents)
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
	Picture picture
}

// Sizes of the shelf's pictures, px.
const (
	shelfHigh = 280.0
	shelfWide = 196.0
)

// shelfPage is how many prints are sent at a time; the next ones come when somebody has
// scrolled so far.
const shelfPage = 30

func (s *Server) shelf(c fiber.Ctx) error {
	find := strings.TrimSpace(c.Query("find"))
	from, err := strconv.Atoi(c.Query("from"))
	if err != nil || from < 0 || from > 1<<30 {
		from = 0
	}
	sh, err := s.cfg.Store.Shelf(c.Context(), find, from, shelfPage)
	if err != nil {
		return err
	}
	kit, err := s.cfg.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	// One scale for all, in which the tallest and the widest still fit; what
	// would be too small to see gets its own and says so.
	px := min(shelfHigh/sh.Tall, shelfWide/sh.Wide)
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
	running, err := s.cfg.Store.Running(c.Context())
	if err != nil {
		return err
	}
	v["Running"] = len(running)
	if v["TakenOff"], err = s.cfg.Store.CountTakenOff(c.Context()); err != nil {
		return err
	}
	if id, err := strconv.ParseInt(c.Query("off"), 10, 64); err == nil {
		if p, err := s.cfg.Store.TakenOffPrint(c.Context(), id); err == nil {
			v["Off"] = p
		}
	}
	return s.page(c, "shelf", v)
}

// standing shows one print. One that cannot be shown is read again, and hides no other.
func (s *Server) standing(c fiber.Ctx, p *store.Stand, kit *store.Kit, px float64) stand {
	st := stand{Print: p.Print, Reading: p.State != "ready"}
	if st.Reading {
		return st
	}
	d, err := s.drawingOf(c.Context(), p, kit)
	if err != nil {
		s.log.Error("showing a print", "print", p.ID, "err", err)
		s.again(c.Context(), p.Print, err)
		st.Reading = true
		return st
	}
	st.Facts = fmt.Sprintf("%s mm · %s · %s", oneDecimal(p.High), layersWord(p.Layers),
		figures.Hours(p.Seconds))
	st.Ears, st.Failed = d.Next, d.Failed
	if st.Next, st.To, err = s.nextFor(c.Context(), p); err != nil {
		s.log.Error("what a print needs next", "print", p.ID, "err", err)
	}
	own := px
	if p.High*px > shelfHigh || p.Wide*px > shelfWide {
		own = min(shelfHigh/p.High, shelfWide/p.Wide)
		st.Scale = "drawn smaller"
	} else if d.Above != nil && d.Deep*px > shelfHigh {
		own = min(shelfHigh/d.Deep, px)
		st.Scale = "drawn smaller"
	} else if max(p.High, p.Wide)*px < 24 {
		own = min(shelfHigh/p.High, 60/max(p.High, p.Wide))
		st.Scale = "drawn larger"
	}
	if d.Above != nil {
		st.Scale = strings.TrimPrefix(st.Scale+", seen from above", ", ")
	}
	if all, err := s.cfg.Store.Kin(c.Context(), p.ID, mostBound); err == nil && len(all) > 1 {
		st.Kin = kinAddress(all)
	}
	st.Picture, st.Packed = d.picture(own), p.Shown
	return st
}

// nextFor says what a print that did not fail needs next, and where that is done.
func (s *Server) nextFor(ctx context.Context, p *store.Stand) (next, to string, err error) {
	m, err := s.marks(ctx, p.ID)
	if err != nil {
		return "", "", err
	}
	bench := fmt.Sprintf("/prints/%d", p.ID)
	if len(m.plan.Ears)+len(m.plan.Changes)+len(m.plan.Mutes) == 0 {
		return "Choose the layer, and mark it", bench, nil
	}
	w, err := s.written(ctx, p.ID, m)
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

func (s *Server) limit() int64 {
	if s.cfg.Limits.Size > 0 {
		return s.cfg.Limits.Size
	}
	return 1 << 30
}

func layersWord(n int) string {
	if n == 1 {
		return "1 layer"
	}
	return figures.Count(int64(n)) + " layers"
}

// next says what is to do with a print, or what was done.
func (m *marked) next(ix *layer.Index) string {
	n := len(m.plan.Ears)
	if n == 0 {
		return ""
	}
	var names []string
	seen := map[string]bool{}
	for _, b := range m.bands(ix) {
		if b.Name != "" && !seen[b.Name] {
			seen[b.Name] = true
			names = append(names, b.Name)
		}
	}
	t := "1 ear"
	if n > 1 {
		t = fmt.Sprintf("%d ears", n)
	}
	if len(names) > 1 {
		return t + ": " + strings.Join(names, ", ")
	}
	for _, e := range m.plan.Ears {
		if e.Kind == plan.Insert && e.Note != "" {
			return t + ": " + e.Note
		}
	}
	return t
}
