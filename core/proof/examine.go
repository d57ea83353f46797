package proof

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
)

// Stop is a stop of a file and where the head is by then.
type Stop struct {
	Line   int64   `json:"line"`
	Word   string  `json:"word"`
	Before int     `json:"before_layer"` // the layer that is laid next, or goes on; 0 behind the last
	Z      float64 `json:"z"`
	Lift   float64 `json:"lift"` // above the highest plastic
	X      float64 `json:"x"`
	Y      float64 `json:"y"`
}

// Examined is what a file does, apart from what another one does.
type Examined struct {
	Stops    []Stop
	Findings []layer.Finding
	words    []word // that are not known here
}

type word struct {
	line int64
	text string
}

// Limits of what is let pass.
const (
	dragTolerance = 0.05 // mm that a nozzle may lie beside what it touches
	pullSlack     = 15.0 // mm drawn back over the part, beyond what firmware needs
	blob          = 3.0  // mm pushed out on the spot over the part
	rich          = 8.0  // times the usual filament a mm
	hottest       = 330  // °C that a nozzle can reach
	hottestBed    = 140
	coldest       = 35 // °C down to which something cools in a warm room
	mostOfOne     = 20 // findings of one code that are listed
)

// Examine runs a file and looks for what could go wrong at the machine. pr may
// be nil; the bed is then one on which the print fits. put are runs of lines that
// were put in: there the head is expected to keep clear of the part.
func Examine(ctx context.Context, src layer.Source, ix *layer.Index, pr *plan.Printer, put [][2]int64) (*Examined, error) {
	return examine(ctx, src, ix, pr, put, nil)
}

func examine(ctx context.Context, src layer.Source, ix *layer.Index, pr *plan.Printer, put [][2]int64, in []standing) (*Examined, error) {
	x := &examiner{standing: in, nozzle: insert.NozzleOf(pr), ix: ix, put: put, out: &Examined{}, h: raster.NewHeights(ix.Box), counts: map[string]int{}, pr: pr}
	x.limits()
	lines := int64(0)
	err := ix.Walk(src, 0, ix.Lines+1, func(line int64, text []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
		if lines++; lines%65536 == 0 && ctx.Err() != nil {
			return false
		}
		x.line(line, text, c, a, m)
		return true
	})
	if err == nil {
		err = ctx.Err()
	}
	if err != nil {
		return nil, err
	}
	x.brushed()
	x.flush(0)
	for _, f := range ix.Findings { // what reading it has found, where it can go wrong at the machine
		if slices.Contains([]string{"rubbish-at-end", "cut-short", "no-heights", "checksum", "bad-number"}, f.Code) {
			x.out.Findings = append(x.out.Findings, f)
		}
	}
	slices.SortStableFunc(x.out.Findings, func(a, b layer.Finding) int { return int(a.Line - b.Line) })
	return x.out, nil
}

type examiner struct {
	ix     *layer.Index
	out    *Examined
	h      *raster.Heights
	pr     *plan.Printer
	bed    [4]float64
	top    float64
	counts map[string]int

	lays    int64
	usual   float64       // filament a mm, running
	waiting []Stop        // stops behind the last laying move
	last    [3]gcode.Nano // where the last laying move ended
	moved   bool          // the head was away since
	bond    bool
	put     [][2]int64 // those that are still to come

	standing []standing
	nozzle   insert.Nozzle
}

// limits works out what the head can reach. Where the printer is not known, it
// can reach what the print reaches, and a little more.
func (x *examiner) limits() {
	b := x.ix.Box
	if x.pr != nil {
		x.bed, x.top = x.pr.Bed, x.pr.Top
		return
	}
	g := plan.Generic()
	x.bed, x.top = g.Bed, math.Max(g.Top, x.ix.Height().Millimetres()+80)
	if lo := math.Min(b[0].Millimetres(), b[1].Millimetres()); lo < -2 {
		h := math.Max(150, math.Max(-lo, math.Max(b[2].Millimetres(), b[3].Millimetres()))+30)
		x.bed = [4]float64{-h, -h, h, h}
	}
	x.bed[2] = math.Max(x.bed[2], b[2].Millimetres()+60)
	x.bed[3] = math.Max(x.bed[3], b[3].Millimetres()+60)
	x.bed[0], x.bed[1] = x.bed[0]-30, x.bed[1]-30 // prime lines and parking places lie beside the bed
	x.bed[2], x.bed[3] = x.bed[2]+30, x.bed[3]+30
}

