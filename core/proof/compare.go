package proof

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
)

// comparer says how what the edited file lays differs from the original.
type comparer struct {
	w     *walker
	open  map[string]bool // differences that are in force and have been named
	aux   [2]*gcode.Aux   // found to be alike
	count map[string]int
	// layers that are missing, with the edited line where they should be
	gone    map[int]int64
	heights map[int]map[gcode.Nano]int // at which moves of a layer are laid that belong elsewhere
	twice   map[int]int64              // layers that are laid again, with their edited line
	last    [2][3]gcode.Nano           // where the last moves of a region that was named ended
}

// start is called where the files part while both stand alike.
func (c *comparer) start() { c.w.excuse = false }

// again is called where both stand alike again.
func (c *comparer) again() {
	for _, k := range []string{"position-not-restored", "place-shifted", "filament-jump",
		"retraction-not-given-back", "tool-not-restored", "mode-not-restored"} {
		delete(c.open, k)
	}
	c.w.excuse = false
}

// differs names a difference, and the first of all in the report.
func (c *comparer) differs(code, what string, line, was int64) {
	w := c.w
	if c.count == nil {
		c.count = map[string]int{}
	}
	w.r.Same = false
	if w.r.First == nil {
		w.r.First = &First{Original: Place{Line: was}, Edited: Place{Line: line}, What: what}
	}
	if c.count[code]++; c.count[code] > maxOfOne {
		return
	}
	text := upper(what)
	if was > 0 && line != was {
		text += fmt.Sprintf(" (line %d of the original)", was)
	}
	w.x.find(finding.Stop, code, line, "%s.", text)
}

func upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// once names a difference that stays in force, where it begins.
func (c *comparer) once(code, what string) {
	if c.open[code] {
		return
	}
	if c.open == nil {
		c.open = map[string]bool{}
	}
	c.open[code] = true
	c.differs(code, what, c.w.mLine, c.w.oLine)
}

// moves compares one copied line on both machines, which do not stand alike.
func (c *comparer) moves(was, mine *gcode.State) {
	w := c.w
	a, b := &w.b, &w.a // of the original, of the edited file
	laysO, laysM := a.Kind == gcode.Lay, b.Kind == gcode.Lay
	pushes := (a.Kind == gcode.Push || b.Kind == gcode.Push) && a.Laid != b.Laid
	if !laysO && !laysM {
		if pushes && w.x.overBox(w.m.Pos) {
			if mine.Debt > was.Debt || mine.Pulled && !was.Pulled {
				return // it is named where something is laid
			}
			if !w.excuse || abs(a.Laid-b.Laid) > gcode.MM/10 {
				c.once("filament-jump", "other filament is pushed out here, over the part")
			}
		}
		return
	}
	code, what := "", ""
	s := w.jump.Shift
	off := func(p, q [3]gcode.Nano) (n int, names string) {
		for k := range p {
			if q[k]-s[k] != p[k] {
				n++
				names += string(rune('X' + k))
			}
		}
		return
	}
	if laysO && w.o.Pos[0] == w.m.Pos[0]-s[0] && w.o.Pos[1] == w.m.Pos[1]-s[1] &&
		w.o.Pos[2] != w.m.Pos[2]-s[2] {
		c.elsewhere(w.ix.At(w.oLine), w.m.Pos[2]-s[2])
	}
	begins, names := off(a.From, b.From)
	ends, names2 := off(w.o.Pos, w.m.Pos)
	switch {
	case w.o.Tool != w.m.Tool:
		code, what = "tool-not-restored", fmt.Sprintf("tool %d lays it, not tool %d", w.m.Tool, w.o.Tool)
	case w.o.RelE != w.m.RelE || w.o.RelXYZ != w.m.RelXYZ || w.o.Inch != w.m.Inch:
		code, what = "mode-not-restored", "from here on places or filament are counted in another way"
	case w.o.Plane() != w.m.Plane():
		code, what = "plane-changed", "arcs lie in another plane, "+w.m.Plane()
	case shifted(&w.o.State, &w.m.State, s):
		code, what = "place-shifted", "the same numbers mean another place: a G92 or an offset is left "+
			"in force"
	case begins+ends > 0 && w.excuse && ends == 0 && b.From == c.last[1] && a.From == c.last[0]:
	case begins > 0 || ends > 0:
		if names == "" {
			names = names2
		}
		code, what = "position-not-restored", fmt.Sprintf("the path begins or ends in another %s than "+
			"in the original", strings.Join(strings.Split(names, ""), " and "))
	}
	if code == "" {
		switch {
		case mine.Pulled && !was.Pulled, mine.Debt > was.Debt+1:
			code, what = "retraction-not-given-back", fmt.Sprintf("%s mm of filament were drawn back and "+
				"not given back", mine.Debt-was.Debt)
			if mine.Pulled && !was.Pulled {
				what = "the firmware's retraction (G10) is still open"
			}
		case a.Laid == b.Laid && laysO == laysM:
		case w.excuse && (mine.LogicalE() != was.LogicalE()) && !w.m.RelE && !c.open["filament-jump"]:
			// The axis catches up with a move that has been named.
		default:
			code, what = "filament-jump", fmt.Sprintf("%s mm of filament are laid, %s in the original",
				b.Laid, a.Laid)
			if !w.m.RelE && mine.LogicalE() != was.LogicalE() {
				what += ": the axis stands elsewhere; a G92 E is missing or wrong"
			}
		}
	}
	w.excuse = false
	if code != "" {
		c.once(code, what)
	} else {
		w.r.Moves++
	}
	if w.dirty {
		c.state()
	}
}

