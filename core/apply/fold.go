package apply

import (
	"fmt"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Locate finds where an ear sits in the file.
func Locate(src layer.Source, ix *layer.Index, e *plan.Ear) (routine.Fold, error) {
	var f routine.Fold
	n := len(ix.Layers)
	switch {
	case e.BeforeLayer != 0:
		f.Layer = e.BeforeLayer
		if f.Layer < 1 || f.Layer > n {
			return f, fmt.Errorf("there is no layer %d; the file has %d", e.BeforeLayer, n)
		}
	case e.FileNumber != nil:
		if f.Layer = ix.ByNumber(*e.FileNumber); f.Layer == 0 {
			return f, fmt.Errorf("the file has no layer that it calls %d", *e.FileNumber)
		}
	case e.AtHeight != nil:
		all := ix.AtHeight(gcode.FromMM(*e.AtHeight))
		if len(all) == 0 {
			return f, fmt.Errorf("no layer begins at or above %g mm; the print is %s mm high",
				*e.AtHeight, ix.Height())
		}
		if len(all) > 1 {
			return f, fmt.Errorf("%g mm is reached by %d objects, one after another; say which with "+
				"before_layer: %s", *e.AtHeight, len(all),
				strings.Trim(strings.Join(strings.Fields(fmt.Sprint(all)), ", "), "[]"))
		}
		f.Layer = all[0]
	default:
		if e.BeforeLine < 1 || e.BeforeLine > ix.Lines {
			return f, fmt.Errorf("there is no line %d; the file has %d", e.BeforeLine, ix.Lines)
		}
		f.Line = e.BeforeLine
		f.Layer = max(ix.At(f.Line), 1)
		l := &ix.Layers[f.Layer-1]
		switch {
		case f.Line <= l.First:
		case f.Line > l.Last && f.Layer < n:
			f.Layer++
		default:
			f.Inside = true
		}
	}
	if f.Line > 0 {
		var err error
		if f.Offset, err = ix.OffsetOf(src, f.Line); err != nil {
			return f, err
		}
		if f.At, err = ix.StateAt(src, f.Line); err != nil {
			return f, err
		}
	} else {
		l := &ix.Layers[f.Layer-1]
		f.Line, f.Offset = l.Fold, l.Offset
		var err error
		if f.At, err = ix.Before(src, f.Layer); err != nil {
			return f, err
		}
	}
	f.Seconds = ix.Layers[f.Layer-1].Begin
	if n := f.Last(); n > 0 {
		f.Low = f.At.Pos[2] < ix.Layers[n-1].Z-routine.SameLevel
	}
	if f.Inside {
		moves, err := ix.Decode(src, f.Layer)
		if err != nil {
			return f, err
		}
		times, err := ix.Times(src, f.Layer, moves)
		if err != nil {
			return f, err
		}
		for i := range moves {
			if moves[i].Line <= f.Line {
				f.Seconds = times[i]
			}
		}
	}
	return f, ahead(&f, src, ix)
}

// behindClose moves a fold behind the wipe and the retraction that close the layer under it,
// where they stand behind the next layer's mark. In front of them they would be run when the
// printer goes on: in the new colour, over what is finished.
func behindClose(f *routine.Fold, src layer.Source, ix *layer.Index) error {
	first := ix.Layers[f.Layer-1].First
	to := int64(0)
	err := ix.Walk(src, max(ix.At(f.Line), 0), min(f.Line+500, first), func(line int64, _ []byte,
		c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
		if line < f.Line {
			return true
		}
		switch a.Kind {
		case gcode.Pull:
			if m.Pos[2] != a.From[2] {
				return false // it goes up as well
			}
			to = line + 1
		case gcode.Nothing, gcode.Progress, gcode.Message, gcode.FanSet, gcode.Lasting:
		case gcode.Heat:
			return !a.Wait
		case gcode.SetAxis:
			return c.Has('E') && !c.Has('X') && !c.Has('Y') && !c.Has('Z')
		default:
			return false
		}
		return true
	})
	if err != nil || to == 0 || to >= first {
		return err
	}
	f.Line = to
	if f.Offset, err = ix.OffsetOf(src, to); err != nil {
		return err
	}
	if f.At, err = ix.StateAt(src, to); err != nil {
		return err
	}
	f.Next, f.HasNext, f.NextZ = [2]gcode.Nano{}, false, false
	return ahead(f, src, ix)
}

// Place returns the layer an ear stands before, or, with a line, inside which it
// lies: what [Locate] finds, without reading the file and without errors. An
// ear that lies outside the print is put at its nearest end.
func Place(ix *layer.Index, e *plan.Ear) (n int, line int64) {
	last := len(ix.Layers)
	switch {
	case e.AtHeight != nil:
		if all := ix.AtHeight(gcode.FromMM(*e.AtHeight)); len(all) > 0 {
			return all[0], 0
		}
		return last, 0
	case e.FileNumber != nil:
		if n := ix.ByNumber(*e.FileNumber); n > 0 {
			return n, 0
		}
		return last, 0
	case e.BeforeLine == 0:
		return min(max(e.BeforeLayer, 1), last), 0
	}
	n = max(ix.At(e.BeforeLine), 1)
	switch l := &ix.Layers[n-1]; {
	case e.BeforeLine <= l.First:
		return n, 0
	case e.BeforeLine > l.Last && n < last:
		return n + 1, 0
	}
	return n, e.BeforeLine
}

// ahead looks for the place where the next path begins.
func ahead(f *routine.Fold, src layer.Source, ix *layer.Index) error {
	from, end := max(ix.At(f.Line), 0), min(f.Line+500, ix.Lines+1)
	return ix.Walk(src, from, end, func(line int64, _ []byte, c *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if line < f.Line {
			return true
		}
		switch a.Kind {
		case gcode.Travel:
			absolute := !m.RelXYZ && c.Letter == 'G' && c.Code <= 1
			f.NextZ = f.NextZ || absolute && c.Has('Z')
			if !a.MoveX || f.HasNext {
				return true // only up or down
			}
			if absolute && c.Has('X') && c.Has('Y') {
				f.Next, f.HasNext = [2]gcode.Nano{m.Pos[0], m.Pos[1]}, true
			}
			return f.HasNext && !f.NextZ // the height may follow
		case gcode.Pull:
			return !a.MoveX && !f.HasNext
		case gcode.SetAxis:
			return !c.Has('X') && !c.Has('Y') && c.Has('E')
		case gcode.Lay, gcode.Push, gcode.Home, gcode.Probe, gcode.Macro, gcode.Unknown, gcode.Stop,
			gcode.ToolSet, gcode.Motors:
			return false
		}
		return true
	})
}
