package layer

import (
	"math"

	"dogear/core/gcode"
)

// planner estimates how long moves take: a trapezoid of speed per move, with
// the speed at the joint of two moves limited by jerk (the change of speed an
// axis may make at once). It looks ahead far enough for the speeds to settle.
type planner struct {
	limits

	blocks [plannerRoom]block
	n      int
	seq    int64   // blocks added so far
	clock  float64 // seconds of all blocks that were taken out
	entry  float64 // squared speed with which the first block is entered
	ux, uy float64 // direction at the end of the newest block
	uz     float64
	speed  float64 // its nominal speed

	gap     int64 // number of the first block behind the newest gap
	gapAt   float64
	gapDone bool
	marks   []timeMark // gaps that became folds
	timed   int        // how many of them are timed
	begins  beginnings
}

// limits are how fast the head may speed up, and turn.
type limits struct {
	print, travel float64 // accelerations, mm/s²
	jerk          float64 // mm/s
}

// usual are the limits until the file says otherwise.
var usual = limits{1000, 1000, 8}

const (
	plannerRoom  = 512
	plannerAhead = 48
)

type block struct {
	length float64
	vmax   float64
	joint  float64 // squared: the most with which it may be entered
	acc2   float64 // twice the acceleration
}

// timeMark waits for the block with its number to be taken out.
type timeMark struct {
	seq   int64
	layer int // from 0
}

// move adds a move; x, y, z is the unit vector of its direction.
func (p *planner) move(length, x, y, z, speed, acc float64) {
	joint := p.speed
	if speed < joint {
		joint = speed
	}
	d := math.Abs(x - p.ux)
	if e := math.Abs(y - p.uy); e > d {
		d = e
	}
	if e := math.Abs(z - p.uz); e > d {
		d = e
	}
	if d*joint > p.jerk {
		joint = p.jerk / d
	}
	p.ux, p.uy, p.uz, p.speed = x, y, z, speed
	if p.n == plannerRoom {
		p.drain(plannerAhead)
	}
	p.blocks[p.n] = block{length, speed, joint * joint, 2 * acc}
	p.n++
	p.seq++
}

// way adds a run of level laying moves from x, y to each of the ends.
func (p *planner) way(x, y gcode.Nano, ends [][2]gcode.Nano, speed float64) {
	acc2, jerk := 2*p.print, p.jerk
	ux, uy, uz, last := p.ux, p.uy, math.Abs(p.uz), p.speed
	for len(ends) > 0 {
		if p.n == plannerRoom {
			p.drain(plannerAhead)
		}
		k := min(len(ends), plannerRoom-p.n)
		blocks := p.blocks[p.n : p.n+k]
		for i, end := range ends[:k] {
			dx, dy := float64(end[0]-x)*1e-6, float64(end[1]-y)*1e-6
			x, y = end[0], end[1]
			length := math.Sqrt(dx*dx + dy*dy)
			f := 1 / length
			dx *= f
			dy *= f
			d := math.Abs(dx - ux)
			if e := math.Abs(dy - uy); e > d {
				d = e
			}
			if uz > d {
				d = uz
			}
			joint := last
			if speed < joint {
				joint = speed
			}
			if d*joint > jerk {
				joint = jerk / d
			}
			ux, uy, uz, last = dx, dy, 0, speed
			blocks[i] = block{length, speed, joint * joint, acc2}
		}
		p.n += k
		p.seq += int64(k)
		ends = ends[k:]
	}
	p.ux, p.uy, p.uz, p.speed = ux, uy, 0, last
}

// wait ends the movement and adds a time in which nothing moves.
func (p *planner) wait(seconds float64) {
	p.drain(0)
	p.clock += seconds
	p.speed, p.entry = 0, 0
}