func abs(n gcode.Nano) gcode.Nano { return max(n, -n) }

func shifted(o, m *gcode.State, s [3]gcode.Nano) bool {
	for k := range o.Off {
		if m.Off[k]-s[k] != o.Off[k] {
			return true
		}
	}
	return false
}

// state compares what moves do not change, at a laying move of both.
func (c *comparer) state() {
	w := c.w
	w.dirty = false
	now := map[string]bool{}
	name := func(code, what string) {
		now[code] = true
		c.once(code, what)
	}
	o, m := &w.o.State, &w.m.State
	on := w.marks.otherwise()
	if o.Feed != m.Feed {
		name("feed-not-restored", fmt.Sprintf("from here on it is laid at %s mm/min, not at %s",
			m.Feed, o.Feed))
	}
	if o.Fan != m.Fan && !on.Fan {
		name("fan-not-restored", fmt.Sprintf("from here on the part fan runs at %s, not at %s",
			gcode.Nano(m.Fan), gcode.Nano(o.Fan)))
	}
	w.marks.inForce(w, o, m)
	if o.Aux != m.Aux && (c.aux != [2]*gcode.Aux{o.Aux, m.Aux} || !on.none() ||
		len(w.marks.open) > 0) {
		before := len(now)
		c.heats(o, m, on, name)
		c.settings(o, m, on, name)
		if len(now) == before && on.none() {
			c.aux = [2]*gcode.Aux{o.Aux, m.Aux}
		}
	}
	for _, k := range stateCodes {
		if c.open[k] && !now[k] {
			delete(c.open, k)
		}
	}
}

// stateCodes are the findings of [comparer.state].
var stateCodes = []string{"feed-not-restored", "fan-not-restored", "temperature-not-restored",
	"bed-not-restored",
	"retraction-not-given-back", "cold-extrusion", "setting-not-restored", "limits-off",
	"place-shifted", "plane-changed"}

