package pickup

import (
	"fmt"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/plan"
)

// located are settings that say where things are: they hold from the last homing on,
// once.
var located = []string{"M420", "M206", "M290", "M428", "M665", "M666", "M851", "workspace"}

// isLocated reports whether a setting is one of those.
func isLocated(word string) bool {
	return slices.Contains(located, word) || strings.HasPrefix(word, "G10 P")
}

// offsets puts mesh and offsets in force, behind the last homing. A shift of Z that
// was in force when the nozzle touched the part lies in the touched height already;
// where the motors were held, every shift is in force still.
func (w *writer) offsets() {
	for _, st := range w.s.At.Settings() {
		if !isLocated(st.Word) {
			continue
		}
		line := st.Line
		if st.Word == "M206" || st.Word == "M290" {
			switch w.c.Z {
			case ByKept:
				line = ""
			case ByTouch, "":
				line = withoutZ(line)
			}
			if line != st.Line {
				w.s.At, w.expects = w.s.At.Without(st.Word), w.expects.Without(st.Word)
			}
		}
		if line != "" {
			w.addLine(line, "as it was, now that the place is found")
			if line != st.Line {
				w.s.At, w.expects = w.s.At.With(line), w.expects.With(line)
			}
		}
	}
}

// ownLines puts in what somebody knows of the start-up that is left out: settings and words of
// the printer's own, once it has homed.
func (w *writer) ownLines() error {
	if err := plan.CheckLines("a line of your own", w.c.Lines...); err != nil {
		return err
	}
	for _, l := range w.c.Lines {
		var c gcode.Command
		var a gcode.Act
		c.Parse([]byte(l))
		m := gcode.NewMachine(w.ix.Dialect)
		m.State = *w.sc.State()
		m.Exec(&c, &a)
		switch a.Kind {
		case gcode.Lasting:
			w.s.At, w.expects = w.s.At.With(l), w.expects.With(l)
		case gcode.Macro, gcode.Unknown, gcode.Dwell, gcode.Message:
		case gcode.Nothing:
			if c.Letter == 0 {
				continue
			}
		default:
			return fmt.Errorf("“%s” moves, heats, stops or counts otherwise; lines of your own only "+
				"set what stays in force", l)
		}
		w.addLine(l, "a line of your own")
	}
	return nil
}

// withoutZ is a line without its Z word; "" when nothing is left.
func withoutZ(line string) string {
	var out []string
	for _, f := range strings.Fields(line) {
		if f[0] != 'Z' {
			out = append(out, f)
		}
	}
	if len(out) < 2 {
		return ""
	}
	return strings.Join(out, " ")
}
