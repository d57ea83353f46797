package proof

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dogear/core/gcode"
)

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
				c.differs("layers-swapped", fmt.Sprintf("layers %d and %d have changed places", n, k),
					c.w.mLine, ix.Layers[n-1].First)
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
			c.differs("layers-swapped", fmt.Sprintf("layer %d is laid here, and not in its place", n),
				line, c.w.ix.Layers[n-1].First)
			continue
		}
		c.differs("layer-doubled", fmt.Sprintf("layer %d is laid here once more", n), line,
			c.w.ix.Layers[n-1].First)
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

// maxSteps bounds what is kept of a region on each side.
const maxSteps = 1 << 18

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
	if len(to) == maxSteps {
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
	if pushed := w.x.counts["filament-jump"] + w.x.counts["prime-on-part"]; j.spot > 10 &&
		pushed > j.pushed {
		w.r.Same = false // it has been named where it happens
	} else if j.spot > 10 {
		c.differs("filament-jump", fmt.Sprintf("%s mm of filament are pushed out over the part, on the "+
			"spot", j.spot), max(j.put, 1), j.at)
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
	gone, new = c.wholeSteps(j, gone), c.doubled(new)
	if paired && len(gone) == len(new) {
		for n := range min(len(gone), maxOfOne) {
			c.differs("move-changed", howChanged(&gone[n], &new[n], w.jump.Shift), new[n].line, gone[n].line)
		}
		return
	}
	n := min(len(gone), len(new))
	for k := range min(n, maxOfOne) {
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

// wholeSteps takes wholeSteps layers out of what is missing.
func (c *comparer) wholeSteps(j *region, gone []step) []step {
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
