package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/bind"
	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/book"
	"dogear/web/say"
)

// versionView is one slicing of a model in the margin.
type versionView struct {
	ID         int64
	N          int
	Name, When string
	Here       bool
}

// newer takes a newer slicing of a print.
func (s *pages) newer(c fiber.Ctx) error {
	p, err := s.Print(c)
	if err != nil {
		return err
	}
	if p.State != "ready" {
		return say.Sentence(fiber.StatusConflict, "this print is still being read; wait a moment")
	}
	return arrive.Bring(s.Site, c, p)
}

// versions lists the slicings that a print belongs to, and what became of its
// marks when it came.
func (s *pages) versions(ctx context.Context, b *book.Book) ([]versionView, []finding.Finding,
	error) {
	ids, err := s.Store.Versions(ctx, b.Print.ID)
	if err != nil {
		return nil, nil, err
	}
	var out []versionView
	for i, id := range ids {
		p, err := s.Store.Print(ctx, id)
		if err != nil {
			return nil, nil, err
		}
		out = append(out, versionView{id, i + 1, p.Name, p.Created.Local().Format("2 Jan 15:04"),
			id == b.Print.ID})
	}
	carried, err := s.Store.Carried(ctx, b.Print.ID)
	return out, carried, err
}

// carriedRead takes the report away that somebody has read.
func (s *pages) carriedRead(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	if err := s.Store.SaveCarried(c.Context(), b.Print.ID, nil); err != nil {
		return err
	}
	return s.sendMargin(c, b, "")
}

// compareEar is an ear of one version, and the one of that id in the other.
type compareEar struct {
	ID, Words   string
	Old, New    int // layers; 0 when it has no place there
	OldZ, NewZ  string
	Moved, Gone bool
}

// comparePage opens two slicings side by side, at one height.
func (s *pages) comparePage(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Params("old"), 10, 64)
	if err != nil {
		return store.ErrNone
	}
	p, err := s.Store.Print(c.Context(), id)
	if err != nil {
		return err
	}
	if p.State != "ready" || len(b.Ix.Layers) == 0 {
		return say.Sentence(fiber.StatusConflict, "this print is still being read; wait a moment")
	}
	old, err := s.Books.Get(c.Context(), p)
	if err != nil {
		return err
	}
	om, err := s.Marks(c.Context(), p.ID)
	if err != nil {
		return err
	}
	if len(old.Ix.Layers) == 0 {
		return say.Sentence(fiber.StatusConflict, "that file lays nothing")
	}
	ears := compareEars(old, om, b, m)
	like := ""
	if old.Ix.Kind == layer.Layered && b.Ix.Kind == layer.Layered {
		l, err := bind.Compare(&bind.Piece{Name: "The older slicing", Src: old.Src, Ix: old.Ix},
			&bind.Piece{Name: "the newer one", Src: b.Src, Ix: b.Ix})
		if err != nil {
			return err
		}
		like = l.Reason
	}
	at := len(b.Ix.Layers)/2 + 1
	if n, err := strconv.Atoi(c.Query("before")); err == nil && n >= 1 && n <= len(b.Ix.Layers) {
		at = n
	} else if len(ears) > 0 && ears[0].New > 0 {
		at = ears[0].New
	}
	state, err := json.Marshal(fiber.Map{"old": old.Print.ID, "now": b.Print.ID, "before": at})
	if err != nil {
		return err
	}
	return s.Page(c, "compare", fiber.Map{"Title": "Compare " + b.Print.Title, "At": "compare",
		"Print": b.Print, "Old": old.Print, "Ears": ears, "Like": like, "State": string(state),
		"OldFacts": facts(old), "NewFacts": facts(b)})
}

func facts(b *book.Book) string {
	return fmt.Sprintf("%s, %s of %s mm, %s", b.Print.Name, say.LayersWord(len(b.Ix.Layers)),
		say.Trimmed(store.UsualHeight(b.Ix)), figures.Hours(b.Ix.Seconds))
}

// compareEars lists the ears of both versions.
func compareEars(old *book.Book, om *book.Marked, b *book.Book, m *book.Marked) []compareEar {
	var out []compareEar
	at := map[string]int{}
	add := func(k *book.Book, mk *book.Marked, newer bool) {
		for _, e := range apply.Ears(mk.Plan, k.Ix) {
			n, _ := apply.Place(k.Ix, &e)
			i, ok := at[e.ID]
			if !ok {
				i = len(out)
				at[e.ID] = i
				out = append(out, compareEar{ID: e.ID, Words: book.EarWords(mk.Plan, &e)})
			}
			l := &k.Ix.Layers[n-1]
			if z := say.Millimetres(l.Z - l.Height); newer {
				out[i].New, out[i].NewZ, out[i].Words = n, z, book.EarWords(mk.Plan, &e)
			} else {
				out[i].Old, out[i].OldZ = n, z
			}
		}
	}
	add(old, om, false)
	add(b, m, true)
	for i := range out {
		out[i].Moved = out[i].OldZ != out[i].NewZ
		out[i].Gone = out[i].New == 0
	}
	return out
}
