package layer

import (
	"slices"

	"dogear/core/gcode"
)

// While a file is read, Index.Layers holds one entry for each run: laying moves,
// one after another, at one height, with what rises to it. What runs are layers
// and what runs belong to others is settled at the end (group.go).

// run is what is kept of a run besides its entry in Index.Layers.
type run struct {
	wall  gcode.Nano // filament of its closed paths
	ramp  bool       // it rises or falls, and nothing at its height follows
	aside bool       // its height is not the layer's
	gap   *gap       // the gap before it when there is a choice in it, else nil
}

// sums are what is added up over the laying moves of the present run.
type sums struct {
	z     gcode.Nano
	foot  gcode.Nano // of a ramp: where it begins
	box   [4]gcode.Nano
	moves int
	laid  gcode.Nano
	wall  gcode.Nano
	first int64
	last  int64
}

// path is the present path: what is laid without a travel between.
type path struct {
	begin, level [2]gcode.Nano // where it begins, and where it first is level
	laid         gcode.Nano    // of the run's sums when it began
	moves        int
	bent         bool       // an arc is in it
	sloped       gcode.Nano // laid by its newest sloped move
	flat         gcode.Nano // laid level since then
}

// takePath ends the present path, and books it as a wall when it is closed.
func (r *reader) takePath() {
	p, h := &r.path, &r.hot
	if h.moves-p.moves >= 3 || p.bent {
		if near(p.begin, r.end) || near(p.level, r.end) {
			h.wall += h.laid - p.laid
		}
	}
}

// startPath begins a path at the beginning of the present move.
func (r *reader) startPath() {
	at := [2]gcode.Nano{r.a.From[0], r.a.From[1]}
	r.path = path{begin: at, level: at, laid: r.hot.laid, moves: r.hot.moves, sloped: r.path.sloped}
}

// layRun books laying moves that go on in the present run, as many as stand at
// the beginning of data, up to the next line whose offset is kept.
func (r *reader) layRun(data []byte) (int, error) {
	if r.turns.vase || r.line%Stride == 0 || r.m.Pos[2] > r.high || r.m.Pos[2] < r.low ||
		len(r.l.pending) > 0 {
		return 0, nil
	}
	h := &r.hot
	run := gcode.Run{Ends: r.p.room(int(Stride - r.line%Stride)), Box: h.box}
	if len(r.ahead.rows) > 0 {
		run.From = r.ahead.behind(len(data))
		run.Rows = r.ahead.rows
	}
	x, y := r.m.Pos[0], r.m.Pos[1]
	n := r.m.LayRun(data, &run)
	if n == 0 {
		return 0, nil
	}
	k := len(run.Ends)
	if run.Box != h.box {
		h.box = run.Box
		if beyond(run.Box) {
			r.farOff(run.Ends)
		}
	}
	h.moves += k
	h.laid += run.Laid
	r.line += int64(k)
	r.off += int64(n)
	r.manner.crlf += int64(run.CRs)
	h.last = r.line
	r.end = run.Ends[k-1]
	r.lays += k
	if r.m.RelE {
		r.manner.relLays += k
	}
	r.pace()
	r.p.way(x, y, run.Ends, r.speed)
	return n, nil
}

// goOn books a laying move that goes on from the one before it, in the same
// run: most of a file.
func (r *reader) goOn(s []byte) {
	h := &r.hot
	x, y := r.m.Pos[0], r.m.Pos[1]
	if r.a.Arc.Turn != 0 {
		h.box = union(h.box, r.extent())
		r.path.bent = true
	} else {
		if x < h.box[0] {
			h.box[0] = x
		} else if x > h.box[2] {
			h.box[2] = x
		}
		if y < h.box[1] {
			h.box[1] = y
		} else if y > h.box[3] {
			h.box[3] = y
		}
	}
	if x > farOff || x < -farOff || y > farOff || y < -farOff {
		r.farOff([][2]gcode.Nano{{x, y}})
	}
	h.moves++
	h.laid += r.a.Laid
	h.last = r.line
	r.end = [2]gcode.Nano{x, y}
	r.lays++
	if r.m.RelE {
		r.manner.relLays++
	}
	if r.manner.sampled < sampleLines {
		r.sample(s)
	}
	r.time()
}