func (x *examiner) find(level, code string, line int64, format string, args ...any) {
	if x.counts[code]++; x.counts[code] > mostOfOne {
		return
	}
	x.out.Findings = append(x.out.Findings, layer.Finding{Level: level, Code: code, Line: line, Message: fmt.Sprintf(format, args...)})
}

func (x *examiner) line(line int64, text []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) {
	switch a.Kind {
	case gcode.Nothing:
		if c.Letter == 0 && strings.HasPrefix(string(text[:min(len(text), 20)]), "; dogear bond ") {
			x.bond = !strings.HasSuffix(strings.TrimRight(string(text), "\r\n"), " ends")
		}
	case gcode.Lay:
		x.reach(line, m)
		x.proud(line, a, m)
		x.drag(line, a, m)
		x.shape(line, m)
		x.lay(line, a, m)
	case gcode.Travel:
		x.reach(line, m)
		x.proud(line, a, m)
		x.drag(line, a, m)
		if a.MoveX || m.Pos != a.From {
			x.moved = true
		}
	case gcode.Pull:
		x.proud(line, a, m)
		if a.DE < -gcode.FromMM(pullSlack) && x.lays > 0 && x.over(m) && m.Pos[2] < x.ix.Layers[0].Z+gcode.FromMM(x.h.Top)+gcode.MM {
			x.find(layer.Grave, "filament-jump", line, "%s mm of filament are drawn back over the part at once. Is a G92 E missing before this line?", -a.DE)
		}
	case gcode.Push:
		x.push(line, a, m)
	case gcode.Home, gcode.Probe:
		x.home(line, c, a, m)
	case gcode.Motors:
		if x.lays > 0 && line < x.ix.Layers[len(x.ix.Layers)-1].Last {
			x.find(layer.Grave, "position-not-restored", line, "The motors are let go in the middle of the print; the printer does not know where it stands then.")
		}
	case gcode.Heat:
		x.heat(line, c, a)
	case gcode.Stop:
		s := Stop{Line: line, Word: c.Word(), Z: m.Pos[2].Millimetres(), Lift: math.Round((m.Pos[2].Millimetres()-x.h.Top)*1e4)/1e4 + 0, X: m.Pos[0].Millimetres(), Y: m.Pos[1].Millimetres()}
		x.waiting = append(x.waiting, s)
		if x.lays > 0 && !plan.DoesItAll(strings.ToUpper(s.Word)) && s.Lift < 1 && x.h.Under(s.X, s.Y) > 0 {
			x.find(layer.Care, "lift-too-low", line, "The head waits right on the part. Lift it and take it aside before the stop.")
		}
	case gcode.Unknown, gcode.Macro:
		if len(x.out.words) < 10000 {
			x.out.words = append(x.out.words, word{line, c.Word()})
		}
	}
}

// lay books a laying move, and looks at how much it lays.
func (x *examiner) lay(line int64, a *gcode.Act, m *gcode.Machine) {
	prime := line >= x.ix.Prime.First && line <= x.ix.Prime.Last
	mv := layer.Move{From: a.From, To: m.Pos, Line: line, Kind: gcode.Lay}
	if a.Arc.Turn != 0 {
		arc := a.Arc
		mv.Arc = &arc
	}
	if l := mv.Length(); l > 0.05 && !x.bond {
		r := a.Laid.Millimetres() / l
		if x.lays > 40 && !prime && r > rich*x.usual && a.Laid > gcode.MM/2 {
			x.find(layer.Grave, "filament-jump", line, "This move lays %s mm of filament, %.0f times as much as is usual here. Does the axis count from the start where the line counts in steps, or is a G92 E missing?", a.Laid, r/x.usual)
		} else if !prime {
			x.usual += (r - x.usual) / math.Min(float64(x.lays+1), 200)
		}
	}
	if m.Nozzle() < 170e6 {
		x.find(layer.Grave, "cold-extrusion", line, "Filament is laid while the nozzle is told to be at %s °C.", gcode.Nano(m.Nozzle()))
	} else if !m.Hot() {
		x.find(layer.Care, "cold-extrusion", line, "Filament is laid, but nothing has waited for the nozzle since it was cold.")
	}
	if prime || x.bond { // a bond pass belongs to the stop
		return
	}
	x.flush(line)
	x.lays++
	x.h.Add(&mv)
	x.last, x.moved = m.Pos, false
	x.waiting = x.waiting[:0]
}

