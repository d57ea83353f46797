package routine

import (
	"fmt"
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
)

// Fold is a place in a file where an ear sits.
type Fold struct {
	Line   int64 // the stop stands in front of this line
	Offset int64 // its byte offset
	Layer  int   // the layer that comes next, or in which the fold lies
	Inside bool  // the fold lies inside that layer
	At     gcode.State
	// Next is where the next path begins, when the way there is an absolute
	// travel; the head may then land there.
	Next    [2]gcode.Nano
	HasNext bool
	NextZ   bool    // and the file names its height too before it lays again
	Low     bool    // the head stands lower than its layer lies: fill or a tower was laid last
	Seconds float64 // into the print
	// Again is the layer under the fold, for a bond pass; only set when one is
	// asked for and makes sense.
	Again []layer.Move
	// Before is the key of the filament that is laid up to here.
	Before string
	Opens  bool // it is the first ear of the file
	// Own is the nozzle temperature the file itself has here, °C, when a
	// filament with one of its own is in force; a filament that says nothing
	// goes back to it.
	Own float64
	// Goal is the state to leave behind, and Joint its title, where another file
	// goes on: see [Joint].
	Goal  *gcode.State
	Joint *Joint
}

// FeedZ and the others are speeds of our own movements, mm/min: what small and large printers
// can do.
const (
	FeedZ    = 600
	feedXY   = 7200
	feedE    = 2100
	feedLoad = 240
	piece    = 100 * gcode.MM // longest filament step firmware accepts
)

type compiler struct {
	Script
	was   gcode.State // at the fold
	goal  gcode.State // behind the block; at an ear the same
	shift gcode.Nano  // by which everything behind it is lifted
	lifts []string    // lines of the printer that do so
	box   [4]gcode.Nano
	plan  *plan.Plan
	ear   *plan.Ear
	finds []finding.Finding
	fold  Fold

	warm      float64    // °C the new filament wants; 0 when it says nothing
	coming    bool       // the nozzle is on its way there
	pulled    gcode.Nano // debt to have while away
	said      string     // message waiting for its stop
	all       bool       // the printer does it all
	blind     bool       // the file does not say how hot the nozzle is,
	toldBlind bool       // and it was said
	drawn     gcode.Nano // filament drawn out and not yet fed in again
	steps     plan.Routine
	merged    bool     // the wait of this ear stands with the one behind it
	carried   []string // messages of ears before whose wait is this one
}

// usualBond is the flow of a bond pass that says none.
const usualBond = 0.3

// Compiled is what becomes of one ear.
type Compiled struct {
	Steps    plan.Routine
	Lines    []Line
	Findings []finding.Finding
}

// Compile returns the lines of one ear. box is what the print lays, in machine
// coordinates.
func Compile(f Fold, box [4]gcode.Nano, p *plan.Plan, e *plan.Ear, st Style) ([]Line,
	[]finding.Finding, error) {
	out, err := CompileStop(f, box, p, []*plan.Ear{e}, st)
	if err != nil {
		return nil, nil, err
	}
	return out[0].Lines, out[0].Findings, nil
}

// CompileStop works out the lines of all ears at one fold, in the order in which they are
// given: one stop.
func CompileStop(f Fold, box [4]gcode.Nano, p *plan.Plan, ears []*plan.Ear, st Style) (
	[]Compiled, error) {
	steps, merged, err := together(p, ears)
	if err != nil {
		return nil, err
	}
	c := &compiler{Script: Script{style: st, now: Frame}, was: f.At, goal: f.At, box: box, plan: p,
		fold: f}
	if f.Goal != nil {
		c.goal, c.shift = *f.Goal, f.Joint.DZ
	}
	c.m.State = f.At
	c.m.StopWords, c.m.KeepE = p.Dialect().StopWords, p.Dialect().KeepE
	c.pulled = f.At.Debt
	c.blind = !f.At.Stated() && !f.At.Hot()
	var out []Compiled
	for i, e := range ears {
		c.ear, c.steps, c.merged = e, steps[i], merged[i]
		c.lines, c.finds, c.now = nil, nil, Frame
		if err := c.compile(i == len(ears)-1); err != nil {
			return nil, &plan.Error{Ear: e.ID, Err: err}
		}
		out = append(out, Compiled{steps[i], c.lines, c.finds})
		c.fold.Opens = false
	}
	return out, nil
}

