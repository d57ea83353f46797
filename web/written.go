package web

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"maps"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/store"
)

// onlyUsed takes out of a plan what it holds of the Kit and does not use.
func onlyUsed(p *plan.Plan) {
	used := map[string]bool{p.First: true}
	named := map[string]bool{}
	for _, e := range p.Ears {
		used[e.Filament] = true
		var name string
		if json.Unmarshal(e.Routine, &name) == nil {
			named[name] = true
		} else if len(e.Routine) == 0 {
			named[p.Printer.Routine[e.Kind]] = true
		}
	}
	maps.DeleteFunc(p.Filaments, func(key string, _ plan.Filament) bool { return !used[key] })
	maps.DeleteFunc(p.Routines, func(key string, _ plan.Routine) bool { return !named[key] })
	p.Uses = plan.Uses{}
}

// tagLetters are those of a tag: none that is read as another one.
const tagLetters = "23456789abcdefghjkmnpqrstuvwxyz"

// name of all that is marked, with what it uses of the Kit: the same marks have the same
// one, and a file is told by its first three letters.
func (m *marked) name() string {
	p := *m.plan
	p.Filaments, p.Routines = maps.Clone(p.Filaments), maps.Clone(p.Routines)
	onlyUsed(&p)
	j, err := json.Marshal(&p)
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(j)
	var b strings.Builder
	for _, v := range sum[:16] {
		b.WriteByte(tagLetters[int(v)%len(tagLetters)])
	}
	return b.String()
}

// writtenView says what was written of a print, and when.
type writtenView struct {
	ID       int64
	Name     string // of the newest file; "" when nothing was written
	When     string
	Outdated bool // the marks are others by now
}

// written says what was written last.
func (s *Server) written(ctx context.Context, id int64, m *marked) (writtenView, error) {
	all, err := s.cfg.Store.Written(ctx, id, 1)
	if err != nil || len(all) == 0 {
		return writtenView{ID: id}, err
	}
	w := all[0]
	return writtenView{id, w.Name, when(w.At, time.Now()), w.Marks != m.name()}, nil
}

// writtenNow sends what was written last.
func (s *Server) writtenNow(c fiber.Ctx) error {
	b, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	w, err := s.written(c.Context(), b.print.ID, m)
	if err != nil {
		return err
	}
	return c.Render("_written", w)
}

// when says a moment of the past as one would today.
func when(t, now time.Time) string {
	t, now = t.Local(), now.Local()
	day := func(t time.Time) string { return t.Format("2006-01-02") }
	switch day(t) {
	case day(now):
		return "today at " + t.Format("15:04")
	case day(now.AddDate(0, 0, -1)):
		return "yesterday at " + t.Format("15:04")
	}
	if t.Year() == now.Year() {
		return "on " + t.Format("2 January at 15:04")
	}
	return "on " + t.Format("2 January 2006")
}

// writingView is what the panel of "Write the file" shows.
type writingView struct {
	ID      int64
	Running bool
	Done    int     // percent, while it runs
	Blocked *placed // what stops it
	More    int     // further findings that stop it
	Care    int     // findings to read
	Name    string
	Seal    string
	Same    bool
	Assumed bool // nobody has said which printer this is for
}

// writing tells how the file comes along that is written: examined, stopped by a finding,
// or ready to be taken.
func (s *Server) writing(c fiber.Ctx) error {
	b, m, q, err := s.askedOf(c)
	if err != nil {
		return err
	}
	v := writingView{ID: b.print.ID}
	ready, err := q.within(c.Context(), patience/5)
	switch {
	case err != nil:
		return asked(err)
	case !ready:
		v.Running, v.Done = true, int(100*s.gate.progress(q))
		return c.Render("_writing", v)
	}
	r := q.out
	v.Assumed = m.plan.Printer.Assumed
	p := proofView{}
	p.findings(b, r)
	v.Blocked, v.Name, v.Seal, v.Same = p.Blocked, outName(b, m, r.Result), r.Seal(), r.Report.Same
	for _, f := range r.Findings {
		switch f.Level {
		case layer.Grave:
			v.More++
		case layer.Care:
			v.Care++
		}
	}
	v.More = max(v.More-1, 0)
	if v.Blocked == nil {
		c.Set("HX-Trigger", fmt.Sprintf(`{"dogear:take":{"from":"/prints/%d/write"}}`, b.print.ID))
	}
	return c.Render("_writing", v)
}

// stopWriting ends an examination that was begun to write the file.
func (s *Server) stopWriting(c fiber.Ctx) error {
	_, _, q, err := s.askedOf(c)
	if err != nil {
		return err
	}
	q.cancel()
	return c.SendStatus(fiber.StatusOK)
}

// remember keeps what was written and when. A file is not held back because that fails.
func (s *Server) remember(ctx context.Context, b *book, m *marked, name string) {
	w := store.Written{Marks: m.name(), Name: name}
	if err := s.cfg.Store.SaveWritten(ctx, b.print.ID, w); err != nil {
		s.log.Warn("remembering what was written", "print", b.print.ID, "err", err)
	}
	s.note(ctx, b.print.ID, store.NoteWritten, "%s", name)
}
