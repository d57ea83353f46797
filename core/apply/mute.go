package apply

import (
	"bytes"
	"fmt"

	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Muted is a run of lines that becomes comments, and the lines behind it that
// bring the machine to where they would have left it.
type Muted struct {
	Span     plan.Span
	Lines    []routine.Line
	Findings []finding.Finding
}

// maxMuted bounds a run of muted lines, in bytes: they are held in memory.
const maxMuted = 16 << 20

// mute turns a run of lines into comments. Place, filament axis, debt, speed,
// fan and settings are then set to what they would have been.
func (r *Result) mute(src layer.Source, ix *layer.Index, p *plan.Plan, m plan.Span,
	st routine.Style) error {
	if m.To > ix.Lines {
		return fmt.Errorf("there is no line %d to mute; the file has %d", m.To, ix.Lines)
	}
	from, err := ix.OffsetOf(src, m.From)
	if err != nil {
		return err
	}
	to, err := ix.OffsetOf(src, m.To+1)
	if err != nil {
		return err
	}
	if to-from > maxMuted {
		return fmt.Errorf("lines %d to %d are too many to mute", m.From, m.To)
	}
	before, err := ix.StateAt(src, m.From)
	if err != nil {
		return err
	}
	after, err := ix.StateAt(src, m.To+1)
	if err != nil {
		return err
	}
	old := make([]byte, to-from)
	if _, err := src.ReadAt(old, from); err != nil && int64(len(old)) != to-from {
		return err
	}
	e := edit.Edit{Offset: from, Cut: to - from}
	out := &e.Text
	crc := uint32(0)
	for line := range bytes.SplitAfterSeq(old, []byte("\n")) {
		if len(line) > 0 {
			e.Marks = append(e.Marks, mark.Placed{Line: int64(len(e.Marks)), Mark: mark.Mark{
				Kind: mark.Muted}})
			*out = append(*out, mark.MutedLine(line)...)
			crc = mark.Sum(crc, bytes.TrimRight(line, "\r\n"))
		}
	}
	open := false // the last line has no end of its own
	if n := len(*out); n > 0 && (*out)[n-1] != '\n' {
		*out, open = append(*out, r.LineEnd...), true
	}
	lines, finds := routine.Skip(before, after, m, max(ix.At(m.From), 1), ix.Box, p, st, crc)
	if open {
		lines = routine.Reopen(lines)
	}
	routine.Append(&e, lines, r.LineEnd)
	r.Mutes = append(r.Mutes, Muted{m, lines, finds})
	r.Findings = append(r.Findings, finds...)
	r.Edits = append(r.Edits, e)
	return nil
}
