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
			if h.Line < b.Fold.Line || h.Line >= end || mutes(p, h.Line) {
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
	if c.HasSum || c.Value(word) < hot || c.Value(word) == want || c.Has('T') && c.Value('T')/1_000_000 != int64(b.Fold.At.Tool) {
		return nil
	}
	code := line
	if k := bytes.IndexByte(line, ';'); k >= 0 {
		code = line[:k]
	}
	at := bytes.LastIndexAny(code, string([]byte{word, word | 0x20}))
	if at < 0 {
		return nil
	}
	at++
	to := at
	for to < len(code) && (code[to] == '.' || code[to] == '-' || code[to]-'0' <= 9 || code[to] == ' ' && to == at) {
		to++
	}
	now := append([]byte{}, line[:at]...)
	now = append(gcode.AppendMM(now, gcode.Nano(want), 0), line[to:]...)
	r.Edits = append(r.Edits, edit.Edit{Offset: h.Offset, Cut: int64(len(line)), Text: now})
	trim := func(b []byte) string { return string(bytes.TrimRight(b, "\r\n")) }
	r.Rewritten = append(r.Rewritten, Rewritten{h.Line, trim(line), trim(now), fmt.Sprintf("%s is laid at %g C here", clean(p.FilamentName(b.Ear.Filament)), t)})
	return nil
}

// HeadsUp is a tone and a message some time before an ear.
type HeadsUp struct {
	Ear    string
	Line   int64 // it stands in front of this line
	Before float64
	Lines  []Line
}

// headsUp puts a heads-up at the travel nearest to the time or at the fold of
// the layer that was asked for.
func (r *Result) headsUp(src layer.Source, ix *layer.Index, p *plan.Plan, b *Block, st Style) error {
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
	c := &compiler{was: b.Fold.At, plan: p, ear: &b.Ear, style: st, fold: b.Fold}
	c.note("; dogear heads-up "+b.Ear.ID+": "+c.title(), "a heads-up, so that you are there in time")
	c.put("M300 S660 P150", "tone")
	c.put("M300 S880 P150", "tone")
	c.put(fmt.Sprintf("M117 Stop in about %.0f min: %s", left/60, c.title()), "on the display")
	c.note("; dogear heads-up "+b.Ear.ID+" ends", "ours ends here")
	u := HeadsUp{Ear: b.Ear.ID, Line: at.Line, Before: left, Lines: c.lines}
	r.HeadsUps = append(r.HeadsUps, u)
	text := []byte{}
	for _, l := range c.lines {
		text = append(append(text, l.Text...), r.LineEnd...)
	}
	r.Edits = append(r.Edits, edit.Edit{Offset: at.Offset, Text: text})
	return nil
}

func abs(v float64) float64 { return max(v, -v) }

// Reanchor moves the ears of a plan that was made for another slicing to where
// their heights lie in this one, and reports each.
func Reanchor(ix *layer.Index, p *plan.Plan) []layer.Finding {
	var out []layer.Finding
	for i := range p.Ears {
		e := &p.Ears[i]
		say := func(level, text string) {
			out = append(out, layer.Finding{Level: level, Code: "moved", Line: 1, Message: "Ear " + e.ID + ": " + text})
		}
		switch {
		case e.AtHeight != nil:
			say(layer.Note, fmt.Sprintf("stays at %g mm", *e.AtHeight))
		case e.Z != nil:
			best := 1
			for n := range ix.Layers {
				if l := &ix.Layers[n]; abs((l.Z-l.Height).Millimetres()-*e.Z) < abs((ix.Layers[best-1].Z-ix.Layers[best-1].Height).Millimetres()-*e.Z)-1e-9 {
					best = n + 1
				}
			}
			l := &ix.Layers[best-1]
			was := fmt.Sprintf("before layer %d", e.BeforeLayer)
			if e.BeforeLine > 0 {
				was = fmt.Sprintf("in front of line %d", e.BeforeLine)
			}
			level, off := layer.Note, abs((l.Z-l.Height).Millimetres()-*e.Z)
			text := fmt.Sprintf("%s at %g mm is now before layer %d at %s mm", was, *e.Z, best, l.Z-l.Height)
			if e.BeforeLine > 0 || off > 0.0011 {
				level = layer.Care
			}
			e.BeforeLayer, e.BeforeLine, e.FileNumber = best, 0, nil
			say(level, text)
		case e.BeforeLine > 0:
			say(layer.Care, fmt.Sprintf("keeps line %d, since the plan does not say at which height it lay", e.BeforeLine))
		default:
			say(layer.Care, "keeps its layer number, since the plan does not say at which height it lay")
		}
	}
	return out
}
