package gcode

import (
	"math"
	"slices"
)

// Kind says what a line did.
type Kind uint8

const (
	Nothing  Kind = iota // blank, comment, or a command without an effect on the path
	Travel               // the head moves, nothing is laid
	Lay                  // the head moves in X or Y and lays filament
	Pull                 // filament is pulled back, with or without a movement (retraction, wipe)
	Push                 // filament is pushed without movement in X and Y: un-retraction, prime, purge
	Stop                 // the printer stops and waits
	Home                 // G28
	Probe                // G29, G30 and the like
	Dwell                // G4
	SetAxis              // G92
	Mode                 // units, absolute or relative
	Heat                 // nozzle or bed target
	FanSet               // M106, M107
	Lasting              // a lasting setting
	ToolSet              // T
	Motors               // motors let go
	Progress             // M73
	Message              // M117, M118
	Macro                // a word only the printer knows
	Unknown              // a command this package does not know
)

// Act is what one command did.
type Act struct {
	Kind  Kind
	From  [3]Nano // machine position before
	Step  Nano    // of the filament axis, in its unit: mm, or mm³ (M200)
	DE    Nano    // filament moved, mm
	Laid  Nano    // filament that left the nozzle; its debt is paid
	MoveX bool    // X or Y changes
	Arc   Arc     // set when the way is an arc
	Curve bool    // the way between is not followed: a spline, or an arc that stands upright
	Wait  bool    // Heat: the printer waits for it
	Dwell float64 // seconds
}

// Machine carries out commands. The zero value reads files the usual way.
type Machine struct {
	State
	StopWords []string // further words at which this printer stops
}

// Dialect is what printers do differently, as far as it changes what a file means. The
// zero value is what most of them do.
type Dialect struct {
	StopWords []string // further words at which it stops
	KeepE     bool     // G90 and G91 never switch the filament axis
}

// Equal reports whether two dialects read every file alike.
func (d Dialect) Equal(o Dialect) bool {
	return d.KeepE == o.KeepE && slices.Equal(d.StopWords, o.StopWords)
}

// NewMachine returns a machine that has carried out nothing yet.
func NewMachine(d Dialect) Machine {
	m := Machine{StopWords: d.StopWords}
	m.KeepE = d.KeepE
	return m
}

// Exec carries out c and writes what happened to a.
func (m *Machine) Exec(c *Command, a *Act) {
	a.Kind, a.Step, a.DE, a.Laid, a.MoveX = Nothing, 0, 0, 0, false
	a.Arc.Turn, a.Curve = 0, false
	switch c.Letter {
	case 0:
	case 'G':
		if c.Code == 1 || c.Code == 0 {
			if c.Sub == 0 {
				m.linear(c, a)
			}
			return
		}
		m.g(c, a)
	case 'M':
		m.m(c, a)
	case 'T':
		if c.Code >= 0 && c.Code < 1<<15 {
			m.setTool(int32(c.Code))
			a.Kind = ToolSet
		}
	default:
		m.macro(c, a)
	}
}

// length converts a word's value to nanometres in the unit in force.
func (m *Machine) length(v int64) Nano {
	if m.Inch {
		return inch(v)
	}
	return Nano(v)
}

// axisE converts a word's value to the unit of the filament axis; volumes in a file
// that counts in inches are cubic inches.
func (m *Machine) axisE(v int64) Nano {
	switch {
	case !m.Inch:
		return Nano(v)
	case m.Volumetric():
		return Nano(math.Round(float64(v) * 25.4 * 25.4 * 25.4))
	}
	return inch(v)
}

// linear carries out G0 and G1.
func (m *Machine) linear(c *Command, a *Act) {
	const axes = 1<<('X'-'A') | 1<<('Y'-'A') | 1<<('Z'-'A')
	a.From = m.Pos
	has := c.has
	if m.Inch || m.RelXYZ {
		m.placesApart(c)
	} else if has&axes != 0 {
		if has&(1<<('X'-'A')) != 0 {
			m.Pos[0] = Nano(c.val['X'-'A']) + m.Off[0]
		}
		if has&(1<<('Y'-'A')) != 0 {
			m.Pos[1] = Nano(c.val['Y'-'A']) + m.Off[1]
		}
		if has&(1<<('Z'-'A')) != 0 {
			m.Pos[2] = Nano(c.val['Z'-'A']) + m.Off[2]
		}
		m.Known |= uint8(has >> ('X' - 'A') & 7)
	}
	if has&(1<<('F'-'A')) != 0 {
		if f := c.val['F'-'A']; f > 0 {
			m.Feed = m.length(f)
		}
	}
	de := Nano(0)
	if has&(1<<('E'-'A')) != 0 {
		v := Nano(c.val['E'-'A'])
		if m.Inch {
			v = m.axisE(int64(v))
		}
		if m.RelE {
			de = v
		} else {
			de = v + m.OffE - m.E
		}
	}
	m.move(a, de)
}

// placesApart reads X, Y and Z when they are inches or steps.
func (m *Machine) placesApart(c *Command) {
	for k := range 3 {
		if !c.Has(byte('X' + k)) {
			continue
		}
		v := m.length(c.val['X'-'A'+k])
		if m.RelXYZ {
			m.Pos[k] += v
		} else {
			m.Pos[k] = v + m.Off[k]
			m.Known |= 1 << k
		}
	}
}

// Before returns the state in front of the straight move that has just been
// carried out and has laid nothing, given what it said of feed and known axes.
func (m *Machine) Before(a *Act, feed Nano, known uint8) State {
	s := m.State
	s.Pos, s.Feed, s.Known = a.From, feed, known
	s.E -= a.Step
	s.Laid -= a.Laid
	// What was not laid has paid debt, or made it.
	s.Debt += a.DE - a.Laid
	return s
}

// move books a movement from a.From to m.Pos, with a step de of the filament axis. Moves shorter
// than 2 nm do not count: they cannot be told from rounding.
func (m *Machine) move(a *Act, de Nano) {
	dx, dy, dz := m.Pos[0]-a.From[0], m.Pos[1]-a.From[1], m.Pos[2]-a.From[2]
	a.MoveX = dx > 1 || dx < -1 || dy > 1 || dy < -1 || a.Arc.Turn != 0
	a.Step = de
	m.E += de
	if m.Aux != nil && m.Aux.Volume {
		de = m.Filament(de)
	}
	a.DE = de
	switch {
	case de > 0:
		laid := de - m.Debt
		if laid < 0 {
			m.Debt, laid = -laid, 0
		} else {
			m.Debt = 0
		}
		a.Laid = laid
		m.Laid += laid
		switch {
		case a.MoveX && laid > 1:
			a.Kind = Lay
			if z := max(m.Pos[2], a.From[2]); z > m.Top {
				m.Top = z
			}
		case a.MoveX:
			a.Kind = Travel
		default:
			a.Kind = Push
		}
	case de < 0:
		m.Debt -= de
		a.Kind = Pull
	case a.MoveX || dz > 1 || dz < -1:
		a.Kind = Travel
	}
}

// curve carries out a move along a curve that is not followed: where it ends and what
// it lays are as for a straight one.
func (m *Machine) curve(c *Command, a *Act) {
	m.linear(c, a)
	a.Curve = true
}
