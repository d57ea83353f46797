// Package second is a second look at what two files lay, for tests: simpler than package
// proof, and sharing nothing with it but the machine. What both call the same is the same.
//
// In go two streams of G-code; out comes a [Verdict]. Both are run through the
// same machine, and their laying moves are compared one by one: start, end,
// filament, tool, speed, fan, temperature and lasting settings. All are
// integers of a nanometre or texts, so "the same" means equal.
package second

import (
	"context"
	"io"
	"math"
	"slices"

	"dogear/core/gcode"
	"dogear/core/proof"
)

// Verdict is the outcome of a comparison.
type Verdict struct {
	Same     bool
	Moves    int64 // laying moves that are equal
	Lines    [2]int64
	First    *Difference // the first difference
	Heats    int64       // laying moves at another temperature
	StopsNew int         // stops of the edited file that the original has not
	Differs  bool        // with Options.Through: there are differences, all of state
	// with Options.Through: the first of each way in which equal moves are laid differently
	States []Difference
}

// Difference is where two files part.
type Difference struct {
	Lines [2]int64 // in the original and in the edited file; 0 when it ended
	Texts [2]string
	What  string // in plain words
	Code  string // of the finding that it makes
}

type strand struct {
	lines *gcode.Scanner
	m     gcode.Machine
	c     gcode.Command
	a     gcode.Act
	line  int64
	stop  int
	muted [][2]int64
	other []proof.Otherwise // those that have not ended
	box   [4]gcode.Nano
	aux   *gcode.Aux // as it was when all of it was last found to be the same
	// of the first strand: nozzle, or nozzle or bed, are at another temperature
	hotter, heats bool
	spot          gcode.Nano // pushed out over the part, on the spot, since the last laying move
}

// next runs to the next laying move; false at the end.
func (w *strand) next() (bool, error) {
	w.spot = 0
	for w.lines.Scan(&w.c) {
		w.line++
		if w.c.Letter == 0 {
			continue
		}
		w.m.Exec(&w.c, &w.a)
		switch w.a.Kind {
		case gcode.Lay:
			if !w.leftOut() {
				return true, nil
			}
		case gcode.Push:
			if over(w.box, w.m.Pos) && !w.leftOut() {
				w.spot += w.a.Laid
			}
		case gcode.Stop:
			w.stop++
		}
	}
	return false, w.lines.Err()
}

// skip runs to behind a line. It returns the line, if there is one, that lays
// something over the part.
func (w *strand) skip(until int64) (laid int64, err error) {
	for w.line < until && w.lines.Scan(&w.c) {
		w.line++
		if w.c.Letter == 0 {
			continue
		}
		w.m.Exec(&w.c, &w.a)
		if (w.a.Kind == gcode.Lay || w.a.Kind == gcode.Push && w.a.Laid > 0) && laid == 0 &&
			(over(w.box, w.m.Pos) || w.a.Kind == gcode.Lay && over(w.box, w.a.From)) {
			laid = w.line
		}
	}
	return laid, w.lines.Err()
}

// moved takes a shift back.
func moved(p, shift [3]gcode.Nano) [3]gcode.Nano {
	for k := range p {
		p[k] -= shift[k]
	}
	return p
}

// leftOut reports whether the present line is one that is left out on purpose.
func (w *strand) leftOut() bool {
	for _, m := range w.muted {
		if w.line >= m[0] && w.line <= m[1] {
			return true
		}
	}
	return false
}

// otherwise says what is laid otherwise on purpose on the present line.
func (w *strand) otherwise() proof.Otherwise {
	var o proof.Otherwise
	over := 0
	for i := range w.other {
		x := &w.other[i]
		if w.line < x.Lines[0] {
			break
		}
		if w.line > x.Lines[1] {
			over++
			continue
		}
		o.Speed, o.Flow, o.Fan, o.Heat = o.Speed || x.Speed, o.Flow || x.Flow, o.Fan ||
			x.Fan, o.Heat || x.Heat
	}
	if over > 0 && over <= len(w.other) { // forget those that are behind
		w.other = slices.DeleteFunc(w.other, func(x proof.Otherwise) bool { return w.line > x.Lines[1] })
	}
	return o
}

