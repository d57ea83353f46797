// Package proof says whether an edited file still lays the plastic that the
// original lays.
//
// In go two streams of G-code; out comes a [Verdict]. Both are run through the
// same machine, and their laying moves are compared one by one: start, end,
// filament, tool, speed, fan, temperature and lasting settings. All are
// integers of a nanometre or texts, so "the same" means equal.
package proof

import (
	"context"
	"io"
	"slices"

	"dogear/core/gcode"
)

// Verdict is the outcome of a comparison.
type Verdict struct {
	Same     bool
	Moves    int64 // laying moves that are equal
	Lines    [2]int64
	First    *Difference // the first difference
	Heats    int64       // laying moves at another temperature
	StopsNew int         // stops of the edited file that the original has not
}

// Difference is where two files part.
type Difference struct {
	Lines [2]int64 // in the original and in the edited file; 0 when it ended
	Texts [2]string
	What  string // in plain words
}

type walker struct {
	lines *gcode.Scanner
	m     gcode.Machine
	c     gcode.Command
	a     gcode.Act
	line  int64
	stop  int
	muted [][2]int64
	box   [4]gcode.Nano
	spot  gcode.Nano // pushed out over the part, on the spot, since the last laying move
}

// next runs to the next laying move; false at the end.
func (w *walker) next() (bool, error) {
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

// leftOut reports whether the present line is one that is left out on purpose.
func (w *walker) leftOut() bool {
	for _, m := range w.muted {
		if w.line >= m[0] && w.line <= m[1] {
			return true
		}
	}
	return false
}

// Options of a comparison. StopWords and KeepE are those of the printer; Box is
// what the print lays: filament pushed out within 2 mm of it counts as laid,
// beside it as purged. The zero Box counts everything.
type Options struct {
	StopWords []string
	KeepE     bool
	Box       [4]gcode.Nano
	Muted     [][2]int64 // runs of lines of the original that are left out on purpose
}

func over(box [4]gcode.Nano, p [3]gcode.Nano) bool {
	const m = 2 * gcode.MM
	return box == [4]gcode.Nano{} || p[0] > box[0]-m && p[0] < box[2]+m && p[1] > box[1]-m && p[1] < box[3]+m
}

// Compare compares two files. A temperature that differs is counted, not a
// difference: a new filament may want its own.
func Compare(ctx context.Context, original, edited io.Reader, opt Options) (Verdict, error) {
	var v Verdict
	var w [2]walker
	for i, r := range []io.Reader{original, edited} {
		w[i].lines = gcode.NewScanner(r)
		w[i].m.StopWords, w[i].m.KeepE, w[i].box = opt.StopWords, opt.KeepE, opt.Box
	}
	w[0].muted = opt.Muted
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
		what := ""
		switch {
		case !a:
			what = "the edited file lays more"
		case !b:
			what = "the edited file ends before this"
		default:
			what = differ(&w[0], &w[1])
		}
		if what != "" {
			d := &Difference{What: what}
			for i, there := range []bool{a, b} {
				if there {
					d.Lines[i] = w[i].line
					d.Texts[i] = string(w[i].lines.Text()[:min(len(w[i].lines.Text()), 200)])
				}
			}
			v.First = d
			return v, nil
		}
		if w[0].m.Nozzle() != w[1].m.Nozzle() || w[0].m.Bed() != w[1].m.Bed() {
			v.Heats++
		}
		v.Moves++
	}
	v.Same = true
	v.Lines = [2]int64{w[0].line, w[1].line}
	v.StopsNew = w[1].stop - w[0].stop
	return v, nil
}

// differ says how two laying moves differ; "" when they do not.
func differ(x, y *walker) string {
	switch {
	case x.m.Tool != y.m.Tool:
		return "another tool lays it"
	case x.a.From != y.a.From:
		return "the path begins somewhere else"
	case x.m.Pos != y.m.Pos || x.a.Arc != y.a.Arc:
		return "the path goes somewhere else"
	case x.spot != y.spot:
		return "filament is pushed out over the part"
	case x.a.Laid != y.a.Laid:
		return "another amount of filament is laid"
	case x.m.Feed != y.m.Feed || x.m.Speed() != y.m.Speed():
		return "it is laid at another speed"
	case x.m.Fan != y.m.Fan:
		return "the part fan runs differently"
	case x.m.Flow() != y.m.Flow():
		return "another flow factor is in force"
	case !slices.Equal(x.m.Settings(), y.m.Settings()):
		return "another lasting setting is in force"
	case x.m.Hot() && !y.m.Hot():
		return "the nozzle was not waited for"
	}
	return ""
}
