package proof

import (
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/raster"
)

// topOf is the highest plastic of the part, mm.
func (x *examiner) topOf() float64 {
	if x.h != nil {
		return x.h.Top
	}
	if x.lays == 0 && !x.w.jump.Stands {
		return 0
	}
	return (x.w.m.Top - x.w.jump.Tip).Millimetres()
}

// heights is the map of what is on the bed, drawn when it is first asked for.
func (x *examiner) heights() *raster.Heights {
	if x.h != nil {
		return x.h
	}
	x.h = raster.NewHeights(x.box)
	for i := range x.bed {
		p := &x.bed[i]
		to := p.to
		if to == 0 { // it is being laid
			to = x.w.oLine + 1
		}
		// What cannot be read again is not there; the walk itself will say so.
		_ = p.ix.Walk(p.src, p.ix.At(p.from), to, func(line int64, _ []byte, _ *gcode.Command,
			a *gcode.Act, m *gcode.Machine) bool {
			if line < p.from || a.Kind != gcode.Lay || line >= p.ix.Prime.First &&
				line <= p.ix.Prime.Last && p.ix.Prime.Last > 0 {
				return true
			}
			mv := layer.Move{From: a.From, To: m.Pos, Kind: gcode.Lay}
			for k := range p.shift {
				mv.From[k] += p.shift[k]
				mv.To[k] += p.shift[k]
			}
			if a.Arc.Turn != 0 {
				arc := a.Arc
				mv.Arc = &arc
			}
			x.h.Add(&mv)
			return true
		})
	}
	return x.h
}

// leave ends the piece that was laid, before a line of its file.
func (x *examiner) leave(line int64) { x.bed[len(x.bed)-1].to = line }

// enter begins another piece.
func (x *examiner) enter(n *Jump) {
	x.box = [4]gcode.Nano{min(x.box[0], n.Ix.Box[0]), min(x.box[1], n.Ix.Box[1]),
		max(x.box[2], n.Ix.Box[2]), max(x.box[3], n.Ix.Box[3])}
	shift := x.w.jump.Shift
	shift[2] -= x.w.jump.Tip
	x.sunk = false
	x.bed = append(x.bed, piece{n.Src, n.Ix, n.Line, 0, shift})
	if n.Stands { // its start-up has found the place
		x.lays, x.homed[0] = max(x.lays, 1), 7
	}
}

// stand says what is on the bed before anything runs.
func (x *examiner) stand(p piece, top gcode.Nano) {
	x.bed = append([]piece{p}, x.bed...)
	x.lays, x.w.m.Top = 1, top
}