// compile works out the lines of the next ear at a fold.
func (c *compiler) compile(last bool) error {
	e, f, p, st := c.ear, &c.fold, c.plan, c.style
	if c.warm = Wants(p, e, f.Layer); c.warm == 0 && e.Kind == plan.Colour && e.Filament != "" {
		c.warm = f.Own
	}
	if f.Joint != nil {
		c.warm = 0 // the piece that comes says itself how hot it wants to be
	}
	c.all = len(c.steps) > 0 && plan.DoesItAll(p.StopOf(e))
	begins, ends := mark.Mark{Kind: mark.Ear, ID: e.ID, Title: c.title()}, mark.Mark{Kind: mark.Ear,
		ID: e.ID}
	if f.Joint != nil {
		begins.Kind, begins.Title, ends.Kind = mark.Joint, clean(f.Joint.Title), mark.Joint
	}
	c.Mark(begins, "ours begins here")
	if f.Joint == nil {
		ends.Kept = c.remembered()
	}
	if !st.Plain {
		c.remember(ends.Kept)
	}
	c.metric()
	c.countSteps("filament counts in steps while we are away")
	bonded := e.BondPass == nil
	for i, s := range c.steps {
		c.now = i
		if !bonded && s.Do == "return" {
			c.bond(e.BondPass.Flow)
		}
		bonded = bonded || s.Do == "bond"
		if s.Do == "bond" && e.BondPass != nil {
			s.Flow = e.BondPass.Flow
		}
		if err := c.compileStep(s); err != nil {
			return err
		}
	}
	if c.merged { // it is said at the wait that comes
		c.carried, c.said = append(c.carried, c.said), ""
	} else if !last {
		c.announce()
	}
	c.now = Frame
	c.Seal(ends)
	if last {
		c.check()
	}
	c.foresee()
	return nil
}

// title says in words what the ear does.
func (c *compiler) title() string {
	place := fmt.Sprintf("before layer %d", c.fold.Layer)
	if c.fold.Inside {
		place = fmt.Sprintf("inside layer %d", c.fold.Layer)
	}
	switch c.ear.Kind {
	case plan.Colour:
		if c.ear.Filament == "" {
			return "stop " + place
		}
		return clean(c.plan.FilamentName(c.ear.Filament)) + " " + place
	case plan.Insert:
		return "something goes in " + place
	case plan.Nozzle:
		return "nozzle swap " + place
	}
	return "own lines " + place
}

func (c *compiler) find(level finding.Level, code, message string) {
	c.finds = append(c.finds, finding.Finding{Level: level, Code: code, Line: c.fold.Line,
		Message: message})
}

// speedOr returns a feed in mm/min.
func speedOr(mms, otherwise float64) float64 {
	if mms > 0 {
		return math.Round(mms * 60)
	}
	return otherwise
}

func (c *compiler) compileStep(s plan.Step) error {
	switch s.Do {
	case "say", "tone", "restore":
	default: // lines of the user's own may have changed how things are counted
		c.metric()
		c.countSteps("filament counts in steps again")
	}
	switch s.Do {
	case "say":
		c.say(s.Text)
	case "tone":
		c.tone(s)
	case "retract":
		c.retract(s)
	case "lift":
		c.lift(s.MM)
	case "park":
		c.park(s)
	case "fan":
		if s.Percent != nil {
			p := max(0, min(100, *s.Percent))
			c.addLine(fmt.Sprintf("M106 S%d", int(math.Round(p*2.55))), fmt.Sprintf("fan at %g %%", p))
		} else {
			c.fan()
		}
	case "heat", "cool":
		c.heater(s)
	case "wait":
		c.wait(s)
	case "stop":
		c.stop()
	case "unload":
		c.unload(s)
	case "load":
		c.load(s)
	case "purge":
		c.purge(s)
	case "wipe":
		c.wipe()
	case "lines":
		c.own(s.Lines)
	case "bond":
		c.bond(or(s.Flow, usualBond))
	case "return":
		c.comeBack()
	case "restore":
		c.restore()
	default:
		return fmt.Errorf("there is no step %q", s.Do)
	}
	return nil
}

func or(v, otherwise float64) float64 {
	if v > 0 {
		return v
	}
	return otherwise
}
