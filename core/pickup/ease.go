package pickup

import (
	"fmt"
	"math"
	"strings"

	"dogear/core/gcode"
	"dogear/core/mark"
	"dogear/core/routine"
)

// eased begins what the first layers are spared. What the plan changes here is in
// force already.
func (w *writer) eased() {
	e, s := w.c.Ease, w.s
	speed, flow := 1.0, 1.0
	why := "more or less filament from here on"
	if e.Layers > 0 {
		why = "more or less filament for a while"
		if e.Speed > 0 {
			speed *= e.Speed / 100
		}
	}
	if w.c.Flow > 0 {
		flow *= w.c.Flow / 100
	}
	if speed != 1 {
		w.addLine(fmt.Sprintf("M220 S%g", math.Round(speed*s.At.Speed()*1000)/10), "slower for a while")
	}
	if flow != 1 {
		w.addLine(fmt.Sprintf("M221 S%g", math.Round(flow*s.At.Flow()*1000)/10), why)
	}
}

// fanLine brings the part fan to a speed.
func fanLine(fan int64) string {
	if fan == 0 {
		return "M107"
	}
	return "M106 " + routine.Word('S', gcode.Nano(fan))
}

// factors are by how much the plan changes speed and flow in front of a line.
func (w *writer) factors(line int64) (speed, flow float64) {
	if w.res == nil {
		return 1, 1
	}
	return w.res.Factors(line)
}

// easing returns the lines that end what the first layers were spared, and the
// layer they stand before; 0 when there is nothing to end.
func (w *writer) easing() (string, int, error) {
	e := w.c.Ease
	n := w.s.Layer + e.Layers
	if e.Layers <= 0 || n > len(w.ix.Layers) {
		return "", 0, nil
	}
	l := &w.ix.Layers[n-1]
	at, err := w.ix.Before(w.src, n)
	if err != nil {
		return "", 0, err
	}
	speed, flow := w.factors(l.Fold)
	var out []string
	if e.Speed > 0 && e.Speed != 100 {
		out = append(out, fmt.Sprintf("M220 S%g ; speed as the file has it",
			math.Round(speed*at.Speed()*1000)/10))
	}
	if w.c.Flow > 0 && w.c.Flow != 100 {
		out = append(out, fmt.Sprintf("M221 S%g ; filament as the file has it",
			math.Round(flow*at.Flow()*1000)/10))
	}
	if e.Hotter != 0 {
		was, err := w.ix.Before(w.src, w.s.Layer)
		if err != nil {
			return "", 0, err
		}
		v := at.Nozzle()
		if v == was.Nozzle() {
			v = w.s.At.Nozzle() // nothing changed on the way: what was chosen stays
		}
		out = append(out, "M104 "+routine.Word('S', gcode.Nano(v))+" ; nozzle as it would be")
	}
	if e.Fan {
		out = append(out, fanLine(at.Fan)+" ; fan as the file has it")
	}
	if len(out) == 0 {
		return "", 0, nil
	}
	out = append([]string{easeEnds.String()}, out...)
	return strings.Join(out, "\n"), n, nil
}

// easeEnds stands where the rest is laid as the file has it.
var easeEnds = mark.Mark{Kind: mark.Ease, ID: "ends here"}
