// Package proof says whether an edited file still lays the plastic that the original lays,
// and whether the printer comes through it: nothing cold, nothing hit, nothing forgotten.
//
// In go the two files; out comes a [Report] with findings. Both are run through the same
// machine, line by line. All lengths are integers of a nanometre, so "the same" means equal.
package proof

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
)

// Stop is a stop of a file and where the head is by then.
type Stop struct {
	Line int64  `json:"line"`
	Word string `json:"word"`
	// the layer that is laid next; 0 behind the last, nil inside one
	Before *int    `json:"before_layer"`
	Inside int     `json:"inside_layer,omitempty"` // the layer that goes on behind it
	Z      float64 `json:"z"`
	Lift   float64 `json:"lift"` // above the highest plastic
	X      float64 `json:"x"`
	Y      float64 `json:"y"`

	next int64 // line of the original behind it
	put  bool
}

// Examined is what a file does, apart from what another one does.
type Examined struct {
	Stops    []Stop
	Findings []finding.Finding
}

// Limits of what is let pass.
const (
	dragTolerance = 0.05 // mm that a nozzle may lie beside what it touches
	pullSlack     = 15.0 // mm drawn back over the part, beyond what firmware needs
	blob          = 0.05 // mm pushed out on the spot over the part that nobody sees
	rich          = 8.0  // times the usual filament a mm
	hottest       = 300  // °C that a nozzle may have, where the Kit says nothing else
	hottestBed    = 140
	coldest       = 35 // °C down to which something cools in a warm room
	maxOfOne      = 20 // findings of one code that are listed
	waitClear     = 2  // mm above the part at which the head may wait
	shortWait     = 2  // s that it may wait on the part
	longWait      = 3600
)

// Examine runs a file and looks for what could go wrong at the machine. pr may
// be nil; the bed is then one on which the print fits.
func Examine(ctx context.Context, src layer.Source, ix *layer.Index,
	pr *plan.Printer) (*Examined, error) {
	x := newExaminer(ix, pr, nil)
	x.absolute = true
	w := newWalker(ctx, src, ix, x)
	w.next = func() (Change, bool, error) { return Change{}, false, nil }
	if err := w.walk(); err != nil {
		return nil, err
	}
	x.end()
	return &Examined{Stops: w.r.Stops, Findings: w.r.Findings}, nil
}

// examiner runs the edited file against a height map of what has been printed.
// The map is drawn only when something is asked of it.
type examiner struct {
	w        *walker
	box      [4]gcode.Nano
	pr       *plan.Printer
	limits   [4]float64 // of the bed, or of what the file itself reaches
	known    bool       // the bed is known
	named    [4]float64 // the bed as the file names it, where the printer's is known; else zero
	top      float64
	counts   map[string]int
	absolute bool // the file is examined as it is
	progress func(line int64)

	bed []piece // what has been laid
	h   *raster.Heights

	lays    int64
	usual   float64       // filament a mm, running
	waiting []Stop        // stops behind the last laying move
	last    [3]gcode.Nano // where the last laying move ended
	stated  bool          // some line has said how hot the nozzle is

	homed  [2]uint8 // axes whose place was found, of the original and of the edited file
	macro  bool     // a word that may have found it was carried out
	early  []int64  // lines put in that move a head nobody has homed
	off    int64    // line put in that let go of the motors
	unmesh int64    // line put in that homes, and may have switched the mesh off
	silent bool     // the original let go of them
	lifted []string // settings by which a joint lifts everything
	kept   bool     // the motors were held: the place is known without homing
	looks  bool     // a cold nozzle stops where one is to look at it

	own map[string]bool // words not known here that the original uses

	standing []standing
	nozzle   insert.Nozzle

	sunk   bool          // what a jump has moved lies in part or bed, and that was said
	lowest [2]gcode.Nano // over the part, and anywhere, since the height is known
	homes  bool          // Z is homed
}

