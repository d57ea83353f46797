package plan

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"

	"dogear/core/gcode"
)

// Printer is what must be known of a printer to stop it. Lengths in mm.
type Printer struct {
	Name string `json:"name,omitempty"`
	// min x, min y, max x, max y; the origin is 0, 0
	Bed  [4]float64 `json:"bed"`
	Top  float64    `json:"top"`  // highest the nozzle can go
	Park [2]float64 `json:"park"` // where the head waits
	// further places to park at, by name
	Places map[string][2]float64 `json:"places,omitempty"`
	// G90 and G91 switch the filament axis too
	G90MovesE *bool             `json:"g90_moves_e,omitempty"`
	Stop      map[string]string `json:"stop,omitempty"` // word by kind of ear
	// name of a routine by kind of ear
	Routine      map[string]string `json:"routine,omitempty"`
	SettleBefore []string          `json:"settle_before,omitempty"`
	SettleAfter  []string          `json:"settle_after,omitempty"`
	// how everything behind is lifted by {dz} mm; by G92 when empty
	Shift []string `json:"shift,omitempty"`
	// it has nothing to make a tone with
	Silent bool `json:"silent,omitempty"`
	Blank  bool `json:"blank,omitempty"` // it shows no messages
	// how it is told to go on, if that is odd
	Resume string `json:"resume,omitempty"`
	// how far it reaches to each side of the nozzle, and how much is free under that; 0 when not
	// known
	Head [2]float64 `json:"head,omitzero"`
	// of what runs across the whole bed, above the nozzle; 0 when not known
	Gantry float64 `json:"gantry,omitempty"`
	// words it understands besides those of every printer
	Knows []string `json:"knows,omitempty"`
	// stop words at which it was seen to go straight on
	Ignores []string `json:"ignores,omitempty"`
	// lines that keep motors and heaters on while it waits; they stand in front of each stop
	StayAwake []string `json:"stay_awake,omitempty"`
	// minutes for which it then keeps its place while it waits; 0 when not known
	Holds float64 `json:"holds,omitempty"`
	// Pace is how many seconds pass for one of a file's estimate, as so many prints (Paced) that
	// were watched have shown; 0 for not known.
	Pace  float64 `json:"pace,omitempty"`
	Paced int     `json:"paced,omitempty"`
	// the day on which a handshake told how it stops: 2006-01-02
	Asked string `json:"asked,omitempty"`
	// °C its nozzle may have; 0 means 300
	Hottest float64 `json:"hottest,omitempty"`
	// it honours no stop behind the mark or the clock of a layer
	StopBeforeMark bool `json:"stop_before_mark,omitempty"`
	// X and Y are homed again once somebody has swapped the nozzle
	HomesAfterSwap bool `json:"home_after_swap,omitempty"`
	// it refuses to move before it has homed
	HomesFirst bool `json:"homes_first,omitempty"`
	// nobody has said that bed, top and park place are so
	Assumed bool `json:"assumed,omitempty"`
}

// Called is what a sentence calls the printer: by its name, if it has one.
func (p *Printer) Called() string {
	if p.Name == "" || p.Name == Generic().Name {
		return "the printer"
	}
	return "“" + p.Name + "”"
}

// StopWord returns how this printer is told to stop for a kind of ear.
func (p *Printer) StopWord(kind string) string {
	if w := p.Stop[kind]; w != "" {
		return w
	}
	return "M0"
}

// plainStops are stop words that every printer is taken to know.
var plainStops = []string{"M0", "M1", "M25", "G4"}

// KnowsStop reports whether the printer is known to stop at a word: it is one
// of every printer, one that it is told to stop with, or one that it is said to
// know. What a host answers to (@…) is not the printer's to know.
func (p *Printer) KnowsStop(word string) bool {
	first := stopName(word)
	if p.IgnoresStop(word) {
		return false
	}
	if first == "" || first[0] == '@' || slices.Contains(plainStops, first) {
		return true
	}
	for _, k := range p.Knows {
		if stopName(k) == first {
			return true
		}
	}
	for _, k := range p.Stop {
		if stopName(k) == first {
			return true
		}
	}
	return false
}

