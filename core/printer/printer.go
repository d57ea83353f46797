// Package printer is a printer that ships with Dogear: it runs a file in
// simulated time, so that nobody has to find out at the machine.
//
// In go a file with its index and a Kit printer; out come events, what a person
// would see on the display, and what lies on the bed. Time passes only when it
// is told to: [Printer.Run] goes as far as it is asked.
//
//	file ──▶ read ahead (buffer) ──▶ carried out ──▶ plastic on the bed
//	              │                       │
//	         a late stop word         heaters, fan, display
//
// The printer reads a few lines ahead of the one it carries out. A stop word that
// it honours only when those have run (M25) therefore comes late, unless something
// behind it makes the buffer empty: M400, a wait, a heater.
//
// It does what it is told, and says so when that does harm: laying cold, homing into
// the part, leaving its limits, moving after its motors were let go.
package printer

import (
	"fmt"
	"io"
	"math"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// States of the printer.
const (
	Printing = "printing"
	Heating  = "heating" // waits for a temperature
	Waiting  = "waiting" // for a person
	Stopped  = "stopped" // by a sensor, or because somebody pressed stop
	Dead     = "dead"    // without power
	Done     = "done"
)

// Event is something that happens.
type Event struct {
	Time float64 `json:"time"` // s since the start
	Line int64   `json:"line"`
	// message, tone, parks, ignored, stop, resume, layer, hot, motors, harm, fault, done
	Kind string `json:"kind"`
	Text string `json:"text"`
}

// Laid is a move that left plastic where the nozzle really was.
type Laid struct {
	Line     int64
	From, To [3]gcode.Nano
	Amount   gcode.Nano
}

// Printer is a printer with a file. The zero value is of no use; see [New].
type Printer struct {
	State  string
	Time   float64 // s since the start
	Line   int64   // carried out last
	Layer  int     // that is being laid
	Events []Event // since they were last taken

	src   layer.Source
	ix    *layer.Index
	pr    *plan.Printer
	lines *gcode.Scanner
	c     gcode.Command
	a     gcode.Act
	m     gcode.Machine

	nozzle, bed heater
	// lines read ahead that still run before a stop is honoured; 0 for none
	late     int
	lateAt   string          // the word it is
	lost     bool            // the motors were let go: nobody knows where the head stands
	said     map[string]bool // harm that goes on and was told
	took     []float64       // how long each move of the present layer takes
	tookLine []int64         // and on which line it stands
	tookAt   int             // the one that comes next
	faults   []Fault
	jammed   bool
	skip     [3]gcode.Nano // by which steps were lost
	keep     func(Laid)
	laidTop  gcode.Nano
	off      int64 // bytes read
	laid     int64
	message  string
	lastLaid int64 // line of the last move that left plastic
	habits   *Habits
	rested   float64 // s that it has waited at the present stop
	awake    float64 // s for which it was told to keep its motors on
}

// ahead is how many lines the printer has read beyond the one it carries out.
const ahead = 4

// limit is the temperature at which a printer switches itself off, °C, where the Kit
// says nothing else.
const limit = 300

// New puts a file into a printer that is cold. Every move that leaves plastic is
// given to keep, which may be nil.
func New(src layer.Source, ix *layer.Index, pr *plan.Printer, keep func(Laid)) *Printer {
	if pr == nil {
		pr = plan.Generic()
	}
	p := &Printer{State: Printing, src: src, ix: ix, pr: pr, keep: keep,
		nozzle: heater{room, 0, 2.4, 1}, bed: heater{room, 0, 0.55, 0.06}}
	p.lines = gcode.NewScanner(io.NewSectionReader(src, 0, src.Size()))
	p.m = gcode.NewMachine(pr.Dialect())
	return p
}

func (p *Printer) say(kind, text string) {
	p.Events = append(p.Events, Event{p.Time, p.Line, kind, text})
}

// Take returns the events since it was last called.
func (p *Printer) Take() []Event {
	e := p.Events
	p.Events = nil
	return e
}

// Run goes on until the time has come, or until the printer waits, stops or is
// done. It reports whether it would go on.
func (p *Printer) Run(until float64) bool {
	for (p.State == Printing || p.State == Heating) && p.Time < until {
		if !p.next() {
			break
		}
	}
	return p.State == Printing || p.State == Heating
}

// Resume is a person who tells the printer to go on.
func (p *Printer) Resume() {
	if p.State == Waiting {
		p.State = Printing
		p.say("resume", "goes on")
	}
}

// next carries out one line.
func (p *Printer) next() bool {
	p.State = Printing
	if !p.lines.Scan(&p.c) {
		p.State = Done
		p.say("done", "the print is done")
		return false
	}
	p.Line++
	p.off += int64(len(p.lines.Text()))
	if p.c.Letter == 0 {
		return p.due()
	}
	p.m.Exec(&p.c, &p.a)
	a := &p.a
	if p.late > 0 {
		if p.late--; p.late == 0 {
			defer p.wait(p.lateAt)
		}
	}
	switch a.Kind {
	case gcode.Lay, gcode.Travel, gcode.Pull, gcode.Push:
		p.move()
	case gcode.Home, gcode.Probe:
		p.empty()
		p.pass(8)
		p.home()
	case gcode.Dwell:
		p.empty()
		p.pass(a.Dwell)
	case gcode.Heat:
		p.heat()
	case gcode.Message:
		p.show(string(p.c.Text))
	case gcode.Stop:
		p.stop()
	case gcode.Motors:
		p.empty()
		p.lost = true
		p.say("motors", "the motors are let go")
	default:
		switch {
		case p.c.Is('M', 112), p.c.Is('M', 999), p.c.Is('M', 2), p.c.Is('M', 30):
			p.State = Stopped
			p.say("fault", p.c.Word()+" ends everything")
		case p.c.Is('M', 81):
			p.fail(Fault{Kind: "power"})
		case p.c.Is('M', 410):
			p.say("harm", "M410 throws away the moves that are planned")
		case (p.c.Is('M', 84) || p.c.Is('M', 18)) && p.c.Has('S'):
			p.stayAwake()
		case p.c.Is('M', 300):
			if p.habits == nil || !p.habits.Silent {
				p.say("tone", fmt.Sprintf("%g Hz", float64(p.c.Value('S'))/1e6))
			}
			p.pass(float64(p.c.Value('P')) / 1e9)
		case p.c.Is('M', 400):
			p.empty()
		}
	}
	return p.due()
}

// empty is called when the buffer runs empty; a late stop is honoured then.
func (p *Printer) empty() {
	if p.late > 0 {
		p.late = 0
		p.wait(p.lateAt)
	}
}

// once says that something does harm, when it begins; on is whether it goes on.
func (p *Printer) once(what string, on bool, text string) {
	if on && !p.said[what] {
		p.say("harm", text)
	}
	if p.said == nil {
		p.said = map[string]bool{}
	}
	p.said[what] = on
}

// show puts a message on the display, if there is one.
func (p *Printer) show(text string) {
	if p.habits == nil || !p.habits.Blank {
		p.message = text
		p.say("message", text)
	}
}

// stop honours a stop word in the way of this printer, or goes straight on.
func (p *Printer) stop() {
	word := strings.ToUpper(p.c.Word())
	if (word == "M0" || word == "M1") && len(p.c.Text) > 0 && p.honours() {
		p.show(string(p.c.Text))
	}
	p.late = 0
	switch {
	case !p.honours():
		p.say("ignored", word+": goes straight on")
		return
	case p.isLate():
		p.late = ahead
		p.lateAt = word
		return
	case p.isAlone():
		p.say("parks", "the printer parks and asks for filament")
		p.pass(20)
	}
	p.wait(word)
}

// move carries out a move: how long it takes is what the planner says, within
// layers; elsewhere by its length and feed.
func (p *Printer) move() {
	a := &p.a
	// Layers follow one another: the next one is looked at first.
	if n := p.Layer + 1; n <= len(p.ix.Layers) && p.Line >= p.ix.Layers[n-1].Fold {
		n = p.ix.At(p.Line)
		p.Layer = n
		p.plan(n)
		p.say("layer", fmt.Sprintf("layer %d", n))
	}
	for p.tookAt < len(p.tookLine) && p.tookLine[p.tookAt] < p.Line {
		p.tookAt++
	}
	var s float64
	if p.tookAt < len(p.tookLine) && p.tookLine[p.tookAt] == p.Line {
		s = p.took[p.tookAt]
	} else {
		feed := math.Max(p.m.Feed.Millimetres()/60, 1)
		d := 0.0
		for k := range a.From {
			v := (p.m.Pos[k] - a.From[k]).Millimetres()
			d += v * v
		}
		if d = math.Sqrt(d); d == 0 {
			d = math.Abs(a.DE.Millimetres())
		}
		s = d / feed
	}
	p.pass(s)
	p.limits()
	if a.Laid > 0 {
		p.once("cold", p.nozzle.now < 165, fmt.Sprintf("lays filament with the nozzle at %.0f °C: it "+
			"will not stick, if it comes at all", p.nozzle.now))
	}
	if a.Kind != gcode.Lay || p.jammed {
		return
	}
	p.lastLaid = p.Line
	p.laid++
	p.laidTop = max(p.laidTop, p.m.Pos[2])
	if p.keep != nil {
		l := Laid{Line: p.Line, From: a.From, To: p.m.Pos, Amount: a.Laid}
		for k := range p.skip {
			l.From[k] += p.skip[k]
			l.To[k] += p.skip[k]
		}
		p.keep(l)
	}
}

func or(v, otherwise float64) float64 {
	if v > 0 {
		return v
	}
	return otherwise
}
