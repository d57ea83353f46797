package foreign

import (
	"regexp"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Somebody who writes a stop by hand lifts the head in front of it, and sends it aside. Where
// Dogear does that itself, those lines go with the stop. They are known by what slicers do not
// write between two layers: movement in steps, far above what is laid, or far outside of it.

// A head so far above what is laid, or outside of it, is there for somebody, mm.
const (
	highAbove  = 3 * gcode.MM
	farOutside = 5 * gcode.MM
)

// message finds what a line says to a person.
var message = regexp.MustCompile(`(?i)^M117\s+([^;]*[a-z]{2}[^;]*)`)

// said is the newest message in front of the stop.
func (r *round) said() string {
	for i := r.stop; i >= 0; i-- {
		if m := message.FindStringSubmatch(r.lines[i].text); m != nil {
			return strings.TrimSpace(m[1])
		}
	}
	return ""
}

// own finds the lines of a stop, and those that move the head for it but have to stay since
// what comes behind them would be somewhere else.
func (r *round) own() (own, moves plan.Span) {
	lo, hi := r.stop, r.stop
	for i := r.stop - 1; i >= 0 && !r.barrier(i); i-- {
		if r.byHand(i) || message.MatchString(r.lines[i].text) && r.onlySoft(i+1, lo) {
			lo = i
		}
	}
	for i := r.stop + 1; i < len(r.lines) && !r.barrier(i); i++ {
		if r.byHand(i) {
			hi = i
		}
	}
	at := func(lo, hi int) plan.Span { return plan.Span{From: r.lines[lo].n, To: r.lines[hi].n} }
	if r.neutral(lo, hi) {
		return at(lo, hi), plan.Span{}
	}
	own = at(r.stop, r.stop)
	for i := lo; i <= hi; i++ {
		if r.byHand(i) {
			return own, at(lo, hi)
		}
	}
	return own, plan.Span{}
}

// onlySoft reports whether nothing but waits, tones and empty lines stands in lines lo … hi-1.
func (r *round) onlySoft(lo, hi int) bool {
	for i := lo; i < hi; i++ {
		switch l := &r.lines[i]; {
		case l.text == "", l.word == "M300", l.word == "M400", l.act.Kind == gcode.Message:
		default:
			return false
		}
	}
	return true
}

// barrier reports whether a line cannot be one that somebody wrote for a stop. A comment with
// a number or a colon may be one by which the printer or a host counts layers.
func (r *round) barrier(i int) bool {
	l := &r.lines[i]
	switch l.act.Kind {
	case gcode.Travel, gcode.Pull, gcode.Push, gcode.Mode, gcode.Message, gcode.SetAxis:
		return false
	case gcode.Nothing:
		return strings.HasPrefix(l.text, ";") && strings.ContainsAny(l.text, "0123456789:_")
	}
	return l.word != "M300" && l.word != "M400"
}

// byHand reports whether a line moves the head as slicers do not between two layers, or
// switches to such steps or back.
func (r *round) byHand(i int) bool {
	l, was := &r.lines[i], r.before
	if i > 0 {
		was = r.lines[i-1].state
	}
	s := &l.state
	if l.act.Kind == gcode.Mode {
		return was.RelXYZ != s.RelXYZ
	}
	if l.act.Kind != gcode.Travel && l.act.Kind != gcode.Pull && l.act.Kind != gcode.Push {
		return false
	}
	if s.RelXYZ && !r.before.RelXYZ {
		return true
	}
	if r.ix.Kind == layer.Sequential || l.act.Kind != gcode.Travel {
		return false // between two objects slicers lift the head high
	}
	box, top := laid(r.ix), r.before.Pos[2]
	if r.next != nil {
		top = max(top, r.next.state.Pos[2])
	}
	from, to := l.act.From, s.Pos
	outside := to[0] < box[0]-farOutside || to[0] > box[2]+farOutside ||
		to[1] < box[1]-farOutside || to[1] > box[3]+farOutside
	return from[2] != to[2] && to[2] >= top+highAbove ||
		(from[0] != to[0] || from[1] != to[1]) && outside
}

// laid is the box around all that a file lays: min x, min y, max x, max y.
func laid(ix *layer.Index) (box [4]gcode.Nano) {
	for i := range ix.Layers {
		b := ix.Layers[i].Box
		if i == 0 {
			box = b
		}
		box = [4]gcode.Nano{min(box[0], b[0]), min(box[1], b[1]), max(box[2], b[2]), max(box[3], b[3])}
	}
	return box
}

// neutral reports whether the next laying move is the same without lines lo … hi: it begins
// at the same place, and the filament axis and all modes are as they would be.
func (r *round) neutral(lo, hi int) bool {
	if r.next == nil {
		return lo == r.stop && hi == r.stop
	}
	m := gcode.NewMachine(r.ix.Dialect)
	m.State = r.before
	var a gcode.Act
	run := func(text string) {
		var c gcode.Command
		c.Parse([]byte(text))
		m.Exec(&c, &a)
	}
	for i := range r.lines {
		if i < lo || i > hi {
			run(r.lines[i].text)
		}
	}
	there := r.before
	if n := len(r.lines); n > 0 {
		there = r.lines[n-1].state
	}
	if m.Pos != there.Pos || m.Off != there.Off || m.Debt != there.Debt {
		return false
	}
	run(r.next.text)
	want := &r.next.state
	return m.Pos == want.Pos && m.LogicalE() == want.LogicalE() && m.Feed == want.Feed &&
		m.RelXYZ == want.RelXYZ && m.RelE == want.RelE && m.Inch == want.Inch && m.Debt == want.Debt
}
