package demo

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// writer writes moves in a dialect. It keeps its own books in the numbers it
// has written, so that rounding never adds up.
type writer struct {
	solid Solid
	d     Dialect
	out   []byte
	line  int // lines written
	truth Truth

	x, y, z float64 // as written, mm
	e       float64 // as written since the last reset, unit of the file
	feed    float64
	pulled  bool
	away    bool // above a finished object, on the way to the next
	lifted  bool
	h       float64 // present layer height
	level   float64 // Z of the present layer
	n       int
	last    string // label
	path    []pt   // for the wipe
	seconds float64
	fold    int
	cur     *TruthLayer
	island  bool
	started bool
	object  int
	prime   bool
}

const pull = 0.8

func newWriter(s Solid, d Dialect) *writer {
	return &writer{solid: s, d: d}
}

func (w *writer) raw(s string) {
	if w.d.Numbered && s != "" && s[0] != ';' {
		s = "N" + strconv.Itoa(w.line+1) + " " + s
		sum := byte(0)
		for i := range len(s) {
			sum ^= s[i]
		}
		s += "*" + strconv.Itoa(int(sum))
	}
	w.out = append(w.out, s...)
	if w.d.CRLF {
		w.out = append(w.out, '\r')
	}
	w.out = append(w.out, '\n')
	w.line++
}

func (w *writer) cmd(words ...string) {
	s := strings.Join(words, " ")
	if w.d.Tight {
		s = strings.ToLower(strings.Join(words, ""))
	}
	w.raw(s)
}

func (w *writer) num(letter string, mm float64, places int) string {
	if w.d.Inch {
		mm /= 25.4
		places += 2
	}
	s := strconv.FormatFloat(mm, 'f', places, 64)
	if w.d.Tight && strings.Contains(s, ".") {
		s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
		if strings.HasPrefix(s, "0.") {
			s = s[1:]
		}
		if s == "" || s == "-" || s == "-0" {
			s = "0"
		}
	}
	return letter + s
}

// axis returns the word for a coordinate and the value it stands for.
func (w *writer) axis(letter string, to float64, at *float64) string {
	to = math.Round(to*1e3) / 1e3
	s := w.num(letter, to, 3)
	if w.d.RelXYZ && w.started {
		s = w.num(letter, to-*at, 3)
	}
	*at = to
	return s
}

// filamentWord returns the E word for a step of mm.
func (w *writer) filamentWord(mm float64) string {
	if w.d.Volume {
		mm *= math.Pi / 4 * filament * filament
	}
	mm = math.Round(mm*1e5) / 1e5
	if w.d.RelE {
		return w.num("E", mm, 5)
	}
	w.e = math.Round((w.e+mm)*1e5) / 1e5
	return w.num("E", w.e, 5)
}

func (w *writer) feedWord(f float64) []string {
	if f == w.feed {
		return nil
	}
	w.feed = f
	if w.d.Inch {
		return []string{"F" + strconv.FormatFloat(f/25.4, 'f', 4, 64)}
	}
	return []string{"F" + strconv.FormatFloat(f, 'f', 0, 64)}
}

func (w *writer) start() {
	if w.d.Mark != "" {
		w.raw("; sliced for the harbour table")
		w.raw("; pieces in all: " + strconv.Itoa(w.solid.Layers))
	}
	if w.d.Macro {
		w.raw("BEGIN_WORK BED=65 EXTRUDER=215")
	} else {
		w.cmd("M140", "S65")
		w.cmd("M104", "S215")
		w.cmd("M190", "S65")
		w.cmd("M109", "S215")
	}
	if w.d.Inch {
		w.cmd("G20")
	} else if !w.d.NoModes {
		w.cmd("G21")
	}
	if !w.d.NoModes {
		w.cmd("G90")
		if w.d.RelE {
			w.cmd("M83")
		} else {
			w.cmd("M82")
		}
	}
	if w.d.Volume {
		w.cmd("M200", "D1.75")
	}
	w.cmd("M204", "S1000")
	w.cmd("M205", "X8", "Y8")
	if !w.d.Macro {
		w.cmd("G28")
	}
	w.cmd("M107")
	w.cmd("G92", "E0")
	// Prime line beside the part.
	w.h, w.prime = 0.28, true
	w.cmd(append([]string{"G1", w.axis("Z", 2, &w.z)}, w.feedWord(600)...)...)
	w.cmd(append([]string{"G0", w.axis("X", 4, &w.x), w.axis("Y", 20, &w.y)}, w.feedWord(6000)...)...)
	w.cmd(append([]string{"G1", w.axis("Z", 0.28, &w.z)}, w.feedWord(600)...)...)
	w.cmd(append([]string{"G1", w.axis("Y", 140, &w.y), w.filamentWord(8)}, w.feedWord(1500)...)...)
	w.truth.Prime = [2]int{w.line, w.line + 2}
	w.cmd("G1", w.axis("X", 4.4, &w.x), w.filamentWord(0.02))
	w.cmd("G1", w.axis("Y", 30, &w.y), w.filamentWord(7))
	w.prime = false
	w.cmd("G92", "E0")
	w.e = 0
	w.cmd(append([]string{"G1", w.axis("Z", 2, &w.z)}, w.feedWord(600)...)...)
	if w.d.RelXYZ {
		w.cmd("G91")
		w.cmd("M83")
	}
	w.started = true
	w.fold = w.line + 1
}