// flush books the stops that stand in front of a laying move; 0 behind the last.
func (x *examiner) flush(line int64) {
	for i := range x.waiting {
		s := x.waiting[i]
		if line > 0 {
			s.Before = max(x.ix.At(line), 1)
		}
		if i > 0 && line > 0 && x.lays > 0 {
			x.find(layer.Note, "stop-already-there", s.Line, "The printer stops here (%s) although it has just stopped on line %d.", s.Word, x.waiting[i-1].Line)
		}
		x.out.Stops = append(x.out.Stops, s)
	}
}

// push looks at filament that is pushed out on the spot.
func (x *examiner) push(line int64, a *gcode.Act, m *gcode.Machine) {
	if a.Laid > 0 && m.Nozzle() < 170e6 {
		x.find(layer.Grave, "cold-extrusion", line, "Filament is pushed while the nozzle is told to be at %s °C.", gcode.Nano(m.Nozzle()))
	}
	if x.lays == 0 || a.Laid < gcode.FromMM(blob) || !x.over(m) {
		return
	}
	if m.Pos[2].Millimetres() > x.h.Top+1 {
		x.find(layer.Care, "prime-on-part", line, "%s mm of filament are pushed out above the part and fall onto it. Go aside first.", a.Laid)
		return
	}
	x.find(layer.Grave, "filament-jump", line, "%s mm of filament are pushed out on the spot, on the part.", a.Laid)
}

// over reports whether the head stands over the print's box.
func (x *examiner) over(m *gcode.Machine) bool { return over(x.ix.Box, m.Pos) }

func (x *examiner) home(line int64, c *gcode.Command, a *gcode.Act, m *gcode.Machine) {
	if x.lays == 0 {
		return
	}
	if line > x.ix.Layers[len(x.ix.Layers)-1].Last {
		return // behind the last layer it is the end code's
	}
	given := func(l byte) bool { return c.Has(l) || c.Bare(l) }
	onlyXY := a.Kind == gcode.Home && (given('X') || given('Y')) && !given('Z')
	switch {
	case !onlyXY:
		x.find(layer.Grave, "homes-onto-part", line, "The printer would feel for the bed with the part on it.")
	case a.From[2].Millimetres() < x.h.Top+0.2:
		x.find(layer.Grave, "drag", line, "The sides are homed with the head at %s mm; the part is %.2f mm high.", a.From[2], x.h.Top)
	}
}

func (x *examiner) heat(line int64, c *gcode.Command, a *gcode.Act) {
	if !a.Wait {
		return
	}
	bed := c.Code == 190
	v, down := float64(c.Value('S'))/1e6, false
	if !c.Has('S') {
		v, down = float64(c.Value('R'))/1e6, true
	}
	high := float64(hottest)
	what := "nozzle"
	if bed {
		high, what = hottestBed, "bed"
	}
	if v > high {
		x.find(layer.Grave, "never-reached-temperature", line, "The printer waits for the %s to be at %g °C, which it can hardly reach; it would wait for ever.", what, v)
	} else if down && v < coldest {
		x.find(layer.Grave, "never-reached-temperature", line, "The printer waits for the %s to cool down to %g °C; in a warm room it would wait for ever.", what, v)
	}
}

// reach looks whether the head can go where it is sent.
func (x *examiner) reach(line int64, m *gcode.Machine) {
	px, py, pz := m.Pos[0].Millimetres(), m.Pos[1].Millimetres(), m.Pos[2].Millimetres()
	if m.Known&3 == 3 && (px < x.bed[0]-0.01 || px > x.bed[2]+0.01 || py < x.bed[1]-0.01 || py > x.bed[3]+0.01) {
		x.find(layer.Care, "outside-bed", line, "X %.2f Y %.2f lies outside the bed.", px, py)
	}
	if m.Known&gcode.KnowZ != 0 && pz > x.top+0.01 {
		x.find(layer.Grave, "above-top", line, "Z %.2f lies above the printer's top of %g mm.", pz, x.top)
	}
}

