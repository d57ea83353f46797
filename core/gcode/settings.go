package gcode

import (
	"maps"
	"slices"
	"sort"
)

// Setting is a lasting setting as the file last wrote it.
type Setting struct {
	Word string // "M204", "M205", …; for fans "M106 P1"; "plane", "workspace"
	Line string // the line without comment
}

// setVolume carries out M200: D names the diameter and switches to volumes, D0 and S0
// switch back to lengths, S1 to volumes again.
func (s *State) setVolume(c *Command) {
	d, on := Nano(0), false
	if s.Aux != nil {
		d, on = s.Aux.Diameter, s.Aux.Volume
	}
	if c.Has('D') {
		if v := Nano(c.Value('D')); v > 0 {
			d, on = v, true
		} else {
			on = false
		}
	}
	if c.Has('S') {
		on = c.Value('S') != 0
	}
	if s.Volumetric() != on || s.Aux != nil && s.Aux.Diameter != d || s.Aux == nil && d != 0 {
		a := s.change()
		a.Diameter, a.Volume = d, on
	}
}

// Settings returns the lasting settings in force, ordered by word. The caller
// must not change them.
func (s *State) Settings() []Setting {
	if s.Aux == nil {
		return nil
	}
	return s.Aux.Sticky
}

// Mesh returns the line that has switched the stored mesh of the bed on, "" when it is off.
func (s *State) Mesh() string {
	line := s.setting("M420")
	var c Command
	if c.Parse([]byte(line)); c.Has('S') && c.Value('S') == 0 {
		return ""
	}
	return line
}

// Plane returns the word of the plane in which arcs lie, "G17" when none was
// chosen.
func (s *State) Plane() string {
	if p := s.setting("plane"); p != "" {
		return p
	}
	return "G17"
}

// setting returns the line of a lasting setting, "" when none was made.
func (s *State) setting(word string) string {
	if s.Aux == nil {
		return ""
	}
	for _, t := range s.Aux.Sticky {
		if t.Word == word {
			return t.Line
		}
	}
	return ""
}

// change returns a copy of Aux that may be changed. What its maps and its list hold is
// still shared: whoever writes to one of them copies it first.
func (s *State) change() *Aux {
	n := &Aux{}
	if s.Aux != nil {
		*n = *s.Aux
	}
	s.Aux = n
	return n
}

// with returns a copy of a map in which a key has a value.
func with[V any](m map[int32]V, k int32, v V) map[int32]V {
	n := make(map[int32]V, len(m)+1)
	maps.Copy(n, m)
	n[k] = v
	return n
}

// without returns a map without a key; the map itself when it is not in it.
func without[V any](m map[int32]V, k int32) map[int32]V {
	if _, ok := m[k]; !ok {
		return m
	}
	n := maps.Clone(m)
	delete(n, k)
	return n
}

// What is remembered is bounded: a file could name any number of tools and of words.
// What lies beyond counts as not said.
const (
	maxTools    = 64
	maxSettings = 100
)

// Cold is the target under which a nozzle counts as cold, millionths of a degree (no firmware
// extrudes below it unless told to).
const Cold = 170_000_000

func (s *State) setNozzle(tool int32, v int64, wait bool) {
	old, known, hot := int64(0), false, false
	if s.Aux != nil {
		old, known = s.Aux.Nozzle[tool]
		hot = s.Aux.Hot[tool]
		if known && old == v && hot == (hot && v >= Cold || wait && v > 0) {
			return
		}
		if !known && len(s.Aux.Nozzle) >= maxTools {
			return
		}
	}
	a := s.change()
	a.Nozzle = with(a.Nozzle, tool, v)
	switch {
	case wait && v > 0:
		a.Hot = with(a.Hot, tool, true)
	case wait || v < Cold || old < Cold:
		a.Hot = without(a.Hot, tool)
	}
}

func (s *State) setBed(v int64) {
	if s.Aux == nil || s.Aux.Bed != v || !s.Aux.BedSaid {
		a := s.change()
		a.Bed, a.BedSaid = v, true
	}
}

// setSticky keeps a setting's line verbatim.
func (s *State) setSticky(word, line string) {
	i := 0
	if s.Aux != nil {
		list := s.Aux.Sticky
		i = sort.Search(len(list), func(i int) bool { return list[i].Word >= word })
		if i < len(list) && list[i].Word == word {
			if list[i].Line != line {
				a := s.change()
				a.Sticky = slices.Clone(list)
				a.Sticky[i].Line = line
			}
			return
		}
		if len(list) >= maxSettings {
			return
		}
	}
	a := s.change()
	list := make([]Setting, 0, len(a.Sticky)+1)
	list = append(list, a.Sticky[:i]...)
	list = append(list, Setting{word, line})
	a.Sticky = append(list, a.Sticky[i:]...)
}

func (s *State) setTool(t int32) {
	if t == s.Tool {
		return
	}
	var there Nano
	var pulled bool
	if s.Aux != nil {
		there, pulled = s.Aux.Debt[t], s.Aux.Pulled[t]
	}
	if s.Debt != 0 || s.Pulled || there != 0 || pulled {
		a := s.change()
		a.Debt, a.Pulled = without(a.Debt, t), without(a.Pulled, t)
		if s.Debt != 0 && len(a.Debt) < maxTools {
			a.Debt = with(a.Debt, s.Tool, s.Debt)
		}
		if s.Pulled && len(a.Pulled) < maxTools {
			a.Pulled = with(a.Pulled, s.Tool, true)
		}
	}
	s.Debt, s.Pulled, s.Tool = there, pulled, t
}
