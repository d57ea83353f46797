package web

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/release"
)

// proofRoutes are those of the proof, and of the file it lets through.
func (s *Server) proofRoutes(r router) {
	r.get("/prints/:id/proof", s.proof)
	r.get("/prints/:id/proof/progress", s.proofProgress)
	r.post("/prints/:id/proof/stop", s.stopProof)
	r.post("/prints/:id/proof/accept", s.acceptProof)
	r.post("/prints/:id/byhand", s.proveByHand)
	r.get("/prints/:id/write", s.write)
	r.get("/prints/:id/writing", s.writing)
	r.get("/prints/:id/written", s.writtenNow)
	r.post("/prints/:id/writing/stop", s.stopWriting)
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
	Written   writtenView
}

// placed is a finding with where to look at it.
type placed struct {
	layer.Finding
	Name   string // by which it is accepted
	Before int    // layer of the bench
	Edited bool   // the line is one of the new file
	Held   bool   // somebody has taken it upon themselves
	Galley int    // the ear on this page in whose lines it is; 0 for none
}

// findings gathers what is to look at, the gravest first.
func (v *proofView) findings(b *book, r *release.Release) {
	for _, f := range r.Findings {
		p := placed{Finding: f, Name: release.Name(&f), Edited: f.Original > 0,
			Before: max(b.ix.At(max(f.Original, f.Line)), 1)}
		if f.Original > 0 {
			p.Before = max(b.ix.At(f.Original), 1)
		}
		p.Galley = slices.IndexFunc(r.Result.Blocks, func(k apply.Block) bool {
			return f.Ear != "" &&
				k.Ear.ID == f.Ear
		}) + 1
		if p.Galley > 0 { // the ear that causes it
			p.Before = r.Result.Blocks[p.Galley-1].Fold.Layer
		}
		p.Held = slices.ContainsFunc(r.Accepted,
			func(o layer.Finding) bool { return o.Code == f.Code && o.Line == f.Line })
		v.Findings = append(v.Findings, p)
		if f.Level == layer.Grave && v.Blocked == nil {
			v.Blocked = &v.Findings[len(v.Findings)-1]
		}
	}
	for _, f := range b.ix.Findings {
		v.Findings = append(v.Findings, placed{Finding: f, Before: max(b.ix.At(f.Line), 1)})
	}
	rank := map[string]int{layer.Grave: 0, layer.Care: 1, layer.Note: 2}
	slices.SortStableFunc(v.Findings, func(a, b placed) int { return rank[a.Level] - rank[b.Level] })
	if v.Blocked != nil {
		v.Blocked = &v.Findings[0]
	}
}

// patience is how long a page waits for an examination before it shows a bar.
const patience = 1500 * time.Millisecond

// proof shows what will change in the file and what could go wrong, or, while that is
// worked out, how far it is.
func (s *Server) proof(c fiber.Ctx) error {
	b, m, q, err := s.askedOf(c)
	if err != nil {
		return err
	}
	ready, err := q.within(c.Context(), patience)
	if err != nil {
		return asked(err)
	}
	if !ready {
		return s.page(c, "examining", fiber.Map{"Title": "Proof of " + b.print.Title, "At": "proof",
			"Print": b.print, "Done": int(100 * s.gate.progress(q))})
	}
	r := q.out
	rep := r.Report
	v := proofView{Same: rep.Same, Inserted: r.Result.Inserted(), Moves: figures.Count(rep.Moves),
		Where: rep.First, Seal: r.Seal(), FileName: outName(b, m, r.Result),
		Accepted: len(r.Accepted)}
	for _, mu := range r.Result.Mutes {
		v.Muted += mu.Span.To - mu.Span.From + 1
		x, err := mutedLines(b, mu)
		if err != nil {
			return err
		}
		v.Extras = append(v.Extras, x)
	}
	for _, u := range r.Result.HeadsUps {
		x, err := headsUpLines(b, u)
		if err != nil {
			return err
		}
		v.Extras = append(v.Extras, x)
	}
	for i := range r.Result.Changes {
		v.Extras = append(v.Extras, changedLines(&r.Result.Changes[i]))
	}
	if len(r.Result.Overs)+len(r.Result.Slows) > 0 {
		v.Extras = append(v.Extras, lifted(r.Result))
	}
	if v.Written, err = s.written(c.Context(), b.print.ID, m); err != nil {
		return err
	}
	v.Rewritten = r.Result.Rewritten
	v.findings(b, r)
	for i := range r.Result.Blocks {
		g, err := s.galley(b, m, r.Result, i)
		if err != nil {
			return err
		}
		v.Galleys = append(v.Galleys, g)
	}
	return s.page(c, "proof", fiber.Map{"Title": "Proof of " + b.print.Title, "At": "proof",
		"Print": b.print, "V": v})
}

