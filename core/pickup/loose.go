package pickup

import (
	"errors"
	"fmt"
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/routine"
)

// ErrBelowBed is the cause when a part of a loose top would have to lie below the bed.
var ErrBelowBed = errors.New("it would be laid below the bed")

// loose prints the rest by itself, on the empty bed: the start-up as it was,
// and every height lowered by the same amount, by one G92 Z.
func (w *writer) loose() error {
	s, ix := w.s, w.ix
	if s.Inside {
		return fmt.Errorf("a loose top begins with a whole layer; choose redo or next")
	}
	l := &ix.Layers[s.Layer-1]
	for i := s.Layer; i < len(ix.Layers); i++ {
		if o := &ix.Layers[i]; o.Z-o.Height < l.Z-l.Height {
			return fmt.Errorf("from layer %d on everything would be lowered by the same amount, but layer "+
				"%d lies lower than that, on another object: %w. Slice the objects that are left by "+
				"themselves", s.Layer, i+1, ErrBelowBed)
		}
	}
	w.sc.Mark(mark.Mark{Kind: mark.LooseTop,
		Title: fmt.Sprintf("layer %d and all above it, on the bed", s.Layer)}, "")
	err := ix.Walk(w.src, 0, ix.Layers[0].Fold, func(line int64, text []byte, cmd *gcode.Command,
		a *gcode.Act, m *gcode.Machine) bool {
		t := strip(string(trimEnd(text)))
		why := ""
		if cmd.Letter != 0 {
			why = "the start-up as it was; the bed is empty"
			w.p.Opening = append(w.p.Opening, Entry{Line: line, Was: t, Verdict: Kept, Now: t, Why: why})
		}
		w.sc.Verbatim(t, "")
		return true
	})
	if err != nil {
		return err
	}
	from, err := w.firstZ()
	if err != nil {
		return err
	}
	down := l.Height - from + gcode.FromMM(w.c.DZ) // it lies as high as it is thick
	if w.c.Gentle {
		// At least as high as the file's own first layer, which evens out a bed.
		down += max(ix.Layers[0].Height-l.Height, 0)
	}
	w.apart()
	w.up = max(w.sc.State().Pos[2], l.Height+5*gcode.MM)
	w.tools()
	n := len(w.sc.Lines())
	w.sc.Heats(&s.At, true)
	for _, t := range s.At.Tools() { // filament moves in a warm nozzle only
		if t != s.At.Tool && s.At.DebtOf(t) != 0 && s.At.Target(t) > 0 {
			w.sc.Put(fmt.Sprintf("M109 T%d %s", t, routine.Word('S', gcode.Nano(s.At.Target(t)))),
				"the other nozzle, to draw its filament back")
		}
	}
	w.sc.Debts(&s.At)
	w.added(n, "as hot as it was")
	if err := w.brim(from + down); err != nil {
		return err
	}
	at := s.At.Pos
	if s.HasNext {
		at[0], at[1] = s.Next[0], s.Next[1]
	}
	if s.AbsZ { // the head leaves from the layer below, which is not there
		at[2] = max(at[2], from)
	}
	w.arrive(at, gcode.FromMM(w.c.DX), gcode.FromMM(w.c.DY), down)
	top := ix.Height() - l.Z + l.Height
	w.find(finding.Note, "loose-top", s.Line,
		fmt.Sprintf("The loose top is %s mm high. Glue the face "+
			"that lay on the bed onto the top of layer %d, at %s mm; let both be flat, and mark which way "+
			"it faces before you take it off.", top, s.Kept, l.Z-l.Height))
	if s.Layer > 1 && ix.Layers[s.Layer-1].Box != ix.Layers[max(s.Kept, 1)-1].Box {
		w.find(finding.Note, "loose-top", s.Line, fmt.Sprintf("Layer %d reaches further than the layer "+
			"below it; parts of it that were to be carried lie on the bed now.", s.Layer))
	}
	return nil
}

// Bounds of how much slower the first layer of a loose top is laid, percent.
const slowest = 20

// gentle, when it is asked for, gives a loose top a first layer as the file's own: its bed,
// its heat, its fan and its speed, and what it lies higher is filled. What somebody has
// chosen stays.
func (c *Choice) gentle(src layer.Source, ix *layer.Index, s *Start) error {
	first, err := ix.Before(src, min(2, len(ix.Layers)))
	if err != nil {
		return err
	}
	if bed := first.Bed(); c.Bed == 0 && bed > s.At.Bed() {
		c.Bed = float64(bed) / 1e6
	}
	if s.Layer >= len(ix.Layers) {
		return nil
	}
	if fan := ix.Layers[0].Fan; fan < s.At.Fan {
		s.At.Fan, c.Ease.Fan = fan, true
	}
	if c.Ease.Layers > 0 {
		return nil
	}
	c.Ease.Layers = 1
	if d := first.Nozzle() - s.At.Nozzle(); d > 0 && s.At.Nozzle() > 0 && c.Nozzle == 0 {
		c.Ease.Hotter = float64(d) / 1e6
	}
	was, err := feedOf(src, ix, 1)
	if err != nil {
		return err
	}
	is, err := feedOf(src, ix, s.Layer)
	if err != nil {
		return err
	}
	if was > 0 && is > was {
		c.Ease.Speed = max(slowest, math.Round(100*was/is))
	}
	if high, own := ix.Layers[0].Height, ix.Layers[s.Layer-1].Height; c.Flow == 0 && high > own &&
		own > 0 {
		c.Flow = math.Round(min(100*float64(high)/float64(own), 150))
	}
	return nil
}

// feedOf is how fast a layer is laid, by length, mm/min.
func feedOf(src layer.Source, ix *layer.Index, n int) (float64, error) {
	moves, err := ix.Decode(src, n)
	if err != nil {
		return 0, err
	}
	length, time := 0.0, 0.0
	for i := range moves {
		if m := &moves[i]; m.Kind == gcode.Lay && m.Feed > 0 {
			l := m.Length()
			length += l
			time += l / m.Feed.Millimetres()
		}
	}
	if time == 0 {
		return 0, nil
	}
	return length / time, nil
}

// firstZ is the height at which the layer of the start is begun.
func (w *writer) firstZ() (gcode.Nano, error) {
	moves, err := w.ix.Decode(w.src, w.s.Layer)
	if err != nil {
		return 0, err
	}
	for i := range moves {
		if moves[i].Kind == gcode.Lay {
			return moves[i].From[2], nil
		}
	}
	return w.ix.Layers[w.s.Layer-1].Z, nil
}

func trimEnd(b []byte) []byte {
	for len(b) > 0 && (b[len(b)-1] == '\n' || b[len(b)-1] == '\r') {
		b = b[:len(b)-1]
	}
	return b
}