func (w *writer) mark(n int, z float64) {
	if w.d.Mark == "" {
		return
	}
	for m := range strings.SplitSeq(w.d.Mark, "\n") {
		m = strings.ReplaceAll(m, "#", strconv.Itoa(n-1+w.d.First))
		m = strings.ReplaceAll(m, "%", strconv.FormatFloat(math.Round((z+0.05)*1e4)/1e4, 'f', -1, 64))
		m = strings.ReplaceAll(m, "$", strconv.FormatFloat(z, 'f', -1, 64))
		m = strings.ReplaceAll(m, "@", strconv.Itoa(w.solid.Layers))
		w.raw(m)
	}
}

// openLayer begins a layer.
func (w *writer) openLayer(n int, z, h float64, support bool) {
	w.n, w.level, w.h = n, z, h
	w.truth.Layers = append(w.truth.Layers, TruthLayer{Z: z, Fold: w.fold, Number: n - 1 + w.d.First,
		Object: w.object})
	w.cur = &w.truth.Layers[len(w.truth.Layers)-1]
	if support {
		z -= h / 2
		w.level, w.h = z, h/2
	}
	w.mark(n, w.cur.Z)
	if n == 2 {
		w.cmd("M104", "S210")
		w.cmd("M140", "S60")
		w.cmd("M106", "S255")
	}
	if w.d.ResetE && n > 1 {
		if w.d.LateClose && !w.pulled {
			w.retract(false)
		}
		w.cmd("G92", "E0")
		w.e = 0
	}
	w.last = ""
	if w.d.LateClose && n > 1 && !w.pulled {
		if w.d.Wipe { // behind a word for the display too
			w.cmd("M73", fmt.Sprintf("P%d", min(n, 100)))
		}
		w.retract(true)
	}
	if w.away { // from a finished object: across first, then down
		w.away, w.lifted = false, true
		return
	}
	w.cmd(append([]string{"G1", w.axis("Z", z+w.hop(), &w.z)}, w.feedWord(600)...)...)
	w.lifted = w.hop() > 0
}

func (w *writer) hop() float64 { return w.d.Hop }

// close ends a layer.
func (w *writer) close() {
	if !w.d.LateClose {
		w.retract(true)
	}
	w.fold = w.line + 1
	if w.d.Clock != "" {
		w.raw(strings.ReplaceAll(w.d.Clock, "#", strconv.FormatFloat(w.seconds, 'f', 2, 64)))
	}
}

// nextObject goes from a finished object to the place of the next one.
func (w *writer) nextObject() {
	if w.d.LateClose {
		w.retract(true)
		w.fold = w.line + 1
	}
	w.cmd(append([]string{"G1", w.axis("Z", w.z+5, &w.z)}, w.feedWord(600)...)...)
	w.lifted, w.away = true, true
	w.cmd("M107")
}

func (w *writer) label(s string) {
	if w.d.Labels && w.last != s {
		w.raw("; " + s)
		w.last = s
	}
}

func (w *writer) retract(wipe bool) {
	if w.pulled {
		return
	}
	w.pulled = true
	if w.d.Firmware {
		w.cmd("G10")
		return
	}
	rest := pull
	if wipe && w.d.Wipe && len(w.path) >= 2 {
		a, b := w.path[len(w.path)-1], w.path[len(w.path)-2]
		l := math.Hypot(b.x-a.x, b.y-a.y)
		if l > 0.5 {
			k := min(1, 2/l)
			w.cmd(append([]string{"G1", w.axis("X", a.x+(b.x-a.x)*k, &w.x),
				w.axis("Y", a.y+(b.y-a.y)*k, &w.y), w.filamentWord(-0.5)}, w.feedWord(6000)...)...)
			rest -= 0.5
		}
	}
	w.cmd(append([]string{"G1", w.filamentWord(-rest)}, w.feedWord(2100)...)...)
}

func (w *writer) push() {
	if !w.pulled {
		return
	}
	w.pulled = false
	if w.d.Firmware {
		w.cmd("G11")
		return
	}
	w.cmd(append([]string{"G1", w.filamentWord(pull)}, w.feedWord(2100)...)...)
}

// width of laid volume: a rectangle of line width and layer height.
func (w *writer) volume(l float64) float64 {
	return l * lineWidth * w.h / (math.Pi / 4 * filament * filament)
}

func (w *writer) note(p pt, l float64) {
	w.seconds += l / (w.feed / 60)
	w.path = append(w.path, p)
	if w.cur.First == 0 {
		w.cur.First = w.line + 1
	}
	w.cur.Last = w.line + 1
}

func (w *writer) finish() {
	w.retract(true)
	w.cmd("G91")
	w.cmd(append([]string{"G1", w.num("Z", 10, 3)}, w.feedWord(600)...)...)
	w.cmd("G90")
	w.x, w.y = 1e9, 1e9
	w.started = false
	w.cmd(append([]string{"G0", w.axis("X", 4, &w.x), w.axis("Y", 200, &w.y)}, w.feedWord(9000)...)...)
	w.cmd("M104", "S0")
	w.cmd("M140", "S0")
	w.cmd("M107")
	w.cmd("M84")
	if w.d.Mark != "" {
		w.raw(fmt.Sprintf("; done in %.0f s", w.seconds))
	}
}
