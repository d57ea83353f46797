package proof

import (
	"context"
	"fmt"

	"github.com/gofiber/fiber/v3"

	"dogear/core/finding"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/site"
)

// writtenNow sends what was written last.
func (s *pages) writtenNow(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	w, err := s.Written(c.Context(), b.Print.ID, m)
	if err != nil {
		return err
	}
	return c.Render("_written", w)
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
func (s *pages) writing(c fiber.Ctx) error {
	b, m, q, err := s.AskedOf(c)
	if err != nil {
		return err
	}
	v := writingView{ID: b.Print.ID}
	ready, err := q.Within(c.Context(), site.Patience/5)
	switch {
	case err != nil:
		return site.Asked(err)
	case !ready:
		v.Running, v.Done = true, int(100*q.Progress())
		return c.Render("_writing", v)
	}
	r := q.Out()
	v.Assumed = m.Plan.Printer.Assumed
	p := proofView{}
	p.findings(b, r)
	v.Blocked, v.Name, v.Seal, v.Same = p.Blocked, outName(b, m, r.Result()), r.Seal(), r.Report().Same
	for _, f := range r.Findings() {
		switch f.Level {
		case finding.Stop:
			v.More++
		case finding.Care:
			v.Care++
		}
	}
	v.More = max(v.More-1, 0)
	if v.Blocked == nil {
		c.Set("HX-Trigger", fmt.Sprintf(`{"dogear:take":{"from":"/prints/%d/write"}}`, b.Print.ID))
	}
	return c.Render("_writing", v)
}

// stopWriting ends an examination that was begun to write the file.
func (s *pages) stopWriting(c fiber.Ctx) error {
	_, _, q, err := s.AskedOf(c)
	if err != nil {
		return err
	}
	q.Cancel()
	return c.SendStatus(fiber.StatusOK)
}

// remember keeps what was written and when. A file is not held back because that fails.
func (s *pages) remember(ctx context.Context, b *book.Book, m *book.Marked, name string) {
	w := store.Written{Marks: m.Name(), Name: name}
	if err := s.Store.SaveWritten(ctx, b.Print.ID, w); err != nil {
		s.Log.Warn("remembering what was written", "print", b.Print.ID, "err", err)
	}
	s.Note(ctx, b.Print.ID, store.NoteWritten, "%s", name)
}