// proofProgress says how far the examination is, and lets the page be opened anew
// when it is done.
func (s *Server) proofProgress(c fiber.Ctx) error {
	b, _, q, err := s.askedOf(c)
	if err != nil {
		return err
	}
	if ready, _ := q.within(c.Context(), time.Millisecond); ready {
		c.Set("HX-Refresh", "true")
		return c.SendStatus(fiber.StatusOK)
	}
	return c.Render("_examining", fiber.Map{"ID": b.print.ID, "Done": int(100 * s.gate.progress(q))})
}

// stopProof ends an examination that takes too long for somebody.
func (s *Server) stopProof(c fiber.Ctx) error {
	b, _, q, err := s.askedOf(c)
	if err != nil {
		return err
	}
	q.cancel()
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d", b.print.ID))
	return c.SendStatus(fiber.StatusOK)
}

// acceptProof takes one finding upon oneself, or lets it hold again. It is a mark like
// any other and can be undone.
func (s *Server) acceptProof(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	name := c.FormValue("name")
	if err := release.CheckName(name); err != nil {
		return sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	back := c.FormValue("back") != ""
	if !back && c.FormValue("sure") == "" {
		return sentence(fiber.StatusUnprocessableEntity, "tick the box first: you accept the risk")
	}
	err = s.cfg.Store.Change(c.Context(), b.print.ID, func(p *plan.Plan) error {
		p.Accept = slices.DeleteFunc(p.Accept, func(n string) bool { return n == name })
		if !back {
			p.Accept = append(p.Accept, name)
		}
		return nil
	})
	if err != nil {
		return err
	}
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/proof", b.print.ID))
	return c.SendStatus(fiber.StatusOK)
}

// outName names the edited file so that one sees what it is, and tells it from one written
// with other marks.
func outName(b *book, m *marked, res *apply.Result) string {
	base := b.print.Name
	ext := ".gcode"
	if i := strings.LastIndexByte(base, '.'); i > 0 {
		base, ext = base[:i], base[i:]
	}
	n := len(res.Blocks)
	tag := ""
	if id := m.name(); len(id) > 3 {
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
func (s *Server) write(c fiber.Ctx) error {
	b, m, q, err := s.askedOf(c)
	if err != nil {
		return err
	}
	// A browser that was to get a file is shown why there is none, or none yet.
	looks := strings.Contains(c.Get("Accept"), "text/html")
	ready, err := q.within(c.Context(), patience)
	if err == nil && !ready && !looks {
		err = q.await(c)
	}
	if err != nil {
		return asked(err)
	}
	if looks && (!ready || q.out.Stopped() != nil) {
		return c.Redirect().Status(fiber.StatusSeeOther).To(fmt.Sprintf("/prints/%d/proof#stops",
			b.print.ID))
	}
	name := outName(b, m, q.out.Result)
	if q.out.Stopped() == nil && c.Get("Range") == "" && c.Method() == fiber.MethodGet {
		s.remember(c.Context(), b, m, name)
	}
	return s.sendBack(c, b, name, q.out)
}

func ascii(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' || r == '"' || r == '\\' {
			return '_'
		}
		return r
	}, s)
}
