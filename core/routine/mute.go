package routine

import (
	"bytes"
	"fmt"
	"slices"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Muted is a run of lines that becomes comments, and the lines behind it that
// bring the machine to where they would have left it.
type Muted struct {
	Span     plan.Span
	Lines    []Line
	Findings []layer.Finding
}

// mostMuted bounds a run of muted lines, in bytes: they are held in memory.
const mostMuted = 16 << 20

// mute turns a run of lines into comments. Place, filament axis, debt, speed,
// fan and settings are then set to what they would have been.
func (r *Result) mute(src layer.Source, ix *layer.Index, p *plan.Plan, m plan.Span,
	st Style) error {
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
	if to-from > mostMuted {
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
	var out []byte
	crc := uint32(0)
	for line := range bytes.SplitAfterSeq(old, []byte("\n")) {
		if len(line) > 0 {
			out = append(append(out, mutePrefix...), line...)
			crc = sum(crc, bytes.TrimRight(line, "\r\n"))
		}
	}
	open := false // the last line has no end of its own
	if n := len(out); n > 0 && out[n-1] != '\n' {
		out, open = append(out, r.LineEnd...), true
	}
	c := &compiler{Script: Script{style: st, now: Frame}, was: after, goal: after, box: ix.Box,
		plan: p, ear: &plan.Ear{ID: fmt.Sprintf("mute-%d", m.From), Land: plan.WhereItWas},
		fold: Fold{Line: m.To + 1, Layer: max(ix.At(m.From), 1)}}
	c.m.State = before
	c.m.Top = after.Top // what lies there may be lower now, never higher
	c.pulled = before.Debt
	c.m.KeepE = p.Dialect().KeepE
	c.note(fmt.Sprintf("; dogear mute %d-%d", m.From, m.To),
		"the lines above are left out; this goes on as if they had run")
	if !same(&before, &after) { // else there is nothing to put right
		c.metric()
		c.countSteps("filament counts in steps")
		c.comeBack()
		c.restore()
		c.check()
	}
	c.sealWith(crc, fmt.Sprintf("; dogear mute %d ends", m.From))
	if open {
		c.lines = reopen(c.lines)
	}
	for _, l := range c.lines {
		out = append(append(out, l.Text...), r.LineEnd...)
	}
	r.Mutes = append(r.Mutes, Muted{m, c.lines, c.finds})
	r.Findings = append(r.Findings, c.finds...)
	r.Edits = append(r.Edits, edit.Edit{Offset: from, Cut: to - from, Text: out})
	return nil
}

// same reports whether two states cannot be told apart by what comes behind.
func same(a, b *gcode.State) bool {
	return a.Pos == b.Pos && a.Off == b.Off && a.LogicalE() == b.LogicalE() && a.Debt == b.Debt &&
		a.Feed == b.Feed && a.Fan == b.Fan && a.Tool == b.Tool &&
		a.RelXYZ == b.RelXYZ && a.RelE == b.RelE && a.Inch == b.Inch && a.Pulled == b.Pulled &&
		sameTools(a, b) && a.Hot() == b.Hot() && a.ESet == b.ESet && a.Bed() == b.Bed() &&
		a.Flow() == b.Flow() && a.Speed() == b.Speed() && slices.Equal(a.Settings(), b.Settings())
}

// sameTools reports whether all tools are as hot and hold as much filament back.
func sameTools(a, b *gcode.State) bool {
	for _, s := range []*gcode.State{a, b} {
		for _, t := range s.Tools() {
			if a.Target(t) != b.Target(t) || a.DebtOf(t) != b.DebtOf(t) || a.PulledOf(t) != b.PulledOf(t) {
				return false
			}
		}
	}
	return true
}
