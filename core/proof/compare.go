package proof

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// comparer says how what the edited file lays differs from the original.
type comparer struct {
	w       *walker
	open    map[string]bool // differences that are in force and have been named
	aux     [2]*gcode.Aux   // found to be alike
	count   map[string]int
	gone    map[int]int64              // layers that are missing, with the edited line where they should be
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
	if c.count[code]++; c.count[code] > mostOfOne {
		return
	}
	text := upper(what)
	if was > 0 && line != was {
		text += fmt.Sprintf(" (line %d of the original)", was)
	}
	w.x.find(layer.Grave, code, line, "%s.", text)
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
	if laysO && w.o.Pos[0] == w.m.Pos[0]-s[0] && w.o.Pos[1] == w.m.Pos[1]-s[1] && w.o.Pos[2] != w.m.Pos[2]-s[2] {
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
		code, what = "place-shifted", "the same numbers mean another place: a G92 or an offset is left in force"
	case begins+ends > 0 && w.excuse && ends == 0 && b.From == c.last[1] && a.From == c.last[0]:
	case begins > 0 || ends > 0:
		if names == "" {
			names = names2
		}
		code, what = "position-not-restored", fmt.Sprintf("the path begins or ends in another %s than in the original", strings.Join(strings.Split(names, ""), " and "))
	}
	if code == "" {
		switch {
		case mine.Pulled && !was.Pulled, mine.Debt > was.Debt+1:
			code, what = "retraction-not-given-back", fmt.Sprintf("%s mm of filament were drawn back and not given back", mine.Debt-was.Debt)
			if mine.Pulled && !was.Pulled {
				what = "the firmware's retraction (G10) is still open"
			}
		case a.Laid == b.Laid && laysO == laysM:
		case w.excuse && (mine.LogicalE() != was.LogicalE()) && !w.m.RelE && !c.open["filament-jump"]:
			// The axis catches up with a move that has been named.
		default:
			code, what = "filament-jump", fmt.Sprintf("%s mm of filament are laid, %s in the original", b.Laid, a.Laid)
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
		name("feed-not-restored", fmt.Sprintf("from here on it is laid at %s mm/min, not at %s", m.Feed, o.Feed))
	}
	if o.Fan != m.Fan && !on.Fan {
		name("fan-not-restored", fmt.Sprintf("from here on the part fan runs at %s, not at %s", gcode.Nano(m.Fan), gcode.Nano(o.Fan)))
	}
	w.marks.inForce(w, o, m)
	if o.Aux != m.Aux && (c.aux != [2]*gcode.Aux{o.Aux, m.Aux} || !on.none() || len(w.marks.open) > 0) {
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
var stateCodes = []string{"feed-not-restored", "fan-not-restored", "temperature-not-restored", "bed-not-restored",
	"retraction-not-given-back", "cold-extrusion", "setting-not-restored", "limits-off", "place-shifted", "plane-changed"}

// heats compares what the nozzles and the bed are told.
func (c *comparer) heats(o, m *gcode.State, on Otherwise, name func(code, what string)) {
	w := c.w
	if o.Bed() != m.Bed() {
		name("bed-not-restored", fmt.Sprintf("from here on the bed is told to be at %s °C, not at %s", gcode.Nano(m.Bed()), gcode.Nano(o.Bed())))
	}
	was, is := o.Nozzle(), m.Nozzle()
	if was >= cold && is < cold {
		name("cold-extrusion", fmt.Sprintf("the nozzle is told to be at %s °C, not at %s", gcode.Nano(is), gcode.Nano(was)))
	} else if was != is && !on.Heat && !w.marks.wanted(is) {
		name("temperature-not-restored", fmt.Sprintf("from here on the nozzle is told to be at %s °C, not at %s", gcode.Nano(is), gcode.Nano(was)))
	}
	for t := range tools(o, m) {
		if t == m.Tool || on.Heat && w.marks.tool == t {
			continue
		}
		if was, is := o.Target(t), m.Target(t); was != is && !w.marks.wanted(is) {
			name("temperature-not-restored", fmt.Sprintf("from here on nozzle %d, which waits, is told to be at %s °C, not at %s", t, gcode.Nano(is), gcode.Nano(was)))
		}
	}
	for t := range tools(o, m) {
		if t != m.Tool && t != o.Tool && (m.DebtOf(t) > o.DebtOf(t) || m.PulledOf(t) && !o.PulledOf(t)) {
			name("retraction-not-given-back", fmt.Sprintf("the filament of tool %d, which waits, is drawn back further than in the original", t))
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
var usual = map[string]string{"M220": "M220 S100", "M221": "M221 S100", "M211": "M211 S1", "plane": "G17",
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
		name(codeOf(word), fmt.Sprintf("%s is in force from here on, in the original %s", show(is[word]), show(was[word])))
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
		if was, is := o.Target(t), m.Target(t); was == 0 && is != 0 && o.Aux != nil && has(o.Aux.Nozzle, t) {
			c.differs("temperature-not-restored", fmt.Sprintf("at the end nozzle %d stays at %s °C; the original switches it off", t, gcode.Nano(is)), line, 0)
		}
	}
	if o.Bed() == 0 && m.Bed() != 0 && o.Stated() {
		c.differs("bed-not-restored", fmt.Sprintf("at the end the bed stays at %s °C; the original switches it off", gcode.Nano(m.Bed())), line, 0)
	}
	if o.Fan == 0 && m.Fan != 0 {
		c.differs("fan-not-restored", "at the end the fan goes on; the original switches it off", line, 0)
	}
}

// elsewhere books a move of layer n that is laid at another height.
func (c *comparer) elsewhere(n int, z gcode.Nano) {
	if len(c.heights) > 1000 {
		return
	}
	if c.heights == nil {
		c.heights = map[int]map[gcode.Nano]int{}
	}
	if c.heights[n] == nil {
		c.heights[n] = map[gcode.Nano]int{}
	}
	c.heights[n][z]++
}

// swapped names layers whose moves are laid at one another's height: where all layers
// are alike, only their heights tell that they have changed places.
func (c *comparer) swapped() {
	ix := c.w.ix
	at := func(n, k int) bool {
		moves := c.heights[n][ix.Layers[k-1].Z]
		return float64(moves) >= 0.8*float64(ix.Layers[n-1].Moves)
	}
	for _, n := range slices.Sorted(maps.Keys(c.heights)) {
		for _, k := range slices.Sorted(maps.Keys(c.heights)) {
			if n > 0 && n < k && k <= len(ix.Layers) && at(n, k) && at(k, n) {
				c.differs("layers-swapped", fmt.Sprintf("layers %d and %d have changed places", n, k), c.w.mLine, ix.Layers[n-1].First)
			}
		}
	}
}

// layers names layers that are missing, laid twice or in another order.
func (c *comparer) layers() {
	for _, n := range slices.Sorted(maps.Keys(c.twice)) {
		line := c.twice[n]
		if _, ok := c.gone[n]; ok {
			delete(c.gone, n)
			c.differs("layers-swapped", fmt.Sprintf("layer %d is laid here, and not in its place", n), line, c.w.ix.Layers[n-1].First)
			continue
		}
		c.differs("layer-doubled", fmt.Sprintf("layer %d is laid here once more", n), line, c.w.ix.Layers[n-1].First)
	}
	gone := slices.Sorted(maps.Keys(c.gone))
	for i := 0; i < len(gone); {
		k := i
		for k+1 < len(gone) && gone[k+1] == gone[k]+1 {
			k++
		}
		what := fmt.Sprintf("layer %d is missing", gone[i])
		if k > i {
			what = fmt.Sprintf("layers %d to %d are missing", gone[i], gone[k])
		}
		c.differs("layer-missing", what, c.gone[gone[i]], c.w.ix.Layers[gone[i]-1].First)
		i = k + 1
	}
}

// step is a movement of a region that lays something, or means to.
type step struct {
	line     int64
	from, to [3]gcode.Nano
	laid, de gcode.Nano
	feed     gcode.Nano
	fan      int64
	aux      *gcode.Aux
	tool     int32
}

// region is a place where the files part.
type region struct {
	at, put int64 // lines
	a, b    []step
	more    [2]int64 // steps that are not kept
	spot    gcode.Nano
	pushed  int // findings about filament that is pushed out, when it began
}

// mostSteps bounds what is kept of a region on each side.
const mostSteps = 1 << 18

// original books a line that was cut.
func (j *region) original(w *walker, left bool) {
	a := &w.a
	if left {
		return
	}
	switch a.Kind {
	case gcode.Push:
		if w.x.overBox(w.o.Pos) {
			j.spot -= a.Laid
		}
	case gcode.Lay:
		j.a = j.add(0, j.a, w.oLine, a, &w.o.State)
	}
}

func (j *region) add(side int, to []step, line int64, a *gcode.Act, s *gcode.State) []step {
	if len(to) == mostSteps {
		j.more[side]++
		return to
	}
	return append(to, step{line, a.From, s.Pos, a.Laid, a.DE, s.Feed, s.Fan, s.Aux, s.Tool})
}

// edited books a line that was put in.
func (j *region) edited(w *walker, before *gcode.State) {
	a := &w.a
	if w.marks.bond || w.marks.jump != nil && w.marks.jump.Empty {
		return
	}
	switch {
	case a.Kind == gcode.Push:
		if w.x.overBox(w.m.Pos) {
			j.spot += a.Laid
		}
	case a.MoveX && a.DE > 0 && w.x.crossesBox(a.From, w.m.Pos):
		j.b = j.add(1, j.b, w.mLine, a, &w.m.State)
	}
}

// region compares what was cut with what was put in.
func (c *comparer) region(j *region) {
	w := c.w
	named := w.x.counted()
	if pushed := w.x.counts["filament-jump"] + w.x.counts["prime-on-part"]; j.spot > 10 && pushed > j.pushed {
		w.r.Same = false // it has been named where it happens
	} else if j.spot > 10 {
		c.differs("filament-jump", fmt.Sprintf("%s mm of filament are pushed out over the part, on the spot", j.spot), max(j.put, 1), j.at)
	}
	a, b := j.a, j.b
	s := w.jump.Shift
	equal := func(x, y *step) bool { return alikeMove(x, y, s) && (x.laid == y.laid) }
	var gone, new, old []step
	for i, k := 0, 0; i < len(a) || k < len(b); {
		if i < len(a) && k < len(b) && equal(&a[i], &b[k]) {
			c.matched(&a[i], &b[k])
			i, k = i+1, k+1
			continue
		}
		di, dk := resume(a[i:], b[k:], equal)
		for n := range max(di, dk) {
			switch {
			case n < di && n < dk:
				old, new = append(old, a[i+n]), append(new, b[k+n])
				gone = append(gone, a[i+n])
			case n < di:
				gone = append(gone, a[i+n])
			default:
				new = append(new, b[k+n])
			}
		}
		i, k = i+di, k+dk
	}
	if len(gone) > 0 || len(new) > 0 {
		c.unmatched(j, gone, new, len(old) > 0 && len(gone) == len(new))
	}
	if w.x.counted() > named {
		w.excuse = true
		c.last = [2][3]gcode.Nano{w.o.Pos, w.m.Pos}
	} else {
		w.excuse = false
	}
}

func alikeMove(x, y *step, s [3]gcode.Nano) bool {
	for k := range s {
		if x.from[k] != y.from[k]-s[k] || x.to[k] != y.to[k]-s[k] {
			return false
		}
	}
	return true
}

// matched compares how a move is laid that both have in a region.
func (c *comparer) matched(x, y *step) {
	w := c.w
	w.r.Moves++
	if x.aux == y.aux && x.feed == y.feed && x.fan == y.fan && x.tool == y.tool {
		return
	}
	o, m, ol, ml := w.o.State, w.m.State, w.oLine, w.mLine
	w.o.Feed, w.o.Fan, w.o.Aux, w.o.Tool, w.oLine = x.feed, x.fan, x.aux, x.tool, x.line
	w.m.Feed, w.m.Fan, w.m.Aux, w.m.Tool, w.mLine = y.feed, y.fan, y.aux, y.tool, y.line
	c.state()
	w.o.State, w.m.State, w.oLine, w.mLine = o, m, ol, ml
}

// resume is how many steps to leave out of each so that both go on alike.
func resume(a, b []step, equal func(x, y *step) bool) (int, int) {
	const wide = 512
	na, nb := min(len(a), wide), min(len(b), wide)
	for sum := 1; sum < na+nb; sum++ {
		for i := max(0, sum-nb+1); i <= min(sum, na-1); i++ {
			if k := sum - i; k < nb && equal(&a[i], &b[k]) {
				return i, k
			}
		}
	}
	if len(a) <= wide || len(b) <= wide {
		return len(a), len(b)
	}
	return wide, wide
}

// unmatched names what only one of the files lays at a region.
func (c *comparer) unmatched(j *region, gone, new []step, paired bool) {
	w := c.w
	gone, new = c.whole(j, gone), c.doubled(new)
	if paired && len(gone) == len(new) {
		for n := range min(len(gone), mostOfOne) {
			c.differs("move-changed", howChanged(&gone[n], &new[n], w.jump.Shift), new[n].line, gone[n].line)
		}
		return
	}
	n := min(len(gone), len(new))
	for k := range min(n, mostOfOne) {
		c.differs("move-changed", howChanged(&gone[k], &new[k], w.jump.Shift), new[k].line, gone[k].line)
	}
	if rest := gone[n:]; len(rest) > 0 {
		what := "a move of the original is missing here"
		if len(rest) > 1 {
			what = fmt.Sprintf("%d moves of the original are missing here", len(rest))
		}
		c.differs("move-missing", what, max(j.put, 1), rest[0].line)
	}
	rest := slices.DeleteFunc(slices.Clone(new[n:]), func(s step) bool { return s.laid <= 1 })
	if len(rest) > 0 {
		what := "this move lays plastic that the original does not"
		if len(rest) > 1 {
			what = fmt.Sprintf("%d moves from here on lay plastic that the original does not", len(rest))
		}
		c.differs("move-added", what, rest[0].line, 0)
	}
}

func howChanged(x, y *step, s [3]gcode.Nano) string {
	var out []string
	for k := range s {
		if d := y.to[k] - s[k] - x.to[k]; d != 0 {
			out = append(out, fmt.Sprintf("%c %s mm off", 'X'+k, d))
		}
	}
	for k := range s {
		if d := y.from[k] - s[k] - x.from[k]; d != 0 && len(out) == 0 {
			out = append(out, fmt.Sprintf("begins %s mm off in %c", d, 'X'+k))
		}
	}
	if d := y.laid - x.laid; d != 0 {
		out = append(out, fmt.Sprintf("%s mm of filament instead of %s", y.laid, x.laid))
	}
	return "this move is not the original's: " + strings.Join(out, ", ")
}

// whole takes whole layers out of what is missing.
func (c *comparer) whole(j *region, gone []step) []step {
	w := c.w
	var lost []int
	count := map[int]int{}
	for i := range gone {
		count[w.ix.At(gone[i].line)]++
	}
	for n, k := range count {
		if n > 0 && k >= 3 && float64(k) >= 0.9*float64(w.ix.Layers[n-1].Moves) {
			lost = append(lost, n)
			if c.gone == nil {
				c.gone = map[int]int64{}
			}
			c.gone[n] = max(j.put, 1)
		}
	}
	w.r.Same = w.r.Same && len(lost) == 0
	return slices.DeleteFunc(gone, func(s step) bool { return slices.Contains(lost, w.ix.At(s.line)) })
}

// way is a movement without what it lays.
type way struct{ from, to [3]gcode.Nano }

// doubled takes layers of the original that are laid once more out of what is
// added.
func (c *comparer) doubled(new []step) []step {
	w := c.w
	if len(new) < 3 {
		return new
	}
	at := map[gcode.Nano]int{}
	for i := range new {
		at[new[i].to[2]-w.jump.Shift[2]]++
	}
	drop := map[gcode.Nano]bool{}
	for z, k := range at {
		if k < 3 {
			continue
		}
		for n := range w.ix.Layers {
			l := &w.ix.Layers[n]
			if d := l.Z - z; d > gcode.MM/1000 || d < -gcode.MM/1000 || float64(k) < 0.9*float64(l.Moves) {
				continue
			}
			moves, err := w.ix.Decode(w.jump.Src, n+1)
			if err != nil {
				continue
			}
			have := map[way]bool{}
			for i := range moves {
				have[way{moves[i].From, moves[i].To}] = true
			}
			hits := 0
			for i := range new {
				if new[i].to[2]-w.jump.Shift[2] == z && have[way{new[i].from, new[i].to}] {
					hits++
				}
			}
			if float64(hits) >= 0.85*float64(k) {
				if c.twice == nil {
					c.twice = map[int]int64{}
				}
				i := slices.IndexFunc(new, func(s step) bool { return s.to[2]-w.jump.Shift[2] == z })
				c.twice[n+1] = new[i].line
				drop[z] = true
				w.r.Same = false
				break
			}
		}
	}
	return slices.DeleteFunc(new, func(s step) bool { return drop[s.to[2]-w.jump.Shift[2]] })
}