// settle writes the sums into the present run.
func (r *reader) settle() {
	h := &r.hot
	if n := len(r.ix.Layers); n > 0 && h.moves > 0 {
		r.takePath()
		cur := &r.ix.Layers[n-1]
		cur.Box, cur.Moves, cur.Filament = h.box, h.moves, h.laid
		cur.First, cur.Last, cur.Z = h.first, h.last, h.z
		r.runs[n-1].wall = h.wall
	}
	r.hot = sums{}
	r.steady = false
}

// bookLay books a laying move that may begin a path or a run.
func (r *reader) bookLay(s []byte, at int64) error {
	m, a := &r.m, &r.a
	r.moved = true
	r.lays++
	if m.RelE {
		r.manner.relLays++
	}
	if r.manner.sampled < sampleLines {
		r.sample(s)
	}
	rise := m.Pos[2] - a.From[2]
	if r.turns.vase {
		r.layTurn(rise, at)
	} else {
		r.layLevel(rise, at)
		if r.lays%checkEach == 0 && r.turns.rising.vase(m.Laid) {
			return errVase
		}
	}
	box := r.extent()
	if beyond(box) {
		r.farOff([][2]gcode.Nano{{m.Pos[0], m.Pos[1]}})
	}
	h := &r.hot
	if h.moves == 0 {
		h.first, h.box = r.line, box
	} else {
		h.box = union(h.box, box)
	}
	h.last = r.line
	h.moves++
	h.laid += a.Laid
	r.path.bent = r.path.bent || a.Arc.Turn != 0
	r.end = [2]gcode.Nano{m.Pos[0], m.Pos[1]}
	r.steady = !r.early && m.Pos[2] == a.From[2] && (r.turns.vase || !r.runs[len(r.runs)-1].ramp)
	r.faults.ended, r.faults.strange = false, 0
	if r.gap.set {
		r.gap = gap{comments: r.gap.comments[:0]}
	}
	r.inMove = false
	r.time()
	return nil
}

// layLevel says which run a laying move belongs to, and opens it when it is the
// first of it.
func (r *reader) layLevel(rise gcode.Nano, at int64) {
	a, h := &r.a, &r.hot
	n := len(r.ix.Layers)
	z := max(r.m.Pos[2], a.From[2])
	sloped := rise > 1 || rise < -1
	broken := n == 0 || r.gap.set || a.From[0] != r.end[0] || a.From[1] != r.end[1]
	if !sloped {
		r.turns.rising.level(z, r.m.Laid-a.Laid, a.Laid)
		if r.turns.rising.rise == 0 && z > r.turns.flatZ+eps { // else it is a stretch of a climb
			if len(r.turns.steps) < 4096 && r.turns.flatZ > 0 {
				r.turns.steps = append(r.turns.steps, z-r.turns.flatZ)
			}
			r.turns.flatZ = z
			r.turns.rises++
		}
	}
	ramp := n > 0 && r.runs[n-1].ramp
	opens := n == 0
	switch {
	case opens:
	case sloped && ramp: // up or down it goes, as long as nothing lies between
		opens = broken
	case sloped: // what falls from the run's height belongs to it
		opens = rise > 0 || a.From[2] > h.z+eps || a.From[2] < h.z-eps
	case ramp && z >= h.z-eps && z <= h.z+eps:
		// Heights with few decimals are level now and then on a ramp.
		climbed := h.laid - r.path.flat
		r.path.flat += a.Laid
		if r.path.flat*2 > r.path.sloped &&
			(broken || plateau(r.path.flat, h.z-h.foot, climbed)) {
			r.levelOut()
		}
	default:
		opens = z > h.z+eps || z < h.z-eps || len(r.l.pending) > 0 && r.l.counting(2*r.turns.rises+16)
	}
	if r.early && (opens || broken && !r.joins()) {
		r.early = n < maxEarly
		opens = opens || r.early
	}
	if ramp && opens && r.path.flat > 0 { // too little of it to be sure until now
		r.runs[n-1].ramp = false
	}
	if sloped {
		r.path.sloped, r.path.flat = a.Laid, 0
		r.turns.rising.climb(rise, r.m.Laid-a.Laid, broken, r)
	}
	if broken && !opens {
		r.takePath()
	}
	if opens {
		r.betweenNothing(at)
		r.leadsHere()
		r.openRun(z)
		r.runs[len(r.runs)-1].ramp = sloped
		if sloped {
			h.foot = min(r.m.Pos[2], a.From[2])
			r.l.hold()
		}
	} else if sloped {
		h.z = max(h.z, z)
	}
	if opens || broken {
		r.startPath()
	}
	r.low, r.high = h.z-eps, h.z+eps
	if len(r.l.pending) > 0 && !(opens && sloped) {
		r.l.settle(len(r.ix.Layers)-1, opens)
	}
}

