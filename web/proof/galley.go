package proof

import (
	"fmt"
	"slices"
	"strings"

	"dogear/core/apply"
	"dogear/core/explain"
	"dogear/core/figures"
	"dogear/core/gcode"
	"dogear/core/mark"
	"dogear/core/routine"
	"dogear/web/book"
	"dogear/web/draw"
	"dogear/web/say"
)

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
	Line               int64 // set when it lies inside that layer
	PutBack            string
	Way                draw.WayView
}

// extra is a block of the galley that is no ear.
type extra struct {
	Title string
	Lines []galleyLine
}

// maxShown bounds how many of a run of muted lines are shown.
const maxShown = 8

// mutedLines sets a run of muted lines with the lines that go on behind it.
func mutedLines(b *book.Book, mu apply.Muted) (extra, error) {
	x := extra{Title: fmt.Sprintf("Muted: lines %s to %s", figures.Count(mu.Span.From),
		figures.Count(mu.Span.To))}
	end := min(mu.Span.To, mu.Span.From+maxShown-1)
	err := b.Ix.Walk(b.Src, b.Ix.At(mu.Span.From), end+1,
		func(line int64, text []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
			if line >= mu.Span.From {
				x.Lines = append(x.Lines, galleyLine{Line: line, Code: say.Show(mark.MutedLine(text)),
					Words: "left out: " + explain.Line(c, a, m)})
			}
			return true
		})
	if more := mu.Span.To - end; more > 0 {
		x.Lines = append(x.Lines, galleyLine{Line: end + 1, Code: "…",
			Words: fmt.Sprintf("and %s more, muted too", figures.Count(more))})
	}
	for _, l := range mu.Lines {
		x.Lines = append(x.Lines, galleyLine{Ours: true, Code: say.Code(&l), Words: l.Why})
	}
	return x, err
}

// lifted sets the first of the short runs that keep the head off what stands
// proud, and that lay what closes over it slower.
func lifted(res *apply.Result) extra {
	var what []string
	if n := len(res.Overs); n > 0 {
		what = append(what, howMany(n, "travel move is lifted", "travel moves are lifted"))
	}
	if n := len(res.Slows); n > 0 {
		what = append(what, howMany(n, "bridge is laid slower", "bridges are laid slower"))
	}
	x := extra{Title: "Over what was put in: " + strings.Join(what, ", ")}
	shown := slices.DeleteFunc(slices.Clone(res.Extras),
		func(e apply.Extra) bool { return e.Ear == "" })
	for i, e := range shown {
		if i == maxShown/4 {
			x.Lines = append(x.Lines, galleyLine{Line: e.Line, Code: "…",
				Words: fmt.Sprintf("and %s more like these", figures.Count(int64(len(shown)-i)))})
			break
		}
		for _, l := range e.Lines {
			x.Lines = append(x.Lines, galleyLine{Ours: true, Line: e.Line, Code: say.Code(&l), Words: l.Why})
		}
	}
	return x
}

// changedLines sets the lines with which a change begins and ends.
func changedLines(c *apply.Changed) extra {
	x := extra{Title: fmt.Sprintf("Other settings from layer %d on: %s", c.From.Layer,
		c.Change.Words())}
	for _, part := range []struct {
		lines []routine.Line
		next  int64
	}{{c.Lines, c.From.Line}, {c.Back, c.Until.Line}} {
		for _, l := range part.lines {
			x.Lines = append(x.Lines, galleyLine{Ours: true, Line: part.next, Code: say.Code(&l),
				Words: l.Why})
		}
		x.Lines = append(x.Lines, galleyLine{Line: part.next, Code: "…",
			Words: fmt.Sprintf("line %s of the file comes next", figures.Count(part.next))})
	}
	return x
}

// howMany writes a number with its noun.
func howMany(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// headsUpLines sets a heads-up with the line it stands in front of.
func headsUpLines(b *book.Book, u apply.HeadsUp) (extra, error) {
	x := extra{Title: fmt.Sprintf("Heads-up for ear %s, %s before it", u.Ear, figures.Hours(u.Before))}
	for _, l := range u.Lines {
		x.Lines = append(x.Lines, galleyLine{Ours: true, Code: say.Code(&l), Words: l.Why})
	}
	err := b.Ix.Walk(b.Src, b.Ix.At(u.Line), u.Line+1, func(line int64, text []byte, c *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		if line == u.Line {
			x.Lines = append(x.Lines, galleyLine{Line: line, Code: say.Show(text), Words: explain.Line(c, a,
				m)})
		}
		return true
	})
	return x, err
}

// putBack lists what a block restores, in words.
func putBack(blk *apply.Block) string {
	var out []string
	for i := range blk.Lines {
		l := &blk.Lines[i]
		if l.Step >= 0 && l.Step < len(blk.Steps) && blk.Steps[l.Step].Do == "restore" && l.Why != "" {
			out = append(out, l.Why)
		}
	}
	return strings.Join(out, " · ")
}

// maxOurs is how many lines of one block are shown: a bond pass has thousands.
const maxOurs = 80

// Lines of the original shown before and behind an inserted block.
const (
	contextBefore = 3
	contextBehind = 4
)

func (s *pages) galley(b *book.Book, m *book.Marked, res *apply.Result, i int) (galley, error) {
	blk := &res.Blocks[i]
	h := m.HeadOf(b, &blk.Ear)
	g := galley{Number: i + 1, Of: len(res.Blocks), Title: h.Title, Place: h.Place, When: h.When,
		Colour: h.Colour, Before: blk.Fold.Layer}
	at := blk.Fold.Line
	var behind []galleyLine
	err := b.Ix.Walk(b.Src, b.Ix.At(max(at-contextBefore, 1)), min(at+contextBehind, b.Ix.Lines+1),
		func(line int64, text []byte, c *gcode.Command, a *gcode.Act, mc *gcode.Machine) bool {
			if line < at-contextBefore {
				return true
			}
			l := galleyLine{Line: line, Code: say.Show(text), Words: explain.Line(c, a, mc)}
			if c.Empty() && c.Comment != nil {
				l.Words = explain.Mark([]byte(l.Code), b.Ix.Marks, b.Ix.At(line), b.Ix)
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
	remembered, long := 0, len(blk.Lines) > maxOurs
	for k := range blk.Lines {
		l := &blk.Lines[k]
		if _, ok := mark.Remembers([]byte(l.Text)); ok {
			if remembered++; remembered == 1 {
				g.Lines = append(g.Lines, galleyLine{Ours: true, Code: l.Text + " …",
					Words: "what this ear is, so that it can be edited when the file is opened again"})
			}
			continue
		}
		if long && k >= maxOurs/2 && k < len(blk.Lines)-maxOurs/2 {
			if k == maxOurs/2 {
				g.Lines = append(g.Lines, galleyLine{Ours: true, Code: "…",
					Words: figures.Count(int64(len(blk.Lines)-maxOurs)) + " more lines of the same"})
			}
			continue
		}
		words := l.Why
		if words == "" {
			words = "laid once more, thinly"
		}
		g.Lines = append(g.Lines, galleyLine{Ours: true, Code: say.Code(l), Words: words})
	}
	g.Lines = append(g.Lines, behind...)
	g.PutBack, g.Line = putBack(blk), h.Line
	g.Way = draw.NewWay(blk.Lines, m.Plan.Printer, b.Ix.Box, &blk.Fold.At, 260)
	return g, nil
}
