package gcode

import (
	"maps"
	"math"
	"slices"
)

// Axes known, bits of [State.Known].
const (
	KnowX = 1 << iota
	KnowY
	KnowZ
)

// State is everything the machine remembers. A copy is a snapshot: what it
// points to is shared and never changed in place.
//
// Positions are machine positions: the coordinate a file names plus the offset
// that G92 made. The zero value is a metric machine in absolute modes that has
// not been homed.
type State struct {
	Pos    [3]Nano // X, Y, Z
	Off    [3]Nano // Pos = the file's number + Off
	E      Nano    // filament axis, summed over the whole file, in its unit: mm, or mm³
	OffE   Nano    // E = the file's number + OffE
	Debt   Nano    // filament pulled back and not yet given back, active tool, mm
	Feed   Nano    // per minute
	Fan    int64   // part fan, millionths of the S value (255 is full)
	Top    Nano    // highest Z at which something was laid
	Laid   Nano    // filament laid so far, mm
	Tool   int32
	Known  uint8 // axes whose place is known
	RelXYZ bool  // G91
	RelE   bool  // M83
	ESet   bool  // an M82 or M83 was seen: G90 and G91 leave E alone
	KeepE  bool  // they leave it alone from the start: the printer is of that kind
	Inch   bool  // G20
	Pulled bool  // a firmware retraction (G10) is open
	Aux    *Aux
}

// Aux is the part of the state that changes rarely. It is shared between snapshots and
// must not be changed in place.
type Aux struct {
	Nozzle map[int32]int64 // target by tool, millionths of a degree
	Hot    map[int32]bool  // waited for since it was last cold
	Bed    int64
	Debt   map[int32]Nano // of the tools that are not active
	Pulled map[int32]bool // and whether their firmware retraction is open
	Sticky []Setting
	Flow   int64 // M221, millionths; 0 means never set
	Speed  int64 // M220

	Diameter Nano // of the filament, as M200 names it; 0 when it never has
	Volume   bool // the filament axis counts mm³ of filament so thick (M200)
	BedSaid  bool // something has said how warm the bed is to be
	FanOne   bool // the fan's speed is written from 0 to 1, not to 255
}

// Logical returns where the file's own numbers say the head is, in X, Y and Z.
func (s *State) Logical() [3]Nano {
	return [3]Nano{s.Pos[0] - s.Off[0], s.Pos[1] - s.Off[1], s.Pos[2] - s.Off[2]}
}

// LogicalE returns the filament axis as the file's own numbers say.
func (s *State) LogicalE() Nano { return s.E - s.OffE }

// Nozzle returns the active tool's target in millionths of a degree.
func (s *State) Nozzle() int64 {
	if s.Aux == nil {
		return 0
	}
	return s.Aux.Nozzle[s.Tool]
}

// Target returns a tool's target in millionths of a degree.
func (s *State) Target(tool int32) int64 {
	if s.Aux == nil {
		return 0
	}
	return s.Aux.Nozzle[tool]
}

// Stated reports whether anything has said how hot the active nozzle is to be.
func (s *State) Stated() bool {
	if s.Aux == nil {
		return false
	}
	_, ok := s.Aux.Nozzle[s.Tool]
	return ok
}

// DebtOf returns what a tool has drawn back and not given back.
func (s *State) DebtOf(tool int32) Nano {
	if tool == s.Tool {
		return s.Debt
	}
	if s.Aux == nil {
		return 0
	}
	return s.Aux.Debt[tool]
}

// PulledOf reports whether a tool's firmware retraction is open.
func (s *State) PulledOf(tool int32) bool {
	if tool == s.Tool {
		return s.Pulled
	}
	return s.Aux != nil && s.Aux.Pulled[tool]
}

// WithDebtsOf returns the state with as much filament drawn back in the tools that are
// not active in another state as they have there.
func (s State) WithDebtsOf(o *State) State {
	for _, t := range o.Tools() {
		if t == o.Tool {
			continue
		}
		if t == s.Tool {
			s.Debt, s.Pulled = o.DebtOf(t), o.PulledOf(t)
			continue
		}
		if d := o.DebtOf(t); d != 0 {
			a := s.change()
			a.Debt = with(a.Debt, t, d)
		}
		if o.PulledOf(t) {
			a := s.change()
			a.Pulled = with(a.Pulled, t, true)
		}
	}
	return s
}