// shape looks whether the side of the head, or the gantry, would hit what is
// printed already. It matters where objects are printed one after another; only
// a printer that says its shapes is looked at.
func (x *examiner) shape(line int64, m *gcode.Machine) {
	if x.pr == nil || x.ix.Kind != layer.Sequential || x.lays == 0 {
		return
	}
	z := m.Pos[2].Millimetres()
	px, py := m.Pos[0].Millimetres(), m.Pos[1].Millimetres()
	if r, free := x.pr.Head[0], x.pr.Head[1]; r > 0 && x.h.Top > z+free {
		if h, hx, hy := x.h.Highest(px, py, r, r); h > z+free {
			x.find(layer.Grave, "drag", line, "The side of the head would hit what stands at X %.0f Y %.0f: it is %.1f mm high, and %.1f mm are free under the head here. Print that object last, or further away.", hx, hy, h, z+free)
		}
	}
	if g := x.pr.Gantry; g > 0 && x.h.Top > z+g {
		if h, hx, hy := x.h.Highest(px, py, 10000, math.Max(x.pr.Head[0], 5)); h > z+g {
			x.find(layer.Grave, "drag", line, "The gantry would hit what stands at X %.0f Y %.0f: it is %.1f mm high, and %.1f mm are free under the gantry here.", hx, hy, h, z+g)
		}
	}
}

// graze looks whether a way that was put in crosses the part at its very top.
// The print's own travels may do so; with a stop between, the nozzle oozes and
// catches.
func (x *examiner) graze(line int64, a *gcode.Act, m *gcode.Machine, low float64) {
	for len(x.put) > 0 && line > x.put[0][1] {
		x.put = x.put[1:]
	}
	if len(x.put) == 0 || line < x.put[0][0] || a.Kind != gcode.Travel || !a.MoveX || x.lays == 0 || x.bond || low >= x.h.Top+0.1 || low < x.h.Top-dragTolerance {
		return
	}
	from, to := a.From, m.Pos
	l := math.Hypot((to[0] - from[0]).Millimetres(), (to[1] - from[1]).Millimetres())
	over := 0.0
	for d := 0.5; d < math.Min(l, 10000); d += 0.5 {
		px, py := from[0].Millimetres()+(to[0]-from[0]).Millimetres()*d/l, from[1].Millimetres()+(to[1]-from[1]).Millimetres()*d/l
		if x.h.Inside(px, py) > low-0.1 {
			over += 0.5
		}
	}
	if over >= 2 {
		x.find(layer.Care, "drag", line, "The head crosses %.0f mm of the part at its very top, %.2f mm. Lift it before it goes aside, and come back from above.", over, low)
	}
}

// drag looks whether the nozzle passes through what is printed.
func (x *examiner) drag(line int64, a *gcode.Act, m *gcode.Machine) {
	low := min(a.From[2], m.Pos[2]).Millimetres()
	x.graze(line, a, m, low)
	if x.lays == 0 || low >= x.h.Top-dragTolerance || m.Known != 7 {
		return
	}
	d := [3]float64{(m.Pos[0] - a.From[0]).Millimetres(), (m.Pos[1] - a.From[1]).Millimetres(), (m.Pos[2] - a.From[2]).Millimetres()}
	if d[0] == 0 && d[1] == 0 && d[2] >= 0 {
		return // straight up
	}
	n := int(math.Min(math.Hypot(d[0], d[1])/0.5, 20000)) + 1
	from := 0
	if d[0] == 0 && d[1] == 0 {
		from = n // straight down: only where it ends
	}
	for k := from; k <= n; k++ {
		t := float64(k) / float64(n)
		px, py, pz := a.From[0].Millimetres()+d[0]*t, a.From[1].Millimetres()+d[1]*t, a.From[2].Millimetres()+d[2]*t
		if a.Arc.Turn != 0 {
			px, py = a.Arc.At(t)
		}
		if h := x.h.Inside(px, py); h > pz+dragTolerance {
			x.find(layer.Grave, "drag", line, "The nozzle would run through the part at X %.1f Y %.1f: it passes at %.2f mm, the part is %.2f mm high there. Lift %.2f mm more, or go round.", px, py, pz, h, h-pz)
			return
		}
	}
}
