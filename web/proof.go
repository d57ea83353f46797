package web

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"dogear/core/edit"
	"dogear/core/explain"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/core/routine"
)

// outcome is a print's marks laid onto its file, and what the proof says.
type outcome struct {
	result  *routine.Result
	verdict proof.Verdict
}

// proofs keeps the outcomes worked out last, by print and revision.
type proofs struct {
	s    *Server
	mu   sync.Mutex
	kept map[string]*outcome
}

func newProofs(s *Server) *proofs { return &proofs{s: s, kept: map[string]*outcome{}} }

// of lays the marks onto the file and compares what both lay.
func (p *proofs) of(ctx context.Context, b *book, m *marked) (*outcome, error) {
	pr, err := p.s.cfg.Store.Print(ctx, b.print.ID)
	if err != nil {
		return nil, err
	}
	key := fmt.Sprint(pr.ID, "/", pr.Rev)
	p.mu.Lock()
	o := p.kept[key]
	p.mu.Unlock()
	if o != nil {
		return o, nil
	}
	o = &outcome{}
	if o.result, err = routine.Apply(b.src, b.ix, m.plan); err != nil {
		return nil, sentence(fiber.StatusConflict, err.Error())
	}
	edit.Sort(o.result.Edits)
	original := io.NewSectionReader(b.src, 0, b.src.Size())
	o.verdict, err = proof.Compare(ctx, original, edit.NewReader(b.src, o.result.Edits), proof.Options{Box: b.ix.Box, Muted: muted(m.plan)})
	if err != nil {
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

// muted are the runs of lines that are left out on purpose.
func muted(p *plan.Plan) [][2]int64 {
	var out [][2]int64
	for _, m := range p.Mutes {
		out = append(out, [2]int64{m.From, m.To})
	}
	return out
}

// galleyLine is one line of the galley: the file's or ours.
type galleyLine struct {
	Ours  bool
	Line  int64
	Code  string
	Words string
}

type galley struct {
	Number, Of         int
	Title, Place, When string
	Colour             string
	Lines              []galleyLine
	Before             int
}

type proofView struct {
	Galleys   []galley
	Findings  []layer.Finding
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
	v.Rewritten = o.result.Rewritten
	v.Findings = append(append(v.Findings, o.result.Findings...), b.ix.Findings...)
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
	return !o.verdict.Same
}

// extra is a block of the galley that is no ear.
type extra struct {
	Title string
	Lines []galleyLine
}

// mostShown bounds how many of a run of muted lines are shown.
const mostShown = 8

// mutedLines sets a run of muted lines with the lines that go on behind it.
func mutedLines(b *book, mu routine.Muted) (extra, error) {
	x := extra{Title: fmt.Sprintf("Muted: lines %s to %s", group(mu.Span.From), group(mu.Span.To))}
	end := min(mu.Span.To, mu.Span.From+mostShown-1)
	err := b.ix.Walk(b.src, b.ix.At(mu.Span.From), end+1, func(line int64, text []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
		if line >= mu.Span.From {
			x.Lines = append(x.Lines, galleyLine{Line: line, Code: "; dogear muted: " + show(text), Words: "left out: " + explain.Line(c, a, m)})
		}
		return true
	})
	if more := mu.Span.To - end; more > 0 {
		x.Lines = append(x.Lines, galleyLine{Line: end + 1, Code: "…", Words: fmt.Sprintf("and %s more, muted too", group(more))})
	}
	for _, l := range mu.Lines {
		x.Lines = append(x.Lines, galleyLine{Ours: true, Code: strings.TrimSuffix(l.Text, " ; "+l.Why), Words: l.Why})
	}
	return x, err
}

// Lines of the original shown before and behind an inserted block.
const (
	contextBefore = 3
	contextBehind = 4
)

func (s *Server) galley(b *book, m *marked, res *routine.Result, i int) (galley, error) {
	blk := &res.Blocks[i]
	ev := m.earView(b, blk.Ear)
	g := galley{Number: i + 1, Of: len(res.Blocks), Title: ev.Title, Place: ev.Place, When: ev.When, Colour: ev.Colour, Before: blk.Fold.Layer}
	at := blk.Fold.Line
	var behind []galleyLine
	err := b.ix.Walk(b.src, b.ix.At(max(at-contextBefore, 1)), min(at+contextBehind, b.ix.Lines+1), func(line int64, text []byte, c *gcode.Command, a *gcode.Act, mc *gcode.Machine) bool {
		if line < at-contextBefore {
			return true
		}
		l := galleyLine{Line: line, Code: show(text), Words: explain.Line(c, a, mc)}
		if c.Empty() && c.Comment != nil {
			l.Words = explain.Mark([]byte(l.Code), b.ix.Marks, b.ix.At(line), b.ix)
		}
		if line < at {
			g.Lines = append(g.Lines, l)
		} else {
			behind = append(behind, l)
		}
		return true
	})
	if err != nil {
		return g, err
	}
	for _, l := range blk.Lines {
		code := l.Text
		if l.Why != "" {
			code = strings.TrimSuffix(code, " ; "+l.Why)
		}
		g.Lines = append(g.Lines, galleyLine{Ours: true, Code: code, Words: l.Why})
	}
	g.Lines = append(g.Lines, behind...)
	return g, nil
}

// show makes a line of a file fit to be seen: valid text, no line end, not
// endless.
func show(text []byte) string {
	s := strings.ToValidUTF8(strings.TrimRight(string(text[:min(len(text), 160)]), "\r\n"), "·")
	return strings.Map(func(r rune) rune {
		if r < ' ' {
			return '·'
		}
		return r
	}, s)
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
		if len(res.Mutes) > 0 {
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
	name := outName(b, o.result)
	c.Set("Content-Type", "text/x-gcode")
	c.Set("Cache-Control", "no-store")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q; filename*=UTF-8''%s", ascii(name), url.PathEscape(name)))
	return c.SendStream(edit.NewReader(b.src, o.result.Edits), int(size))
}

func ascii(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' || r == '"' || r == '\\' {
			return '_'
		}
		return r
	}, s)
}

// planFile sends what is marked as a plan that the command line understands.
func (s *Server) planFile(c fiber.Ctx) error {
	b, m, err := s.openMarked(c)
	if err != nil {
		return err
	}
	for i := range m.plan.Ears { // so that it can be laid onto another slicing
		n, _ := place(m.plan.Ears[i], b.ix)
		z := (b.ix.Layers[n-1].Z - b.ix.Layers[n-1].Height).Millimetres()
		m.plan.Ears[i].Z = &z
	}
	m.plan.File = &plan.File{SHA256: b.print.SHA256, Name: b.print.Name}
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", ascii(b.print.Name)+".plan.json"))
	return c.JSON(m.plan)
}