// drain takes out all blocks but the last keep. Speeds are squared throughout:
// v² changes evenly along the way when the acceleration is constant.
func (p *planner) drain(keep int) {
	n := p.n - keep
	if n <= 0 {
		return
	}
	// Backwards: nobody may enter faster than it can still brake.
	next := 0.0
	for i := p.n - 1; i >= 0; i-- {
		b := &p.blocks[i]
		if e := next + b.acc2*b.length; e < b.joint {
			b.joint = e
		}
		next = b.joint
	}
	first := p.seq - int64(p.n)
	v2 := p.entry
	if j := p.blocks[0].joint; j < v2 {
		v2 = j
	}
	v := math.Sqrt(v2)
	clock := p.clock
	// Accelerations and speeds repeat; so do their inverses.
	acc2, slow, vmax, quick := 0.0, 0.0, 0.0, 0.0
	gap, mark := p.gap-first, p.nextMark()-first
	for i := range n {
		if int64(i) == gap {
			p.gapAt, p.gapDone = clock, true
		}
		for int64(i) >= mark {
			*p.begins.at(p.marks[p.timed].layer) = clock
			p.timed++
			mark = p.nextMark() - first
		}
		b := &p.blocks[i]
		x2 := 0.0
		if i+1 < p.n {
			x2 = p.blocks[i+1].joint
		}
		if b.acc2 != acc2 {
			acc2, slow = b.acc2, 1/b.acc2
		}
		if b.vmax != vmax {
			vmax, quick = b.vmax, 1/b.vmax
		}
		way := acc2 * b.length
		if e := v2 + way; e < x2 {
			x2 = e
		}
		top := vmax * vmax
		x := vmax
		if x2 < top {
			x = math.Sqrt(x2)
		}
		if peak2 := (way + v2 + x2) * 0.5; peak2 > top {
			clock += 2*(2*vmax-v-x)*slow + (b.length-(2*top-v2-x2)*slow)*quick
		} else {
			clock += 2 * (2*math.Sqrt(peak2) - v - x) * slow
		}
		v, v2 = x, x2
	}
	p.clock = clock
	p.entry = v2
	copy(p.blocks[:], p.blocks[n:p.n])
	p.n = keep
}

// nextMark returns the number of the block at which the next fold begins.
func (p *planner) nextMark() int64 {
	if p.timed == len(p.marks) {
		return math.MaxInt64 / 2
	}
	return p.marks[p.timed].seq
}

// open notes that a gap begins here; it may turn out to be a fold.
func (p *planner) open() { p.gap, p.gapDone = p.seq, false }

// fold says that the newest gap is the fold before the next layer.
func (p *planner) fold() {
	p.begins.add(p.gapAt)
	if !p.gapDone {
		if len(p.marks) == cap(p.marks) { // what is timed makes room
			p.marks = p.marks[:copy(p.marks, p.marks[p.timed:])]
			p.timed = 0
		}
		p.marks = append(p.marks, timeMark{p.gap, p.begins.n - 1})
	}
}

// unfold takes the newest fold back.
func (p *planner) unfold() {
	p.begins.drop()
	if k := len(p.marks) - 1; k >= p.timed && p.marks[k].layer == p.begins.n {
		p.marks = p.marks[:k]
	}
}

// finish brings everything to rest.
func (p *planner) finish() {
	p.drain(0)
	for _, m := range p.marks[p.timed:] {
		*p.begins.at(m.layer) = p.clock
	}
	p.marks, p.timed = nil, 0
}

// beginnings are when the folds are reached, by layer. They are kept in parts, since of a
// million of them a list that is copied each time it has grown leaves a lot behind.
type beginnings struct {
	parts [][]float64
	n     int
}

const beginningsPart = 1 << 14

func (b *beginnings) add(t float64) {
	if b.n == len(b.parts)*beginningsPart {
		b.parts = append(b.parts, make([]float64, 0, min(beginningsPart, b.n+64)))
	}
	k := b.n / beginningsPart
	b.parts[k] = append(b.parts[k], t)
	b.n++
}

func (b *beginnings) at(i int) *float64 { return &b.parts[i/beginningsPart][i%beginningsPart] }

func (b *beginnings) drop() {
	b.n--
	k := b.n / beginningsPart
	b.parts[k] = b.parts[k][:b.n%beginningsPart]
	b.parts = b.parts[:(b.n+beginningsPart-1)/beginningsPart]
}

func (b *beginnings) list() []float64 {
	list := make([]float64, 0, b.n)
	for _, p := range b.parts {
		list = append(list, p...)
	}
	return list
}

// take takes over what a lasting setting says about speeding up, and reports whether it
// says something.
func (p *limits) take(c *gcode.Command) bool {
	mm := func(l byte) float64 { return float64(c.Value(l)) / 1e6 }
	switch c.Code {
	case 204: // S for both, or P for printing and T for travel
		if v := mm('S'); v > 0 {
			p.print, p.travel = v, v
		}
		if v := mm('P'); v > 0 {
			p.print = v
		}
		if v := mm('T'); v > 0 {
			p.travel = v
		}
	case 205: // X and Y jerk, or J junction deviation
		if v := max(mm('X'), mm('Y')); v > 0 {
			p.jerk = v
		} else if v := mm('J'); v > 0 {
			// v² = a·J·sin(θ/2)/(1−sin(θ/2)); at a right angle that is
			// about 2.4·a·J, and jerk is what crosses such a corner.
			p.jerk = math.Sqrt(2.4 * v * p.print)
		}
	default:
		return false
	}
	return true
}
