package pickup

import (
	"errors"
	"fmt"
	"math"

	"dogear/core/apply"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/routine"
)

// Rest is what is left to be laid of a move that is cut at a place: the move goes on from there,
// with the share of its filament.
type Rest struct {
	Line     int64
	From, To [3]gcode.Nano
	Laid     gcode.Nano
}

// Least and most of a move that may be laid already, percent: closer to its ends one begins with
// it, or behind it.
const (
	leastAlong = 1
	maxAlong   = 99
)

// cut finds the place inside the move at which the rest begins, and makes the start the line
// behind the move.
func (s *Start) cut(src layer.Source, ix *layer.Index, c *Choice) error {
	if !(c.Along >= leastAlong && c.Along <= maxAlong) {
		return fmt.Errorf("of a move, %d to %d %% can be laid already; begin with the move, or behind it",
			leastAlong, maxAlong)
	}
	n := ix.At(c.Line)
	if n < 1 || c.Line >= ix.Lines {
		return ErrFromTheStart
	}
	lays, curved := false, false
	r := Rest{Line: c.Line}
	err := ix.Walk(src, n, c.Line+1, func(line int64, _ []byte, _ *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if line < c.Line {
			return true
		}
		lays, curved = a.Kind == gcode.Lay, a.Arc.Turn != 0 || a.Curve
		share := c.Along / 100
		for k := range r.To {
			r.To[k] = m.Pos[k]
			by := math.Round(float64(m.Pos[k]-a.From[k])*share/1000) * 1000
			r.From[k] = a.From[k] + gcode.Nano(by)
		}
		const grain = 10 // filament is written to five decimals
		r.Laid = gcode.Nano(math.Round(float64(a.Laid)*(1-share)/grain)) * grain
		return false
	})
	switch {
	case err != nil:
		return err
	case !lays:
		return fmt.Errorf("line %d lays nothing that could be cut", c.Line)
	case curved:
		return fmt.Errorf("line %d is a curve; only a straight move is cut", c.Line)
	}
	if s.At, err = ix.StateAt(src, c.Line+1); err != nil {
		return err
	}
	if s.Offset, err = ix.OffsetOf(src, c.Line+1); err != nil {
		return err
	}
	s.Layer, s.Line, s.Inside, s.HasNext, s.Rest = n, c.Line+1, true, false, &r
	return nil
}

// ErrCutChanged is the cause when a plan changes the very move that is to be cut.
var ErrCutChanged = errors.New("the plan mutes or changes the move that is to be cut; begin with " +
	"a whole line")

// cutAsIs refuses to cut a move that a plan has muted or rewritten: the rest of it would be laid as
// the file has it.
func (s *Start) cutAsIs(src layer.Source, ix *layer.Index, res *apply.Result) error {
	if s.Rest == nil || res == nil {
		return nil
	}
	from, err := ix.OffsetOf(src, s.Rest.Line)
	if err != nil {
		return err
	}
	for i := range res.Edits {
		if e := &res.Edits[i]; e.Cut > 0 && e.Offset < s.Offset && e.Offset+e.Cut > from {
			return ErrCutChanged
		}
	}
	return nil
}

// goOn lays the rest of the move that was cut, counted in millimetres and filament in steps.
func (w *writer) goOn() {
	s := w.s
	r := s.Rest
	w.at = s.At.Pos
	m := w.sc.State()
	text := "G1"
	for k, l := range "XYZ" {
		if k < 2 || r.To[k] != r.From[k] {
			text += " " + routine.Word(byte(l), r.To[k]-s.At.Off[k])
		}
	}
	text += " " + routine.Word('E', m.Step(r.Laid))
	if s.At.Feed > 0 {
		text += " " + routine.Word('F', s.At.Feed)
	}
	w.addLine(text, fmt.Sprintf("the rest of line %d, from where the plastic ends", r.Line))
}
