package routine

import (
	"bytes"
	"fmt"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Rewritten is a line of the original that was changed, and why.
type Rewritten struct {
	Line int64  `json:"line"`
	Was  string `json:"was"`
	Now  string `json:"now"`
	Why  string `json:"why"`
}

// hot is the temperature under which a line is taken to cool down or park the
// nozzle, millionths of a degree; such lines are left alone.
const hot = 170_000_000

// temperatures rewrites the nozzle lines of each section that a filament with a
// temperature of its own begins, so that the file does not bring the old one
// back.
func (r *Result) temperatures(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	for i := range r.Blocks {
		b := &r.Blocks[i]
		t := Wants(p, &b.Ear, 2)
		if t == 0 {
			continue
		}
		end := ix.Lines + 1
		for _, later := range r.Blocks[i+1:] {
			if later.Ear.Kind == plan.Colour && later.Ear.Filament != "" {
				end = later.Fold.Line
				break
			}
		}
		for _, h := range ix.Heats {
			if h.Line < b.Fold.Line || h.Line >= end || mutes(p, h.Line) || r.heated(h.Line) {
				continue
			}
			if err := r.rewrite(src, ix, h, b, t, p); err != nil {
				return err
			}
		}
	}
	return nil
}

func mutes(p *plan.Plan, line int64) bool {
	for _, m := range p.Mutes {
		if line >= m.From && line <= m.To {
			return true
		}
	}
	return false
}

// rewrite puts another temperature into one line and leaves the rest of it.
func (r *Result) rewrite(src layer.Source, ix *layer.Index, h layer.Place, b *Block, t float64, p *plan.Plan) error {
	next, err := ix.OffsetOf(src, h.Line+1)
	if err != nil {
		return err
	}
	line := make([]byte, next-h.Offset)
	if n, err := src.ReadAt(line, h.Offset); int64(n) != next-h.Offset {
		return fmt.Errorf("line %d: %w", h.Line, err)
	}
	var c gcode.Command
	c.Parse(line)
	word := byte('S')
	if !c.Has(word) {
		word = 'R'
	}
	want := int64(t*1e6 + 0.5)
	if c.Value(word) < hot || c.Value(word) == want || c.Has('T') && c.Value('T')/1_000_000 != int64(b.Fold.At.Tool) {
		return nil
	}
	now, ok := reword(line, word, gcode.Nano(want))
	if !ok {
		return nil
	}
	r.replaceLine(h.Line, h.Offset, line, now, fmt.Sprintf("%s is laid at %g C here", clean(p.FilamentName(b.Ear.Filament)), t))
	return nil
}

// resum puts the right checksum behind a line: the XOR of the bytes before the
// star, as printers that number their lines expect it.
func resum(line []byte) []byte {
	star := bytes.IndexByte(line, '*')
	if star < 0 {
		return line
	}
	sum := byte(0)
	for _, b := range bytes.TrimLeft(line[:star], " \t") {
		sum ^= b
	}
	rest := star + 1
	for rest < len(line) && (line[rest] == ' ' || line[rest]-'0' <= 9) {
		rest++
	}
	return append(fmt.Appendf(bytes.Clone(line[:star+1]), "%d", sum), line[rest:]...)
}

// HeadsUp is a tone and a message some time before an ear.
type HeadsUp struct {
	Ear    string
	Line   int64 // it stands in front of this line
	Before float64
	Lines  []Line
	block  int // of the ear it is for
}

// headsUp puts a heads-up at the travel nearest to the time or at the fold of
// the layer that was asked for.
func (r *Result) headsUp(src layer.Source, ix *layer.Index, p *plan.Plan, block int, st Style) error {
	b := &r.Blocks[block]
	h := b.Ear.HeadsUp
	var at layer.Place
	began := 0.0
	if h.Layers > 0 {
		l := &ix.Layers[max(b.Fold.Layer-h.Layers, 1)-1]
		at, began = layer.Place{Line: l.Fold, Offset: l.Offset}, l.Begin
	} else {
		want := b.Fold.Seconds - h.Minutes*60
		n := 1
		for n < b.Fold.Layer && ix.Layers[n].Begin <= want {
			n++
		}
		l := &ix.Layers[n-1]
		at, began = layer.Place{Line: l.Fold, Offset: l.Offset}, l.Begin
		moves, err := ix.Decode(src, n)
		if err != nil {
			return err
		}
		times := ix.Times(n, moves)
		for i := range moves {
			m := &moves[i]
			across := m.Kind == gcode.Travel && (m.From[0] != m.To[0] || m.From[1] != m.To[1])
			if across && m.Line < b.Fold.Line && abs(times[i]-want) < abs(began-want) {
				off, err := ix.OffsetOf(src, m.Line)
				if err != nil {
					return err
				}
				at, began = layer.Place{Line: m.Line, Offset: off}, times[i]
			}
		}
	}
	if at.Line >= b.Fold.Line {
		b.Findings = append(b.Findings, layer.Finding{Level: layer.Care, Code: "heads-up-left-out", Line: b.Fold.Line, Message: "There is no time for a heads-up before ear " + b.Ear.ID + "."})
		return nil
	}
	if mutes(p, at.Line) {
		return fmt.Errorf("its heads-up falls into muted lines")
	}
	left := b.Fold.Seconds - began
	c := &compiler{Script: Script{style: st, now: Frame}, was: b.Fold.At, goal: b.Fold.At, plan: p, ear: &b.Ear, fold: b.Fold}
	c.note("; dogear heads-up "+b.Ear.ID+": "+c.title(), "a heads-up, so that you are there in time")
	c.tone(plan.Step{HZ: 660, MS: 150})
	c.tone(plan.Step{HZ: 880, MS: 150})
	c.said = fmt.Sprintf("Stop in about %.0f min: %s", left/60, c.title())
	c.tell()
	c.note("; dogear heads-up "+b.Ear.ID+" ends", "ours ends here")
	u := HeadsUp{Ear: b.Ear.ID, Line: at.Line, Before: left, Lines: c.lines, block: block}
	r.HeadsUps = append(r.HeadsUps, u)
	text := []byte{}
	for _, l := range c.lines {
		text = append(append(text, l.Text...), r.LineEnd...)
	}
	r.Edits = append(r.Edits, edit.Edit{Offset: at.Offset, Text: text})
	return nil
}

func abs(v float64) float64 { return max(v, -v) }
