package pickup

import (
	"fmt"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/routine"
)

// loose prints the rest by itself, on the empty bed: the start-up as it was,
// and every height lowered by the same amount, by one G92 Z.
func (w *writer) loose() error {
	s, ix := w.s, w.ix
	if s.Inside {
		return fmt.Errorf("a loose top begins with a whole layer; choose redo or next")
	}
	w.sc.Note(fmt.Sprintf("; dogear loose top: layer %d and all above it, on the bed", s.Layer), "")
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
	l := &ix.Layers[s.Layer-1]
	from, err := w.firstZ()
	if err != nil {
		return err
	}
	down := l.Height - from // so that it lies as high above the bed as it is thick
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
	at := s.At.Pos
	if s.HasNext {
		at[0], at[1] = s.Next[0], s.Next[1]
	}
	if s.AbsZ { // the head leaves from the layer below, which is not there
		at[2] = max(at[2], from)
	}
	w.arrive(at, 0, 0, down)
	top := ix.Height() - l.Z + l.Height
	w.find(layer.Note, "loose-top", s.Line, fmt.Sprintf("The loose top is %s mm high. Glue the face "+
		"that lay on the bed onto the top of layer %d, at %s mm; let both be flat, and mark which way "+
		"it faces before you take it off.", top, s.Kept, l.Z-l.Height))
	if s.Layer > 1 && ix.Layers[s.Layer-1].Box != ix.Layers[max(s.Kept, 1)-1].Box {
		w.find(layer.Note, "loose-top", s.Line, fmt.Sprintf("Layer %d reaches further than the layer "+
			"below it; parts of it that were to be carried lie on the bed now.", s.Layer))
	}
	return nil
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