// Options of a comparison. Dialect is that of the printer; Box is
// what the print lays: filament pushed out within 2 mm of it counts as laid,
// beside it as purged. The zero Box counts everything.
type Options struct {
	Dialect gcode.Dialect
	Box     [4]gcode.Nano
	Muted   [][2]int64 // runs of lines of the original that are left out on purpose
	Again   [][2]int64 // runs of lines of the edited file that lay something more on purpose
	// runs of lines of the edited file that are laid otherwise on purpose, in their order
	Changed []proof.Otherwise
	// A pick-up: the edited file has an opening of Opening lines, in which
	// nothing may be laid over the part, and goes on from line Start of the
	// original, everything moved by Shift. Start 0 compares from the beginning.
	Start, Opening int64
	Shift          [3]gcode.Nano
	Eased          bool // factors of speed and flow may differ
	// Through goes on where a move is laid in the same place, but in another
	// state, and notes the first of each kind.
	Through bool
}

func over(box [4]gcode.Nano, p [3]gcode.Nano) bool {
	const m = 2 * gcode.MM
	return box == [4]gcode.Nano{} || p[0] > box[0]-m && p[0] < box[2]+m && p[1] > box[1]-m &&
		p[1] < box[3]+m
}

// Compare compares two files. A temperature that differs is counted, not a
// difference: a new filament may want its own.
func Compare(ctx context.Context, original, edited io.Reader, opt Options) (Verdict, error) {
	var v Verdict
	var w [2]strand
	for i, r := range []io.Reader{original, edited} {
		w[i].lines = gcode.NewScanner(r)
		w[i].m, w[i].box = gcode.NewMachine(opt.Dialect), opt.Box
	}
	w[0].muted, w[1].muted, w[1].other = opt.Muted, opt.Again, slices.Clone(opt.Changed)
	if opt.Start > 0 {
		if done, err := v.open(&w, &opt); done || err != nil {
			return v, err
		}
	}
	for {
		if v.Moves%8192 == 0 && ctx.Err() != nil {
			return v, ctx.Err()
		}
		a, err := w[0].next()
		if err != nil {
			return v, err
		}
		b, err := w[1].next()
		if err != nil {
			return v, err
		}
		if !a && !b {
			break
		}
		what, code := "", ""
		switch {
		case !a:
			what = "the edited file lays more"
		case !b:
			what = "the edited file ends before this"
		default:
			on := w[1].otherwise()
			what, code = differ(&w[0], &w[1], &opt, on)
			w[0].hotter = w[0].hotter && !on.Heat
		}
		if what == "" && opt.Through && w[0].hotter {
			v.state(&w[0], &w[1], "it is laid at another temperature", "temperature-not-restored")
		}
		if what != "" && opt.Through && soft[code] {
			v.state(&w[0], &w[1], what, code)
			v.Differs = true
			v.Moves++
			continue
		}
		if what != "" {
			d := &Difference{What: what, Code: code}
			for i, there := range []bool{a, b} {
				if there {
					d.Lines[i] = w[i].line
					d.Texts[i] = string(w[i].lines.Text()[:min(len(w[i].lines.Text()), 200)])
				}
			}
			v.First = d
			return v, nil
		}
		if w[0].heats {
			v.Heats++
		}
		v.Moves++
	}
	v.sum()
	v.Lines = [2]int64{w[0].line, w[1].line}
	v.StopsNew = w[1].stop - w[0].stop
	return v, nil
}

// open runs through a pick-up's opening, and reports whether it lays plastic on the part.
func (v *Verdict) open(w *[2]strand, opt *Options) (bool, error) {
	if _, err := w[0].skip(opt.Start - 1); err != nil {
		return false, err
	}
	laid, err := w[1].skip(opt.Opening)
	if err != nil {
		return false, err
	}
	if laid > 0 {
		v.First = &Difference{What: "the opening lays plastic on the part", Lines: [2]int64{0, laid}}
		return true, nil
	}
	return false, nil
}

// sum says whether all is the same, and which difference comes first: one of state that is
// no temperature before one that is.
func (v *Verdict) sum() {
	v.Same = !v.Differs
	if v.Differs {
		v.First = &v.States[0]
		for i := range v.States {
			if v.States[i].Code != "temperature-not-restored" {
				v.First = &v.States[i]
				break
			}
		}
	}
}

