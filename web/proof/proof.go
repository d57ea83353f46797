// Package proof has the pages of the proof, and of the file it lets through.
package proof

import (
	"embed"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/web/arrive"
	"dogear/web/book"
	"dogear/web/say"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of the proof, and of the file it lets through.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/prints/:id/proof", s.proof)
	r.Get("/prints/:id/proof/progress", s.proofProgress)
	r.Post("/prints/:id/proof/stop", s.stopProof)
	r.Post("/prints/:id/proof/accept", s.acceptProof)
	r.Post("/prints/:id/byhand", s.proveByHand)
	r.Get("/prints/:id/write", s.write)
	r.Get("/prints/:id/writing", s.writing)
	r.Get("/prints/:id/written", s.writtenNow)
	r.Post("/prints/:id/writing/stop", s.stopWriting)
}

type proofView struct {
	Galleys   []galley
	Findings  []placed
	Accepted  int
	Same      bool
	Seal      string
	Moves     string
	Inserted  int
	Muted     int64 // lines left out
	Rewritten []apply.Rewritten
	Extras    []extra // what is inserted or muted besides the ears
	Where     *proof.First
	Blocked   *placed // the first of those that stop the writing
	FileName  string
	Written   site.WrittenView
}

// placed is a finding with where to look at it.
type placed struct {
	finding.Finding
	Name   string // by which it is accepted
	Before int    // layer of the bench
	Edited bool   // the line is one of the new file
	Held   bool   // somebody has taken it upon themselves
	Galley int    // the ear on this page in whose lines it is; 0 for none
}

// findings gathers what is to look at, the gravest first.
func (v *proofView) findings(b *book.Book, r *gate.Release) {
	for _, f := range r.Findings() {
		p := placed{Finding: f, Name: f.Name(), Edited: f.Original > 0,
			Before: max(b.Ix.At(max(f.Original, f.Line)), 1)}
		if f.Original > 0 {
			p.Before = max(b.Ix.At(f.Original), 1)
		}
		p.Galley = slices.IndexFunc(r.Result().Blocks, func(k apply.Block) bool {
			return f.Ear != "" &&
				k.Ear.ID == f.Ear
		}) + 1
		if p.Galley > 0 { // the ear that causes it
			p.Before = r.Result().Blocks[p.Galley-1].Fold.Layer
		}
		p.Held = slices.ContainsFunc(r.Accepted(),
			func(o finding.Finding) bool { return o.Code == f.Code && o.Line == f.Line })
		v.Findings = append(v.Findings, p)
		if f.Level == finding.Stop && v.Blocked == nil {
			v.Blocked = &v.Findings[len(v.Findings)-1]
		}
	}
	for _, f := range b.Ix.Findings {
		v.Findings = append(v.Findings, placed{Finding: f, Before: max(b.Ix.At(f.Line), 1)})
	}
	slices.SortStableFunc(v.Findings, func(a, b placed) int { return b.Level.Compare(a.Level) })
	if v.Blocked != nil {
		v.Blocked = &v.Findings[0]
	}
}

// proof shows what will change in the file and what could go wrong, or, while that is
// worked out, how far it is.
func (s *pages) proof(c fiber.Ctx) error {
	b, m, q, err := s.AskedOf(c)
	if err != nil {
		return err
	}
	ready, err := q.Within(c.Context(), site.Patience)
	if err != nil {
		return site.Asked(err)
	}
	if !ready {
		return s.Page(c, "examining", fiber.Map{"Title": "Proof of " + b.Print.Title, "At": "proof",
			"Print": b.Print, "Done": int(100 * q.Progress())})
	}
	r := q.Out()
	rep := r.Report()
	v := proofView{Same: rep.Same, Inserted: r.Result().Inserted(), Moves: figures.Count(rep.Moves),
		Where: rep.First, Seal: r.Seal(), FileName: outName(b, m, r.Result()),
		Accepted: len(r.Accepted())}
	for _, mu := range r.Result().Mutes {
		v.Muted += mu.Span.To - mu.Span.From + 1
		x, err := mutedLines(b, mu)
		if err != nil {
			return err
		}
		v.Extras = append(v.Extras, x)
	}
	for _, u := range r.Result().HeadsUps {
		x, err := headsUpLines(b, u)
		if err != nil {
			return err
		}
		v.Extras = append(v.Extras, x)
	}
	for i := range r.Result().Changes {
		v.Extras = append(v.Extras, changedLines(&r.Result().Changes[i]))
	}
	if len(r.Result().Overs)+len(r.Result().Slows) > 0 {
		v.Extras = append(v.Extras, lifted(r.Result()))
	}
	if v.Written, err = s.Written(c.Context(), b.Print.ID, m); err != nil {
		return err
	}
	v.Rewritten = r.Result().Rewritten
	v.findings(b, r)
	for i := range r.Result().Blocks {
		g, err := s.galley(b, m, r.Result(), i)
		if err != nil {
			return err
		}
		v.Galleys = append(v.Galleys, g)
	}
	return s.Page(c, "proof", fiber.Map{"Title": "Proof of " + b.Print.Title, "At": "proof",
		"Print": b.Print, "V": v})
}

