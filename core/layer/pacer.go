package layer

import (
	"dogear/core/gcode"
)

// pacer hands movements to a planner that works beside the reading, on another core
// where there is one. What the reader knows of a movement goes into a batch; full
// batches go over a channel and come back empty.
type pacer struct {
	limits // in force at the line that is read
	p      *planner
	b      *batch
	full   chan *batch
	empty  chan *batch
	done   chan struct{}
	broke  any // what the planner broke down with; whoever reads breaks down with it in the end
}

// batch is a run of movements and of what lies between them, in their order.
type batch struct {
	ops  []op
	ends [][2]gcode.Nano // where level laying moves end, for the ops that name a count
}

// op is one call of the planner's.
type op struct {
	do   opKind
	n    int        // way: moves
	x, y gcode.Nano // way: where it begins
	a    [6]float64 // what the call takes
}

type opKind uint8

const (
	opMove opKind = iota // length, direction (3), speed, acceleration
	opTurn               // direction (2) in which an arc ends
	opWay                // speed
	opWait               // seconds
	opOpen
	opFold
	opUnfold
	opLimits // accelerations and jerk
)

// Sizes of a batch, and how many there are.
const (
	batchOps  = 1024
	batchEnds = 8192
	batches   = 4
)

func newPacer() *pacer {
	t := &pacer{limits: usual, p: &planner{limits: usual}, full: make(chan *batch, batches),
		empty: make(chan *batch, batches), done: make(chan struct{})}
	for range batches {
		t.empty <- &batch{make([]op, 0, batchOps+8), make([][2]gcode.Nano, 0, batchEnds)}
	}
	t.b = <-t.empty
	go func() {
		defer close(t.done)
		for b := range t.full {
			if t.broke == nil {
				t.broke = b.tryRun(t.p)
			}
			b.ops, b.ends = b.ops[:0], b.ends[:0]
			t.empty <- b
		}
	}()
	return t
}

// tryRun carries out a batch, and returns what it broke down with.
func (b *batch) tryRun(p *planner) (broke any) {
	defer func() { broke = recover() }()
	b.run(p)
	return nil
}

// run carries out a batch.
func (b *batch) run(p *planner) {
	at := 0
	for i := range b.ops {
		o := &b.ops[i]
		switch o.do {
		case opMove:
			p.move(o.a[0], o.a[1], o.a[2], o.a[3], o.a[4], o.a[5])
		case opTurn:
			p.ux, p.uy = o.a[0], o.a[1]
		case opWay:
			p.way(o.x, o.y, b.ends[at:at+o.n], o.a[0])
			at += o.n
		case opWait:
			p.wait(o.a[0])
		case opOpen:
			p.open()
		case opFold:
			p.fold()
		case opUnfold:
			p.unfold()
		case opLimits:
			p.limits = limits{o.a[0], o.a[1], o.a[2]}
		}
	}
}

// add puts an op into the batch, and sends the batch off when it is full.
func (t *pacer) add(o op) {
	t.b.ops = append(t.b.ops, o)
	if len(t.b.ops) >= batchOps {
		t.send()
	}
}

func (t *pacer) send() {
	t.full <- t.b
	t.b = <-t.empty
}

func (t *pacer) open()   { t.add(op{do: opOpen}) }
func (t *pacer) fold()   { t.add(op{do: opFold}) }
func (t *pacer) unfold() { t.add(op{do: opUnfold}) }

func (t *pacer) wait(seconds float64) { t.add(op{do: opWait, a: [6]float64{seconds}}) }

func (t *pacer) move(length, x, y, z, speed, acc float64) {
	t.add(op{do: opMove, a: [6]float64{length, x, y, z, speed, acc}})
}

func (t *pacer) turned(x, y float64) { t.add(op{do: opTurn, a: [6]float64{x, y}}) }

func (t *pacer) settings(c *gcode.Command) {
	if was := t.limits; t.take(c) && t.limits != was {
		t.add(op{do: opLimits, a: [6]float64{t.print, t.travel, t.jerk}})
	}
}

// room returns where the ends of at most n level laying moves go.
func (t *pacer) room(n int) [][2]gcode.Nano {
	if cap(t.b.ends)-len(t.b.ends) < n {
		t.send()
	}
	k := len(t.b.ends)
	return t.b.ends[k : k : k+n]
}

// way adds the moves from x, y whose ends lie in what room returned.
func (t *pacer) way(x, y gcode.Nano, ends [][2]gcode.Nano, speed float64) {
	t.b.ends = t.b.ends[:len(t.b.ends)+len(ends)]
	t.add(op{do: opWay, n: len(ends), x: x, y: y, a: [6]float64{speed}})
}

// stop waits until the planner has done all it was given.
func (t *pacer) stop() {
	if t.b != nil {
		t.full <- t.b
		t.b = nil
		close(t.full)
	}
	<-t.done
	if broke := t.broke; broke != nil { // over to whoever reads
		t.broke = nil
		panic(broke)
	}
}