// heats compares what the nozzles and the bed are told.
func (c *comparer) heats(o, m *gcode.State, on Otherwise, name func(code, what string)) {
	w := c.w
	if o.Bed() != m.Bed() {
		name("bed-not-restored", fmt.Sprintf("from here on the bed is set to %s °C, not %s",
			gcode.Nano(m.Bed()), gcode.Nano(o.Bed())))
	}
	was, is := o.Nozzle(), m.Nozzle()
	if was >= gcode.Cold && is < gcode.Cold {
		name("cold-extrusion", fmt.Sprintf("the nozzle is set to %s °C, not %s",
			gcode.Nano(is), gcode.Nano(was)))
	} else if was != is && !on.Heat && !w.marks.wanted(is) {
		name("temperature-not-restored", fmt.Sprintf("from here on the nozzle is set to %s °C, not "+
			"%s", gcode.Nano(is), gcode.Nano(was)))
	}
	for t := range tools(o, m) {
		if t == m.Tool || on.Heat && w.marks.tool == t {
			continue
		}
		if was, is := o.Target(t), m.Target(t); was != is && !w.marks.wanted(is) {
			name("temperature-not-restored", fmt.Sprintf("from here on nozzle %d, which waits, is set to "+
				"%s °C, not %s", t, gcode.Nano(is), gcode.Nano(was)))
		}
	}
	for t := range tools(o, m) {
		if t != m.Tool && t != o.Tool && (m.DebtOf(t) > o.DebtOf(t) || m.PulledOf(t) && !o.PulledOf(t)) {
			name("retraction-not-given-back", fmt.Sprintf("the filament of tool %d, which waits, is drawn "+
				"back further than in the original", t))
		}
	}
	if o.Hot() && !m.Hot() {
		name("cold-extrusion", "nothing has waited for the nozzle since it was cold")
	}
}

func tools(o, m *gcode.State) map[int32]bool {
	out := map[int32]bool{}
	for _, t := range append(o.Tools(), m.Tools()...) {
		out[t] = true
	}
	return out
}

func has(m map[int32]int64, t int32) bool {
	_, ok := m[t]
	return ok
}

// codeOf is the finding that a setting makes when it is left otherwise.
func codeOf(word string) string {
	switch word {
	case "M220":
		return "feed-not-restored"
	case "M211", "M302":
		return "limits-off"
	case "M206", "M428", "M290", "M665", "M666", "M851", "workspace":
		return "place-shifted"
	case "plane":
		return "plane-changed"
	}
	if strings.HasPrefix(word, "G10") {
		return "place-shifted"
	}
	return "setting-not-restored"
}

// usual are settings that need not be made: they are so when the printer starts.
var usual = map[string]string{"M220": "M220 S100", "M221": "M221 S100", "M211": "M211 S1",
	"plane":     "G17",
	"workspace": "G54", "M290": "M290", "M206": "", "M302": "M302 P0"}

// settings compares the lasting settings.
func (c *comparer) settings(o, m *gcode.State, on Otherwise, name func(code, what string)) {
	lines := func(s *gcode.State) map[string]string {
		out := map[string]string{}
		for _, t := range s.Settings() {
			if u, ok := usual[t.Word]; !ok || t.Line != u {
				out[t.Word] = t.Line
			}
		}
		return out
	}
	was, is := lines(o), lines(m)
	words := maps.Clone(was)
	maps.Copy(words, is)
	for _, word := range slices.Sorted(maps.Keys(words)) {
		switch {
		case was[word] == is[word],
			word == "M220" && on.Speed, word == "M221" && on.Flow, c.w.x.lifts(word):
			continue
		}
		show := func(s string) string {
			if s == "" {
				return "nothing of the sort"
			}
			return s
		}
		name(codeOf(word), fmt.Sprintf("%s is in force from here on, in the original %s",
			show(is[word]), show(was[word])))
	}
}

// end compares how both files leave the printer.
func (c *comparer) end() {
	w := c.w
	o, m := &w.o.State, &w.m.State
	line := w.mLine
	c.layers()
	c.swapped()
	for _, t := range slices.Sorted(maps.Keys(tools(o, m))) {
		if was, is := o.Target(t), m.Target(t); was == 0 && is != 0 && o.Aux != nil &&
			has(o.Aux.Nozzle, t) {
			c.differs("temperature-not-restored", fmt.Sprintf("at the end nozzle %d stays at %s °C; the "+
				"original switches it off", t, gcode.Nano(is)), line, 0)
		}
	}
	if o.Bed() == 0 && m.Bed() != 0 && o.Stated() {
		c.differs("bed-not-restored", fmt.Sprintf("at the end the bed stays at %s °C; the original "+
			"switches it off", gcode.Nano(m.Bed())), line, 0)
	}
	if o.Fan == 0 && m.Fan != 0 {
		c.differs("fan-not-restored", "at the end the fan goes on; the original switches it off", line, 0)
	}
}
