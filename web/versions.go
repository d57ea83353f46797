package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/bind"
	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/release"
	"dogear/store"
)

// versionView is one slicing of a model in the margin.
type versionView struct {
	ID         int64
	N          int
	Name, When string
	Here       bool
}

// newer takes a newer slicing of a print.
func (s *Server) newer(c fiber.Ctx) error {
	p, err := s.print(c)
	if err != nil {
		return err
	}
	if p.State != "ready" {
		return sentence(fiber.StatusConflict, "this print is still being read; wait a moment")
	}
	return s.bring(c, p)
}

// carry lays what is marked in the older version of a print onto it, by height and
// by what is seen there, and keeps what is to be said of it.
func (s *Server) carry(ctx context.Context, p store.Print, r *store.Reading) error {
	if _, _, redo, err := s.cfg.Store.Plan(ctx, p.ID); err != nil || redo {
		return err // somebody has undone what was carried
	}
	older, err := s.cfg.Store.Print(ctx, p.Older)
	if err != nil {
		return err
	}
	was, err := s.opened.get(ctx, older)
	if err != nil {
		return err
	}
	doc, _, _, err := s.cfg.Store.Plan(ctx, older.ID)
	if err != nil || len(doc.Ears)+len(doc.Changes)+len(doc.Mutes) == 0 && doc.First == "" {
		return err
	}
	if err := apply.Anchor(was.src, was.ix, doc, was.marks); err != nil {
		return err
	}
	doc.File, doc.Accept = &plan.File{SHA256: older.SHA256, Name: older.Name}, nil
	if doc.File.Shape, err = apply.ShapeOf(was.src, was.ix); err != nil {
		return err
	}
	report, err := release.Onto{SHA256: p.SHA256, Reanchor: true}.Move(s.cfg.Store.Source(p),
		r.Index, doc, r.Landmarks)
	if errors.Is(err, release.ErrOtherModel) {
		return s.cfg.Store.SaveCarried(ctx, p.ID, []layer.Finding{{Level: layer.Care,
			Code: "other-model", Line: 1, Message: "No marks were carried: " + err.Error() + "."}})
	} else if err != nil {
		return err
	}
	doc.File = nil
	if report == nil {
		report = []layer.Finding{}
	}
	if err := s.cfg.Store.Change(ctx, p.ID,
		func(now *plan.Plan) error { *now = *doc; return nil }); err != nil {
		return err
	}
	return s.cfg.Store.SaveCarried(ctx, p.ID, report)
}

// versions lists the slicings that a print belongs to, and what became of its
// marks when it came.
func (s *Server) versions(ctx context.Context, b *book) ([]versionView, []layer.Finding, error) {
	ids, err := s.cfg.Store.Versions(ctx, b.print.ID)
	if err != nil {
		return nil, nil, err
	}
	var out []versionView
	for i, id := range ids {
		p, err := s.cfg.Store.Print(ctx, id)
		if err != nil {
			return nil, nil, err
		}
		out = append(out, versionView{id, i + 1, p.Name, p.Created.Local().Format("2 Jan 15:04"),
			id == b.print.ID})
	}
	carried, err := s.cfg.Store.Carried(ctx, b.print.ID)
	return out, carried, err
}

// carriedRead takes the report away that somebody has read.
func (s *Server) carriedRead(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	if err := s.cfg.Store.SaveCarried(c.Context(), b.print.ID, nil); err != nil {
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
func (s *Server) comparePage(c fiber.Ctx) error {
	b, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Params("old"), 10, 64)
	if err != nil {
		return store.ErrNone
	}
	p, err := s.cfg.Store.Print(c.Context(), id)
	if err != nil {
		return err
	}
	if p.State != "ready" || len(b.ix.Layers) == 0 {
		return sentence(fiber.StatusConflict, "this print is still being read; wait a moment")
	}
	old, err := s.opened.get(c.Context(), p)
	if err != nil {
		return err
	}
	om, err := s.marks(c.Context(), p.ID)
	if err != nil {
		return err
	}
	if len(old.ix.Layers) == 0 {
		return sentence(fiber.StatusConflict, "that file lays nothing")
	}
	ears := compareEars(old, om, b, m)
	like := ""
	if old.ix.Kind == layer.Layered && b.ix.Kind == layer.Layered {
		l, err := bind.Compare(&bind.Piece{Name: "The older slicing", Src: old.src, Ix: old.ix},
			&bind.Piece{Name: "the newer one", Src: b.src, Ix: b.ix})
		if err != nil {
			return err
		}
		like = l.Reason
	}
	at := len(b.ix.Layers)/2 + 1
	if n, err := strconv.Atoi(c.Query("before")); err == nil && n >= 1 && n <= len(b.ix.Layers) {
		at = n
	} else if len(ears) > 0 && ears[0].New > 0 {
		at = ears[0].New
	}
	state, err := json.Marshal(fiber.Map{"old": old.print.ID, "now": b.print.ID, "before": at})
	if err != nil {
		return err
	}
	return s.page(c, "compare", fiber.Map{"Title": "Compare " + b.print.Title, "At": "compare",
		"Print": b.print, "Old": old.print, "Ears": ears, "Like": like, "State": string(state),
		"OldFacts": facts(old), "NewFacts": facts(b)})
}

func facts(b *book) string {
	return fmt.Sprintf("%s, %s of %s mm, %s", b.print.Name, layersWord(len(b.ix.Layers)),
		trimmed(store.UsualHeight(b.ix)), figures.Hours(b.ix.Seconds))
}

// compareEars lists the ears of both versions.
func compareEars(old *book, om *marked, b *book, m *marked) []compareEar {
	var out []compareEar
	at := map[string]int{}
	add := func(k *book, mk *marked, newer bool) {
		for _, e := range sortedEars(mk.plan, k.ix) {
			n, _ := apply.Place(k.ix, &e)
			i, ok := at[e.ID]
			if !ok {
				i = len(out)
				at[e.ID] = i
				out = append(out, compareEar{ID: e.ID, Words: earWords(mk.plan, &e)})
			}
			l := &k.ix.Layers[n-1]
			if z := millimetres(l.Z - l.Height); newer {
				out[i].New, out[i].NewZ, out[i].Words = n, z, earWords(mk.plan, &e)
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

// earWords says in a word or two what an ear is for.
func earWords(p *plan.Plan, e *plan.Ear) string {
	switch {
	case e.Kind == plan.Colour && e.Filament != "":
		return p.FilamentName(e.Filament)
	case e.Kind == plan.Insert && e.Insert != nil && e.Insert.Name != "":
		return e.Insert.Name
	case e.Kind == plan.Insert:
		return "something goes in"
	case e.Kind == plan.Nozzle:
		return "nozzle swap"
	}
	return e.Kind
}
