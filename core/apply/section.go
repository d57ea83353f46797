package apply

import (
	"fmt"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Rewritten is a line of the original that was changed, and why.
type Rewritten struct {
	Line int64  `json:"line"`
	Was  string `json:"was"`
	Now  string `json:"now"`
	Why  string `json:"why"`
}

// temperatures rewrites the nozzle lines of each section that a filament with a
// temperature of its own begins, so that the file does not bring the old one
// back.
func (r *Result) temperatures(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	for i := range r.Blocks {
		b := &r.Blocks[i]
		t := routine.Wants(p, &b.Ear, 2)
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
func (r *Result) rewrite(src layer.Source, ix *layer.Index, h layer.Place, b *Block, t float64,
	p *plan.Plan) error {
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
	if c.Value(word) < gcode.Cold || c.Value(word) == want || c.Has('T') &&
		c.Value('T')/1_000_000 != int64(b.Fold.At.Tool) {
		return nil
	}
	now, ok := reword(line, word, gcode.Nano(want))
	if !ok {
		return nil
	}
	r.replaceLine(h.Line, h.Offset, line, now, fmt.Sprintf("%s is laid at %g C here",
		routine.Clean(p.FilamentName(b.Ear.Filament)), t))
	return nil
}
