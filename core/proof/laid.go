package proof

import (
	"math"
	"slices"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// laid books a laying move.
func (x *examiner) laid(a *gcode.Act) {
	w := x.w
	if x.prime() {
		return
	}
	x.flush()
	x.lays++
	if x.h != nil {
		mv := layer.Move{From: x.tip(a.From), To: x.tip(w.m.Pos), Kind: gcode.Lay}
		if a.Arc.Turn != 0 {
			arc := a.Arc
			mv.Arc = &arc
		}
		x.h.Add(&mv)
	}
	x.last = w.m.Pos
}

// tip is where the nozzle's tip is: a longer nozzle hangs lower.
func (x *examiner) tip(p [3]gcode.Nano) [3]gcode.Nano {
	p[2] -= x.w.jump.Tip
	return p
}

// prime reports whether the present line of the original primes beside the part.
func (x *examiner) prime() bool {
	p := x.w.ix.Prime
	return x.w.oLine >= p.First && x.w.oLine <= p.Last && p.Last > 0 && x.lays == 0
}

// laidRun books a run of plain laying moves.
func (x *examiner) laidRun(from [3]gcode.Nano, r *gcode.Run) {
	if x.h != nil && !x.prime() {
		mv := layer.Move{From: x.tip(from), Kind: gcode.Lay}
		for _, e := range r.Ends {
			mv.To = [3]gcode.Nano{e[0], e[1], mv.From[2]}
			x.h.Add(&mv)
			mv.From = mv.To
		}
	}
	if n := len(r.Ends); !x.prime() {
		x.flush()
		x.lays += int64(n)
		x.last = x.w.m.Pos
		z := x.w.m.Pos[2] - x.w.jump.Tip
		x.low(z, true)
	}
}

// flush books the stops that stand in front of a laying move.
func (x *examiner) flush() {
	if x.unmesh > 0 {
		x.find(finding.Care, "setting-not-restored", x.unmesh, "The printer homes here with the mesh of "+
			"its bed on, and many printers switch it off then; M420 has to come behind it.")
		x.unmesh = 0
	}
	for i := range x.waiting {
		s := x.waiting[i]
		n := x.layerAt()
		l := &x.w.ix.Layers[n-1]
		if s.next > l.First && s.next <= l.Last {
			s.Inside = n
		} else {
			s.Before = &n
		}
		if i > 0 && x.lays > 0 && (x.absolute || s.put || x.waiting[i-1].put) {
			x.find(finding.Note, "stop-already-there", s.Line,
				"The printer stops here (%s) although it has just stopped on line "+
					"%d.", s.Word, x.waiting[i-1].Line)
		}
		x.w.r.Stops = append(x.w.r.Stops, s)
	}
	x.waiting = x.waiting[:0]
}

// end books what is left, and what the reading of the file has found.
func (x *examiner) end() {
	zero := 0
	for _, s := range x.waiting {
		s.Before = &zero
		x.w.r.Stops = append(x.w.r.Stops, s)
	}
	x.waiting = nil
	x.brushed()
	// What the original uses itself, be it further down, the printer knows.
	x.w.r.Findings = slices.DeleteFunc(x.w.r.Findings, func(f finding.Finding) bool {
		word, _, _ := strings.Cut(f.Message, " ")
		return f.Code == "unknown-command" && x.own[strings.ToUpper(word)]
	})
	slices.SortStableFunc(x.w.r.Findings, func(a,
		b finding.Finding) int {
		return int(a.Line - b.Line)
	})
}

// uses notes a word of the original that is not known here.
func (x *examiner) uses(c *gcode.Command, a *gcode.Act) {
	if a.Kind != gcode.Unknown && a.Kind != gcode.Macro || len(x.own) > 10000 {
		return
	}
	if x.own == nil {
		x.own = map[string]bool{}
	}
	x.own[strings.ToUpper(c.Word())] = true
}

// stop books a stop.
func (x *examiner) stop(c *gcode.Command, put bool) {
	w := x.w
	p := w.m.Pos
	top := x.topOf()
	s := Stop{Line: w.mLine, Word: c.Word(), Z: p[2].Millimetres(), X: p[0].Millimetres(),
		Y: p[1].Millimetres(), next: w.oLine, put: put,
		Lift: math.Round((p[2].Millimetres()-top)*1e4)/1e4 + 0}
	if put {
		s.next++
	}
	x.waiting = append(x.waiting, s)
	if put && x.stated && w.m.Nozzle() < gcode.Cold && plan.DrawsOut(strings.ToUpper(s.Word)) {
		x.find(finding.Stop, "cold-extrusion", s.Line, "At %s the printer draws the filament out and "+
			"pushes the new one, and the nozzle is set to %s °C.", s.Word, gcode.Nano(w.m.Nozzle()))
	}
	if (put || x.absolute) && !x.looks && !plan.DoesItAll(strings.ToUpper(s.Word)) && x.onPart() {
		level := finding.Stop
		if !put {
			level = finding.Care
		}
		x.find(level, "lift-too-low", s.Line, "The head waits here right on the part. Lift it by %d mm "+
			"or more, or take it aside, before it stops.", waitClear)
	}
}