// leadsHere keeps, early on, where the movement begins that leads to the run that is
// about to be opened.
func (r *reader) leadsHere() {
	if !r.early {
		return
	}
	p := r.gap.first
	if r.inMove {
		p = r.start
	}
	r.starts = append(r.starts[:min(len(r.starts), len(r.runs))], p)
}

// joins reports whether the present move begins where the one before it ended.
func (r *reader) joins() bool {
	return near([2]gcode.Nano{r.a.From[0], r.a.From[1]}, r.end)
}

// betweenNothing sets the gap at the present line when the run changes without a
// line between, and drops a second point that never came.
func (r *reader) betweenNothing(at int64) {
	if !r.gap.set {
		r.gap.first = point{r.line, at, r.pre}
		if r.preSet {
			r.p.open()
		}
	} else if r.gap.late && !r.gap.lateSet {
		r.gap.late = false
	}
}

// levelOut ends a ramp at its height: it is the beginning of a run. When the run
// before it has the same height, it is a part of that.
func (r *reader) levelOut() {
	n := len(r.ix.Layers)
	r.runs[n-1].ramp = false
	r.path.level = [2]gcode.Nano{r.a.From[0], r.a.From[1]}
	d := r.hot.z
	if n > 1 {
		d -= r.ix.Layers[n-2].Z
	}
	same := n > 1 && d <= eps && d >= -eps && !r.early && !r.runs[n-2].ramp
	r.l.release(n-1, !same)
	if !same {
		return
	}
	h, prev := &r.hot, r.ix.Layers[n-2]
	r.path.laid += prev.Filament
	r.path.moves += prev.Moves
	h.first, h.box = prev.First, union(prev.Box, h.box)
	h.moves += prev.Moves
	h.laid += prev.Filament
	h.wall += r.runs[n-2].wall
	r.ix.Layers, r.runs = r.ix.Layers[:n-1], r.runs[:n-1]
	r.p.unfold()
}

// openRun begins a new run; its fold is the gap that ends here.
func (r *reader) openRun(z gcode.Nano) {
	r.settle()
	r.hot.z = z
	r.p.fold()
	l := Layer{Z: z, Tool: r.m.Tool, Nozzle: r.m.Nozzle(), Bed: r.m.Bed(), Fan: r.m.Fan,
		Diameter: r.gap.first.at.Diameter(),
		Fold:     r.gap.first.line, Offset: r.gap.first.off}
	r.ix.keep(r.gap.first)
	if n := len(r.ix.Layers); n == cap(r.ix.Layers) {
		// As many as the rest of the file will have if it goes on like this.
		more := n
		if r.ix.Bytes > 0 { // else it is still arriving
			most := 3 * int64(n)
			if n > maxStates { // a guess from so many is a good one
				most = max(most, 1<<20)
			}
			more = int(min(int64(n)*(r.ix.Bytes-r.off)/max(r.off, 1), most)) + n/16
		}
		more += 64
		r.ix.Layers = slices.Grow(r.ix.Layers, more)
		r.runs = slices.Grow(r.runs, more)
	}
	r.ix.Layers = append(r.ix.Layers, l)
	r.runs = append(r.runs, run{gap: r.gap.choice()})
	r.l.release(len(r.ix.Layers)-2, true) // of a ramp that led nowhere
}