func newExaminer(ix *layer.Index, pr *plan.Printer, in []standing) *examiner {
	x := &examiner{box: ix.Box, pr: pr, standing: in, nozzle: insert.NozzleOf(pr),
		counts: map[string]int{}}
	x.lowest = [2]gcode.Nano{math.MaxInt64, math.MaxInt64}
	x.reachOf(ix)
	return x
}

// reachOf works out where the head may go: over the bed, when it is known and
// the print fits onto it, else where the file itself goes.
func (x *examiner) reachOf(ix *layer.Index) {
	b := Millimetres(ix.Box)
	x.top = math.Max(plan.Generic().Top, ix.Height().Millimetres()+80)
	if p := x.pr; p != nil && !p.Assumed {
		x.limits, x.top = p.Bed, p.Top
		x.known = b[0] >= p.Bed[0] && b[1] >= p.Bed[1] && b[2] <= p.Bed[2] && b[3] <= p.Bed[3]
		if x.known {
			x.named, _ = ix.NamedBed()
			return
		}
	}
	if bed, ok := ix.NamedBed(); ok {
		x.limits, x.known = bed, true
		return
	}
	x.limits = ix.ReachOf()
}

// Millimetres turns a box into mm.
func Millimetres(b [4]gcode.Nano) (out [4]float64) {
	for k := range b {
		out[k] = b[k].Millimetres()
	}
	return out
}

func (x *examiner) find(level finding.Level, code string, line int64, format string, args ...any) {
	if x.counts[code]++; x.counts[code] > maxOfOne {
		return
	}
	f := finding.Finding{Level: level, Code: code, Line: max(line, 1),
		Message: fmt.Sprintf(format, args...),
		Ear:     x.w.marks.inside, Original: max(x.w.oLine, 1)}
	for _, o := range x.w.r.Findings[max(0, len(x.w.r.Findings)-40):] {
		if o.Code == f.Code && o.Line == f.Line {
			return // said already
		}
	}
	x.w.r.Findings = append(x.w.r.Findings, f)
}

// counted is how many findings there are so far.
func (x *examiner) counted() int {
	n := 0
	for _, k := range x.counts {
		n += k
	}
	return n
}

// lifts reports whether a setting is one by which a joint lifts everything.
func (x *examiner) lifts(word string) bool {
	return slices.ContainsFunc(x.lifted, func(l string) bool { return strings.HasPrefix(l, word) })
}

// every reports whether each line must be looked at by itself.
func (x *examiner) every() bool {
	if x.absolute || x.w.jump.Shift[2] != x.w.jump.Tip {
		return true
	}
	for i := range x.standing {
		s := &x.standing[i]
		if s.from > 0 && x.w.m.Pos[2].Millimetres() <= s.watch.Top()+1 {
			return true
		}
	}
	return false
}

// layerAt is the layer that a line of the original belongs to.
func (x *examiner) layerAt() int { return max(x.w.ix.At(x.w.oLine), 1) }

// copied looks at a line that both files have. b is what the original does there;
// nil where both stand alike.
func (x *examiner) copied(c *gcode.Command, a, b *gcode.Act) {
	w := x.w
	switch a.Kind {
	case gcode.Lay:
		x.moved(c, a, b)
		x.laid(a)
	case gcode.Travel, gcode.Pull, gcode.Push:
		x.moved(c, a, b)
	case gcode.Home, gcode.Probe, gcode.Macro, gcode.Unknown, gcode.SetAxis:
		x.found(c, a, 0)
		x.found(c, a, 1)
		if x.absolute || b != nil {
			x.home(w.mLine, c, a)
		}
	case gcode.Motors:
		x.silent = true
		if x.absolute && x.lays > 0 && w.oLine < w.ix.Layers[len(w.ix.Layers)-1].Last {
			x.find(finding.Stop, "motors-off", w.mLine,
				"The motors are let go in the middle of the print; the printer does not know where it stands "+
					"then.")
		}
	case gcode.Heat:
		x.stated = true
		if x.absolute {
			x.heat(w.mLine, c, a)
		}
	case gcode.Stop:
		x.stop(c, false)
	case gcode.Dwell:
		if x.absolute && a.Dwell > longWait {
			x.find(finding.Care, "long-wait", w.mLine, "The printer waits for %.1f hours.", a.Dwell/3600)
		}
	}
}

