package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/routine"
)

// outcome is a print's marks laid onto its file, and what the proof says.
type outcome struct {
	result  *routine.Result
	verdict proof.Verdict
	// examined is what running the edited file against a height map has found;
	// lines are those of the edited file.
	examined []layer.Finding
}

// proofs keeps the outcomes worked out last, by print and by all that is marked in
// it with what it uses of the Kit. A revision's number would not do: after an
// undo the next mark has the same one.
type proofs struct {
	s    *Server
	mu   sync.Mutex
	kept map[string]*outcome
}

func newProofs(s *Server) *proofs { return &proofs{s: s, kept: map[string]*outcome{}} }

// of lays the marks onto the file and compares what both lay.
func (p *proofs) of(ctx context.Context, b *book, m *marked) (*outcome, error) {
	doc, err := json.Marshal(m.plan)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprintf("%d/%x", b.print.ID, sha256.Sum256(doc))
	p.mu.Lock()
	o := p.kept[key]
	p.mu.Unlock()
	if o != nil {
		return o, nil
	}
	o = &outcome{}
	if o.result, err = routine.Apply(b.src, b.ix, m.plan, b.found()); err != nil {
		return nil, sentence(fiber.StatusConflict, err.Error())
	}
	edit.Sort(o.result.Edits)
	own, err := proof.Marks(edit.NewReader(b.src, o.result.Edits))
	if err != nil {
		return nil, err
	}
	original := io.NewSectionReader(b.src, 0, b.src.Size())
	o.verdict, err = proof.Compare(ctx, original, edit.NewReader(b.src, o.result.Edits), proof.Options{Box: b.ix.Box, Muted: muted(m.plan), Again: own.Again, Changed: own.Changed})
	if err != nil {
		return nil, err
	}
	if o.examined, err = p.s.examined(ctx, b, o.result, m.plan.Printer); err != nil {
		return nil, err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(p.kept) >= 16 {
		clear(p.kept)
	}
	p.kept[key] = o
	return o, nil
}

// examined proves the edited file as somebody would who has only the two files.
// Both are held in memory for it; of larger ones only the moves are compared.
func (s *Server) examined(ctx context.Context, b *book, res *routine.Result, pr *plan.Printer) ([]layer.Finding, error) {
	if b.ix.Bytes > mostChecked {
		return nil, nil
	}
	var text bytes.Buffer
	if _, err := edit.Write(&text, b.src, res.Edits); err != nil {
		return nil, err
	}
	edited := bytes.NewReader(text.Bytes())
	ix, err := layer.Read(ctx, edited, layer.Options{})
	if err != nil {
		return nil, err
	}
	r, err := proof.Prove(ctx, b.src, edited, b.ix, ix, pr)
	if err != nil {
		return nil, err
	}
	return r.Findings, nil
}

// muted are the runs of lines that are left out on purpose.
func muted(p *plan.Plan) [][2]int64 {
	var out [][2]int64
	for _, m := range p.Mutes {
		out = append(out, [2]int64{m.From, m.To})
	}
	return out
}

type proofView struct {
	Galleys   []galley
	Findings  []placed
	Same      bool
	Verdict   string
	Moves     string
	Inserted  int
	Muted     int64 // lines left out
	Rewritten []routine.Rewritten
	Extras    []extra // what is inserted or muted besides the ears
	Where     *proof.Difference
	Blocked   bool
	FileName  string
}

// placed is a finding with where to look at it.
type placed struct {
	layer.Finding
	Before int  // layer of the bench; 0 when the line says nothing there
	Edited bool // the line is one of the new file
}

// findings gathers what is to look at, the gravest first. What the compiler and
// the proof both say is said once.
func (v *proofView) findings(b *book, o *outcome) {
	said := map[string]bool{}
	for _, f := range o.result.Findings {
		said[f.Level+f.Code] = true
		v.Findings = append(v.Findings, placed{Finding: f, Before: max(b.ix.At(f.Line), 1)})
	}
	for _, f := range o.examined {
		if !said[f.Level+f.Code] && !slices.ContainsFunc(b.ix.Findings, func(own layer.Finding) bool { return own.Code == f.Code }) {
			v.Findings = append(v.Findings, placed{Finding: f, Edited: true})
		}
	}
	for _, f := range b.ix.Findings {
		v.Findings = append(v.Findings, placed{Finding: f, Before: max(b.ix.At(f.Line), 1)})
	}
	rank := map[string]int{layer.Grave: 0, layer.Care: 1, layer.Note: 2}
	slices.SortStableFunc(v.Findings, func(a, b placed) int { return rank[a.Level] - rank[b.Level] })
}

// openProved returns the print of a request with its marks laid onto its file.
func (s *Server) openProved(c fiber.Ctx) (*book, *marked, *outcome, error) {
	b, m, err := s.openMarked(c)
	if err != nil {
		return nil, nil, nil, err
	}
	o, err := s.proofs.of(c.Context(), b, m)
	return b, m, o, err
}

func (s *Server) proof(c fiber.Ctx) error {
	b, m, o, err := s.openProved(c)
	if err != nil {
		return err
	}
	v := proofView{Same: o.verdict.Same, Inserted: o.result.Inserted(), Moves: group(o.verdict.Moves), Where: o.verdict.First,
		Blocked: blocked(o), FileName: outName(b, o.result)}
	for _, mu := range o.result.Mutes {
		v.Muted += mu.Span.To - mu.Span.From + 1
		x, err := mutedLines(b, mu)
		if err != nil {
			return err
		}
		v.Extras = append(v.Extras, x)
	}
	for _, u := range o.result.HeadsUps {
		x, err := headsUpLines(b, u)
		if err != nil {
			return err
		}
		v.Extras = append(v.Extras, x)
	}
	for i := range o.result.Changes {
		v.Extras = append(v.Extras, changedLines(&o.result.Changes[i]))
	}
	if len(o.result.Overs)+len(o.result.Slows) > 0 {
		v.Extras = append(v.Extras, lifted(o.result))
	}
	v.Rewritten = o.result.Rewritten
	v.findings(b, o)
	for i := range o.result.Blocks {
		g, err := s.galley(b, m, o.result, i)
		if err != nil {
			return err
		}
		v.Galleys = append(v.Galleys, g)
	}
	return s.page(c, "proof", fiber.Map{"Title": "Proof of " + b.print.Title, "At": "proof", "Print": b.print, "V": v})
}

func blocked(o *outcome) bool {
	for _, f := range o.result.Findings {
		if f.Level == layer.Grave {
			return true
		}
	}
	for _, f := range o.examined {
		if f.Level == layer.Grave && len(o.result.Mutes) == 0 {
			return true
		}
	}
	return !o.verdict.Same
}

// outName names the edited file so that one sees what it is.
func outName(b *book, res *routine.Result) string {
	base := b.print.Name
	ext := ".gcode"
	if i := strings.LastIndexByte(base, '.'); i > 0 {
		base, ext = base[:i], base[i:]
	}
	n := len(res.Blocks)
	if n == 0 {
		switch {
		case len(res.Changes) > 0 && len(res.Mutes) > 0:
			return base + "_mended" + ext
		case len(res.Changes) > 0:
			return base + "_changed" + ext
		case len(res.Mutes) > 0:
			return base + "_muted" + ext
		}
		return base + "_unchanged" + ext
	}
	var at []string
	for _, blk := range res.Blocks[:min(n, 4)] {
		at = append(at, fmt.Sprint(blk.Fold.Layer))
	}
	if n > 4 {
		return fmt.Sprintf("%s_%d-stops-from-%s%s", base, n, at[0], ext)
	}
	return base + "_stop-" + strings.Join(at, "-") + ext
}

func (s *Server) write(c fiber.Ctx) error {
	b, _, o, err := s.openProved(c)
	if err != nil {
		return err
	}
	if blocked(o) {
		return fiber.NewError(fiber.StatusConflict, "The file was not written: the proof names something that must be dealt with first.")
	}
	size := b.src.Size()
	for _, e := range o.result.Edits {
		size += int64(len(e.Text)) - e.Cut
	}
	return download(c, outName(b, o.result), edit.NewReader(b.src, o.result.Edits), size)
}

func ascii(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' || r == '"' || r == '\\' {
			return '_'
		}
		return r
	}, s)
}