// IgnoresStop reports whether the printer was seen to go straight on at a stop word.
func (p *Printer) IgnoresStop(word string) bool {
	first := stopName(word)
	return first != "" && slices.ContainsFunc(p.Ignores,
		func(w string) bool { return stopName(w) == first })
}

// Generic is the printer that is used when a plan names none.
func Generic() *Printer {
	return &Printer{Name: "generic printer", Bed: [4]float64{0, 0, 220, 220}, Top: 250,
		Park: [2]float64{5, 210}, Assumed: true}
}

// Check says what is wrong with a printer, and puts in the generic one's bed
// and top where it is silent.
func (p *Printer) Check() error {
	g := Generic()
	if p.Bed == ([4]float64{}) {
		p.Bed, p.Assumed = g.Bed, true
		if p.Park == ([2]float64{}) {
			p.Park = g.Park
		}
	}
	if p.Top <= 0 {
		p.Top = g.Top
	}
	b := p.Bed
	if b[0] >= b[2] || b[1] >= b[3] {
		return errors.New("the printer's bed has no size")
	}
	for _, v := range append(b[:], p.Top, p.Park[0], p.Park[1]) {
		if !within(v, -farthest, farthest) {
			return fmt.Errorf("%g mm is out of range; the bed, the top and the park place lie within %d "+
				"mm", v, farthest)
		}
	}
	for _, v := range []float64{p.Head[0], p.Head[1], p.Gantry} {
		if !within(v, 0, 1000) {
			return fmt.Errorf("%g mm is out of range for a head", v)
		}
	}
	for name, at := range p.Places {
		if !within(at[0], -farthest, farthest) || !within(at[1], -farthest, farthest) {
			return fmt.Errorf("the place %q is out of range", name)
		}
	}
	if err := CheckLines("a line", slices.Concat(p.SettleBefore, p.SettleAfter, p.Knows,
		p.Shift, p.Ignores, p.StayAwake)...); err != nil {
		return err
	}
	for _, l := range p.StayAwake {
		if err := checkAwake(l); err != nil {
			return err
		}
	}
	if p.Pace != 0 && !within(p.Pace, 0.25, 4) || p.Paced < 0 {
		return fmt.Errorf("%g is out of range for how much longer a printer takes", p.Pace)
	}
	if !within(p.Holds, 0, 10000) {
		return fmt.Errorf("%g min is out of range for how long a printer keeps its place", p.Holds)
	}
	if p.Hottest != 0 && !within(p.Hottest, 150, 600) {
		return fmt.Errorf("%g °C is out of range for the hottest a nozzle may be; say 150 to 600",
			p.Hottest)
	}
	for kind, w := range p.Stop {
		if !isKind(kind) {
			return fmt.Errorf("there is no kind of ear %q to stop for", kind)
		}
		if err := CheckStop(w); err != nil {
			return err
		}
	}
	return nil
}

func isKind(k string) bool { return slices.Contains(Kinds, k) }

func within(v, low, high float64) bool { return v >= low && v <= high && !math.IsNaN(v) }

// Dialect says what the printer does otherwise than most, as far as that changes what a
// file means.
func (p *Printer) Dialect() gcode.Dialect {
	d := gcode.Dialect{KeepE: p.G90MovesE != nil && !*p.G90MovesE}
	for _, kind := range slices.Sorted(maps.Keys(p.Stop)) {
		d.StopWords = withStop(d.StopWords, p.Stop[kind])
	}
	return d
}

// Dialect is that of the plan's printer, which also stops at the words of its ears.
func (p *Plan) Dialect() gcode.Dialect {
	var d gcode.Dialect
	if p.Printer != nil {
		d = p.Printer.Dialect()
	}
	for i := range p.Ears {
		d.StopWords = withStop(d.StopWords, p.Ears[i].Stop)
	}
	return d
}

// withStop adds the word with which a stop begins. A timed wait is none: other lines of
// the file may wait too.
func withStop(words []string, line string) []string {
	w := stopName(line)
	if w == "" || w == "G4" || usualStop(w) || slices.Contains(words, w) {
		return words
	}
	return append(words, w)
}

// usualStop reports whether every printer is taken to stop at a word.
func usualStop(w string) bool {
	switch w {
	case "M0", "M1", "M25", "M226", "M600", "M601", "PAUSE", "@PAUSE":
		return true
	}
	return false
}