// moved looks at a movement that both files have, where there is reason to.
func (x *examiner) moved(c *gcode.Command, a, b *gcode.Act) {
	w := x.w
	x.depth(a)
	if len(x.early) > 0 || x.homed[0] != x.homed[1] {
		x.unhomed(a)
	}
	if x.off > 0 && a.Kind == gcode.Lay {
		x.find(finding.Stop, "motors-off", x.off,
			"The motors are let go in the middle of the print; the "+
				"printer does not know where it stands then.")
		x.off = 0
	}
	x.proud(w.mLine, a, &w.m)
	x.sinks(a, false)
	switch {
	case x.absolute:
		x.reach(w.mLine, false)
		x.drag(w.mLine, a, &w.m.State, false)
		if a.Kind == gcode.Lay {
			x.shape(w.mLine, &w.m.State)
			x.much(w.mLine, a)
			x.warm(w.mLine)
		}
		if a.Kind == gcode.Push {
			x.push(w.mLine, a)
		}
		if a.Kind == gcode.Pull {
			x.pull(w.mLine, a)
		}
	case b != nil:
		if x.dragged(b, &w.o.State, false, true) == nil {
			x.drag(w.mLine, a, &w.m.State, false)
		}
	case w.jump.Shift[2] != w.jump.Tip && !x.sunk:
		if h := x.dragged(a, &w.m.State, true, true); h != nil {
			x.sunk = true // it is the same for all that follows
			x.find(finding.Stop, "drag", w.mLine, "From here on the file is laid too low: the nozzle would "+
				"run through the part at X %.1f Y %.1f, at %.2f mm, where it is %.2f mm "+
				"high.", h[0], h[1], h[2], h[3])
		}
	}
}

// putIn looks at a line that was putIn in.
func (x *examiner) putIn(text []byte, c *gcode.Command, a *gcode.Act, before *gcode.State) {
	w := x.w
	line := w.mLine
	switch a.Kind {
	case gcode.Lay, gcode.Travel, gcode.Pull, gcode.Push:
		x.depth(a)
		x.reach(line, true)
		x.sinks(a, true)
		if !w.marks.bond {
			x.proud(line, a, &w.m)
		}
		x.drag(line, a, &w.m.State, true)
		x.graze(line, a)
		x.headed(line, a)
		x.adrift(line, a)
		switch a.Kind {
		case gcode.Lay:
			if w.marks.bond {
				x.warm(line)
			} else if x.crossesBox(a.From, w.m.Pos) {
				x.much(line, a)
				x.warm(line)
				x.laid(a)
			} else {
				x.warm(line)
			}
		case gcode.Push:
			if a.DE > 0 && x.stated && w.m.Nozzle() < gcode.Cold {
				x.warm(line) // even to give back filament takes heat
			}
			x.push(line, a)
		case gcode.Pull:
			x.pull(line, a)
		}
	case gcode.Home, gcode.Probe:
		x.home(line, c, a)
		x.found(c, a, 1)
		if a.Kind == gcode.Home && w.m.Mesh() != "" {
			x.unmesh = line
		}
	case gcode.Lasting:
		if c.Is('M', 420) {
			x.unmesh = 0
		}
	case gcode.SetAxis, gcode.Macro:
		x.found(c, a, 1)
	case gcode.Motors:
		x.off = line
	case gcode.Heat:
		x.heat(line, c, a)
		x.heatOnPart(line, c, a, before)
		x.off0(line, c)
		x.stated = true
	case gcode.Dwell:
		x.dwell(line, a)
	case gcode.Stop:
		x.stop(c, true)
	}
	x.word(line, c, a)
}

// cut looks at a line that the edited file does not have.
func (x *examiner) cut(c *gcode.Command, a *gcode.Act) {
	switch a.Kind {
	case gcode.Home, gcode.SetAxis, gcode.Probe, gcode.Macro, gcode.Unknown:
		x.uses(c, a)
		x.found(c, a, 0)
	}
}