// proofProgress says how far the examination is, and lets the page be opened anew
// when it is done.
func (s *pages) proofProgress(c fiber.Ctx) error {
	b, _, q, err := s.AskedOf(c)
	if err != nil {
		return err
	}
	if ready, _ := q.Within(c.Context(), time.Millisecond); ready {
		c.Set("HX-Refresh", "true")
		return c.SendStatus(fiber.StatusOK)
	}
	return c.Render("_examining", fiber.Map{"ID": b.Print.ID, "Done": int(100 * q.Progress())})
}

// stopProof ends an examination that takes too long for somebody.
func (s *pages) stopProof(c fiber.Ctx) error {
	b, _, q, err := s.AskedOf(c)
	if err != nil {
		return err
	}
	q.Cancel()
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d", b.Print.ID))
	return c.SendStatus(fiber.StatusOK)
}

// acceptProof takes one finding upon oneself, or lets it hold again. It is a mark like
// any other and can be undone.
func (s *pages) acceptProof(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	name := c.FormValue("name")
	if err := finding.CheckName(name); err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	back := c.FormValue("back") != ""
	if !back && c.FormValue("sure") == "" {
		return say.Sentence(fiber.StatusUnprocessableEntity, "tick the box first: you accept the risk")
	}
	err = s.Store.Change(c.Context(), b.Print.ID, func(p *plan.Plan) error {
		p.Accept = slices.DeleteFunc(p.Accept, func(n string) bool { return n == name })
		if !back {
			p.Accept = append(p.Accept, name)
		}
		return nil
	})
	if err != nil {
		return err
	}
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/proof", b.Print.ID))
	return c.SendStatus(fiber.StatusOK)
}

// outName names the edited file so that one sees what it is, and tells it from one written
// with other marks.
func outName(b *book.Book, m *book.Marked, res *apply.Result) string {
	base := b.Print.Name
	ext := ".gcode"
	if i := strings.LastIndexByte(base, '.'); i > 0 {
		base, ext = base[:i], base[i:]
	}
	n := len(res.Blocks)
	tag := ""
	if id := m.Name(); len(id) > 3 {
		tag = "_" + id[:3]
	}
	if n == 0 {
		switch {
		case len(res.Changes) > 0 && len(res.Mutes) > 0:
			return base + "_mended" + tag + ext
		case len(res.Changes) > 0:
			return base + "_changed" + tag + ext
		case len(res.Mutes) > 0:
			return base + "_muted" + tag + ext
		}
		return base + "_unchanged" + ext
	}
	var at []string
	for _, blk := range res.Blocks[:min(n, 4)] {
		at = append(at, fmt.Sprint(blk.Fold.Layer))
	}
	if n > 4 {
		return fmt.Sprintf("%s_%d-stops-from-%s%s%s", base, n, at[0], tag, ext)
	}
	return base + "_stop-" + strings.Join(at, "-") + tag + ext
}

// write sends the file, when it may be written.
func (s *pages) write(c fiber.Ctx) error {
	b, m, q, err := s.AskedOf(c)
	if err != nil {
		return err
	}
	// A browser that was to get a file is shown why there is none, or none yet.
	looks := strings.Contains(c.Get("Accept"), "text/html")
	ready, err := q.Within(c.Context(), site.Patience)
	if err == nil && !ready && !looks {
		err = site.Await(c, q)
	}
	if err != nil {
		return site.Asked(err)
	}
	if looks && (!ready || q.Out().Stopped() != nil) {
		return c.Redirect().Status(fiber.StatusSeeOther).To(fmt.Sprintf("/prints/%d/proof#stops",
			b.Print.ID))
	}
	name := outName(b, m, q.Out().Result())
	if q.Out().Stopped() == nil && c.Get("Range") == "" && c.Method() == fiber.MethodGet {
		s.remember(c.Context(), b, m, name)
	}
	return arrive.SendBack(s.Site, c, b, name, q.Out())
}
