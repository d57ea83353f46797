package web

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/url"
	"os"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/store"
)

// stand is a print standing on the shelf.
type stand struct {
	store.Print
	Reading bool
	Facts   string
	Next    string
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

func (s *Server) shelf(c fiber.Ctx) error {
	ctx := c.Context()
	prints, err := s.cfg.Store.Prints(ctx)
	if err != nil {
		return err
	}
	find := strings.TrimSpace(c.Query("find"))
	superseded := map[int64]bool{}
	for _, p := range prints {
		superseded[p.Older] = true
	}
	var stands []stand
	var books []*book
	for _, p := range prints {
		if find != "" && !strings.Contains(strings.ToLower(p.Title+" "+p.Name), strings.ToLower(find)) {
			continue
		}
		if superseded[p.ID] && find == "" {
			continue // it stands with its newest version
		}
		st := stand{Print: p, Reading: p.State != "ready"}
		var b *book
		if !st.Reading {
			if b, err = s.opened.get(ctx, p); err != nil {
				return err
			}
		}
		stands, books = append(stands, st), append(books, b)
	}
	// One scale for all, in which the tallest and the widest still fit; what
	// would be too small to see gets its own and says so.
	tall, wide := 1.0, 1.0
	for _, b := range books {
		if b != nil {
			h, w := b.size()
			tall, wide = max(tall, min(h, 120)), max(wide, min(w, 120))
		}
	}
	px := min(shelfHigh/tall, shelfWide/wide)
	for i, b := range books {
		if b == nil {
			continue
		}
		m, err := s.marks(ctx, b.print.ID)
		if err != nil {
			return err
		}
		st := &stands[i]
		st.Facts = fmt.Sprintf("%s mm · %s", trimmed(b.ix.Height()), layersWord(len(b.ix.Layers)))
		st.Facts += " · " + hours(b.ix.Seconds)
		st.Next = m.next(b.ix)
		h, w := b.size()
		own := px
		if h*px > shelfHigh || w*px > shelfWide {
			own = min(shelfHigh/h, shelfWide/w)
			st.Scale = "drawn smaller"
		} else if max(h, w)*px < 24 {
			own = min(shelfHigh/h, 60/max(h, w))
			st.Scale = "drawn larger"
		}
		cut := 0
		if cut, err = s.failedAt(ctx, b); err != nil {
			return err
		}
		if cut > 0 {
			st.Failed = fmt.Sprintf("failed at %s mm: pick it up", trimmed(b.ix.Layers[cut-1].Z-b.ix.Layers[cut-1].Height))
		}
		if all := kinOf(b, books); len(all) > 1 {
			st.Kin = kinAddress(all)
		}
		st.Picture = silhouette(b, m, own, cut)
	}
	return s.page(c, "shelf", fiber.Map{"Title": "Shelf", "At": "shelf", "Stands": stands, "Find": find, "All": len(prints), "Limit": s.limit() >> 20, "Folder": s.watched()})
}

// failedAt returns the first layer of a print that was not printed, as far as
// its latest pick-up knows; 0 when it did not fail.
func (s *Server) failedAt(ctx context.Context, b *book) (int, error) {
	all, err := s.cfg.Store.Pickups(ctx, b.print.ID)
	if err != nil || len(all) == 0 {
		return 0, err
	}
	d := all[0].Doc
	switch {
	case d.Layer > 0:
		return d.Layer, nil
	case d.Choice.Line > 0:
		return max(b.ix.At(d.Choice.Line), 1), nil
	case d.Choice.Layer > 0:
		return min(d.Choice.Layer+1, len(b.ix.Layers)), nil
	}
	belief, err := pickup.Weigh(b.src, b.ix, d.Evidence)
	if err != nil || len(d.Evidence) == 0 || belief.Best == 0 {
		return 0, nil // what it says does not fit this print; its page tells
	}
	return min(belief.Best+1, len(b.ix.Layers)), nil
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
	return group(int64(n)) + " layers"
}

// next says what is to do with a print, or what was done.
func (m *marked) next(ix *layer.Index) string {
	n := len(m.plan.Ears)
	if n == 0 {
		return "not marked yet"
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

// upload takes a file as the body of a request and starts reading it.
func (s *Server) upload(c fiber.Ctx) error { return s.bring(c, store.Print{}) }

// bring takes a file; older is the print of which it is a newer slicing.
func (s *Server) bring(c fiber.Ctx, older store.Print) error {
	name, err := url.PathUnescape(c.Get("X-File-Name"))
	if err != nil {
		name = ""
	}
	var body io.Reader = c.Request().BodyStream()
	if c.Request().BodyStream() == nil {
		body = bytes.NewReader(c.Body())
	}
	arr, err := s.arriving(c.Context(), older)
	if err != nil {
		return err
	}
	p, err := s.take(c, body, name, older, arr)
	// A browser only hears the answer when all it sends is taken.
	_, _ = io.Copy(io.Discard, io.LimitReader(body, 2*s.limit()))
	if err != nil {
		arr.Abandon()
		return err
	}
	s.jobs.startWith(p, arr)
	return c.Status(fiber.StatusCreated).JSON(fiber.Map{"id": p.ID})
}

// arriving begins to read an upload, for the printer that it will most likely be marked
// for: that of the slicing before it, else the first of the Kit.
func (s *Server) arriving(ctx context.Context, older store.Print) (*layer.Arriving, error) {
	kit, err := s.cfg.Store.Kit(ctx)
	if err != nil {
		return nil, err
	}
	m := &marked{plan: &plan.Plan{}, kit: kit}
	if older.ID != 0 {
		if m.plan, _, _, err = s.cfg.Store.Plan(ctx, older.ID); err != nil {
			return nil, err
		}
	}
	m.printer()
	return layer.NewArriving(layer.Options{Dialect: m.plan.Dialect()}), nil
}

// take stores what is in an upload. When it fails nothing is left behind. A newer
// slicing keeps the title of the older one. What arrives is read while it is stored.
func (s *Server) take(c fiber.Ctx, body io.Reader, name string, older store.Print, arr *layer.Arriving) (store.Print, error) {
	lim := s.cfg.Limits
	lim.Size = s.limit()
	head := make([]byte, 4)
	n, _ := io.ReadFull(body, head)
	var in io.Reader = io.MultiReader(bytes.NewReader(head[:n]), body)
	var at *io.SectionReader
	if archive.IsZip(head[:n]) {
		// A .zip has its table at the end: it must be here before it is opened.
		f, err := os.CreateTemp(s.cfg.Temp, "dogear-upload-*")
		if err != nil {
			return store.Print{}, err
		}
		defer os.Remove(f.Name())
		defer f.Close()
		size, err := io.Copy(f, io.LimitReader(in, lim.Size+1))
		if err != nil {
			return store.Print{}, sentence(fiber.StatusBadRequest, "the file did not arrive whole; try again")
		}
		if size > lim.Size {
			return store.Print{}, sentence(fiber.StatusRequestEntityTooLarge, archive.ErrTooBig.Error())
		}
		at = io.NewSectionReader(f, 0, size)
		in = at
	}
	up, err := s.cfg.Store.Begin(c.Context())
	if err != nil {
		return store.Print{}, err
	}
	defer up.Abandon()
	var inside string
	var size int64
	both := io.MultiWriter(up, arr)
	if at != nil {
		inside, size, err = archive.Copy(both, io.NewSectionReader(at, 0, at.Size()), name, at, lim)
	} else {
		inside, size, err = archive.Copy(both, in, name, nil, lim)
	}
	if err != nil {
		return store.Print{}, sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	if size == 0 {
		return store.Print{}, sentence(fiber.StatusUnprocessableEntity, layer.ErrEmpty.Error())
	}
	title := titleOf(inside)
	if older.ID != 0 {
		up.Older, title = older.ID, older.Title
	}
	if err := up.Finish(inside, title); err != nil {
		return store.Print{}, err
	}
	return s.cfg.Store.Print(c.Context(), up.ID)
}

// shelve stores a file that was made here. It is still to be read.
func (s *Server) shelve(ctx context.Context, r io.Reader, name string) (store.Print, error) {
	up, err := s.cfg.Store.Begin(ctx)
	if err != nil {
		return store.Print{}, err
	}
	defer up.Abandon()
	if _, err := io.Copy(up, r); err != nil {
		return store.Print{}, err
	}
	if err := up.Finish(name, titleOf(name)); err != nil {
		return store.Print{}, err
	}
	return s.cfg.Store.Print(ctx, up.ID)
}

// titleOf makes a name to show from a file name.
func titleOf(name string) string {
	t := name
	for _, ext := range []string{".gz", ".gcode", ".gco", ".nc", ".g", ".txt"} {
		if len(t) > len(ext) && strings.EqualFold(t[len(t)-len(ext):], ext) {
			t = t[:len(t)-len(ext)]
		}
	}
	t = strings.Join(strings.FieldsFunc(t, func(r rune) bool { return r == '_' || r == '-' || r == ' ' }), " ")
	if t == "" {
		return name
	}
	return strings.ToUpper(t[:1]) + t[1:]
}

// reading says how far the reading of a print is.
func (s *Server) reading(c fiber.Ctx) error {
	c.Set("Cache-Control", "no-store")
	p, perr := s.print(c)
	var id int64
	if _, err := fmt.Sscan(c.Params("id"), &id); err != nil {
		return store.ErrNone
	}
	if j, ok := s.jobs.get(id); ok {
		return c.JSON(fiber.Map{"state": j.state, "what": j.what, "done": j.done, "error": j.err})
	}
	if perr != nil {
		return perr
	}
	if p.State == "reading" {
		s.jobs.start(p)
	}
	return c.JSON(fiber.Map{"state": p.State, "what": "", "done": 0})
}

func (s *Server) cancel(c fiber.Ctx) error {
	p, err := s.print(c)
	if err != nil {
		return err
	}
	if !s.jobs.cancel(p.ID) {
		return sentence(fiber.StatusConflict, "this print is not being read any more")
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) remove(c fiber.Ctx) error {
	p, err := s.print(c)
	if err != nil {
		return err
	}
	s.jobs.cancel(p.ID)
	if err := s.cfg.Store.Remove(c.Context(), p.ID); err != nil {
		return err
	}
	s.opened.drop(p.ID)
	c.Set("HX-Redirect", "/")
	return c.SendStatus(fiber.StatusOK)
}