// differ says how two laying moves differ; "" when they do not.
func differ(x, y *strand, opt *Options, on proof.Otherwise) (what, code string) {
	shift := opt.Shift
	switch {
	case x.m.Tool != y.m.Tool:
		return "another tool lays it", "mode-not-restored"
	case x.a.From != moved(y.a.From, shift):
		return "the path begins somewhere else", "position-not-restored"
	case x.m.Pos != moved(y.m.Pos, shift) || bent(&x.a.Arc, &y.a.Arc, shift):
		return "the path goes somewhere else", "position-not-restored"
	case x.spot != y.spot:
		return "filament is pushed out over the part", "filament-jump"
	case x.a.Laid != y.a.Laid:
		return "another amount of filament is laid", "filament-jump"
	case x.m.Feed != y.m.Feed:
		return "it is laid at another speed", "feed-not-restored"
	case x.m.Fan != y.m.Fan && !on.Fan:
		return "the part fan runs differently", "fan-not-restored"
	case x.m.RelE != y.m.RelE || x.m.RelXYZ != y.m.RelXYZ || x.m.Inch != y.m.Inch:
		return "places or filament are counted in another way", "mode-not-restored"
	}
	// What changes rarely is looked at when it has changed.
	if x.m.Aux == x.aux && y.m.Aux == y.aux {
		return "", ""
	}
	x.hotter = x.m.Nozzle() != y.m.Nozzle()
	x.heats = x.hotter || x.m.Bed() != y.m.Bed()
	switch {
	case x.m.Speed() != y.m.Speed() && !opt.Eased && !on.Speed:
		return "it is laid at another speed", "feed-not-restored"
	case x.m.Flow() != y.m.Flow() && !opt.Eased && !on.Flow:
		return "another flow factor is in force", "mode-not-restored"
	case !sameSettings(x, y, opt.Eased || on.Speed, opt.Eased || on.Flow):
		return "another lasting setting is in force", "mode-not-restored"
	case x.m.Hot() && !y.m.Hot():
		return "the nozzle was not waited for", "cold-extrusion"
	}
	if on == (proof.Otherwise{}) {
		x.aux, y.aux = x.m.Aux, y.m.Aux
	}
	return "", ""
}

// bent reports whether two ways lie on other circles. Centres are worked out from
// places that an offset may have shifted, so that the last digits may differ.
func bent(a, b *gcode.Arc, shift [3]gcode.Nano) bool {
	const eps = 1e-6
	off := func(p, q float64) bool { return math.Abs(p-q) > eps }
	return off(a.Turn, b.Turn) || a.Turn != 0 && (off(a.CX, b.CX-shift[0].Millimetres()) ||
		off(a.CY, b.CY-shift[1].Millimetres()) || off(a.R0, b.R0))
}

// soft are the codes of differences that leave the place of what is laid alone.
var soft = map[string]bool{"feed-not-restored": true, "fan-not-restored": true,
	"mode-not-restored": true, "cold-extrusion": true}

// state notes the first difference of a kind.
func (v *Verdict) state(x, y *strand, what, code string) {
	for i := range v.States {
		if v.States[i].Code == code {
			return
		}
	}
	text := func(w *strand) string { t := w.lines.Text(); return string(t[:min(len(t), 200)]) }
	v.States = append(v.States, Difference{Lines: [2]int64{x.line, y.line},
		Texts: [2]string{text(x), text(y)}, What: what, Code: code})
}

// sameSettings compares the lasting settings; factors of speed and flow are let
// pass on request.
func sameSettings(x, y *strand, speed, flow bool) bool {
	a, b := x.m.Settings(), y.m.Settings()
	if slices.Equal(a, b) {
		return true
	}
	// A factor of a hundred is none, and so is what holds without a word.
	factor := func(s gcode.Setting) bool {
		u, ok := atStart[s.Word]
		return ok && s.Line == u || s.Word == "M220" && speed || s.Word == "M221" && flow
	}
	return slices.Equal(slices.DeleteFunc(slices.Clone(a), factor),
		slices.DeleteFunc(slices.Clone(b), factor))
}

// atStart are settings that need not be made: they are so when the printer starts.
var atStart = map[string]string{"M220": "M220 S100", "M221": "M221 S100", "M211": "M211 S1",
	"plane": "G17", "workspace": "G54", "M290": "M290", "M206": "", "M302": "M302 P0"}