// Tools returns the tools that something is known of, in order.
func (s *State) Tools() []int32 {
	seen := map[int32]bool{s.Tool: true}
	if s.Aux != nil {
		for t := range s.Aux.Nozzle {
			seen[t] = true
		}
		for t := range s.Aux.Debt {
			seen[t] = true
		}
		for t := range s.Aux.Pulled {
			seen[t] = true
		}
	}
	return slices.Sorted(maps.Keys(seen))
}

// Without returns the state without a lasting setting.
func (s State) Without(word string) State {
	if s.setting(word) != "" {
		a := s.change()
		a.Sticky = slices.DeleteFunc(slices.Clone(a.Sticky),
			func(t Setting) bool { return t.Word == word })
	}
	return s
}

// With returns the state behind one more command.
func (s State) With(line string) State {
	m := Machine{State: s}
	var c Command
	var a Act
	c.Parse([]byte(line))
	m.Exec(&c, &a)
	return m.State
}

// WithNozzle returns the state with the active nozzle at another target, in
// millionths of a degree, waited for.
func (s State) WithNozzle(v int64) State {
	s.setNozzle(s.Tool, v, true)
	return s
}

// WithBed returns the state with the bed at another target, in millionths of a
// degree.
func (s State) WithBed(v int64) State {
	s.setBed(v)
	return s
}

// Hot reports whether the active nozzle was waited for since it was last cold.
func (s *State) Hot() bool { return s.Aux != nil && s.Aux.Hot[s.Tool] }

// Bed returns the bed's target in millionths of a degree.
func (s *State) Bed() int64 {
	if s.Aux == nil {
		return 0
	}
	return s.Aux.Bed
}

// FanShare returns how fast a fan turns when it is set to v (millionths), in percent. Some
// printers write its speed from 0 to 1; a file that once says a part of 1 is of that kind.
func (s *State) FanShare(v int64) float64 {
	if s.fanOne() {
		return float64(v) / 1e4
	}
	return float64(v) / 255e4
}

func (s *State) fanOne() bool { return s.Aux != nil && s.Aux.FanOne }

// BedStated reports whether anything has said how warm the bed is to be.
func (s *State) BedStated() bool { return s.Aux != nil && (s.Aux.BedSaid || s.Aux.Bed != 0) }

// Flow returns the flow factor of M221, 1 when none was set.
func (s *State) Flow() float64 {
	if s.Aux == nil || s.Aux.Flow <= 0 {
		return 1
	}
	return float64(s.Aux.Flow) / 100e6
}

// Speed returns the speed factor of M220, 1 when none was set.
func (s *State) Speed() float64 {
	if s.Aux == nil || s.Aux.Speed <= 0 {
		return 1
	}
	return float64(s.Aux.Speed) / 100e6
}

// UsualDiameter is how thick filament is when nobody says otherwise, mm.
const UsualDiameter = 1.75

// Diameter returns how thick the filament is, mm, as far as the file says (M200).
func (s *State) Diameter() float64 {
	if s.Aux == nil || s.Aux.Diameter <= 0 {
		return UsualDiameter
	}
	return s.Aux.Diameter.Millimetres()
}

// Volumetric reports whether the filament axis counts mm³ (M200).
func (s *State) Volumetric() bool { return s.Aux != nil && s.Aux.Volume }

// area is the cross-section of the filament, mm².
func (s *State) area() float64 {
	d := s.Diameter()
	return math.Pi / 4 * d * d
}

// Filament returns the length of filament that a step of the axis moves.
func (s *State) Filament(step Nano) Nano {
	if !s.Volumetric() {
		return step
	}
	return Nano(math.Round(float64(step) / s.area()))
}

// Step returns the step of the axis that moves a length of filament.
func (s *State) Step(filament Nano) Nano {
	if !s.Volumetric() {
		return filament
	}
	return Nano(math.Round(float64(filament) * s.area()))
}
