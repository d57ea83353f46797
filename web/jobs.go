package web

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"sync"
	"time"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/raster"
	"dogear/store"
)

// jobs reads prints in the background, one after another.
type jobs struct {
	s       *Server
	mu      sync.Mutex
	all     map[int64]*job
	looking map[int64]bool // prints whose landmarks are being found
	rereads map[int64]bool // prints that are being read again behind the open bench
	atOnce  time.Duration  // how long a print is looked at before it opens
	behind  chan struct{}  // holds one token: landmarks are found behind an open bench
	turn    chan struct{}  // holds one token: reading is bound by the processor
	wg      sync.WaitGroup
	ctx     context.Context
	end     context.CancelFunc
}

// job is one reading. Its fields are guarded by jobs.mu.
type job struct {
	what   string
	done   float64
	state  string // "reading", "ready", "refused"
	err    string
	cancel context.CancelFunc
	ended  time.Time
	over   chan struct{} // closed when it has ended
}

func newJobs(s *Server) *jobs {
	j := &jobs{s: s, all: map[int64]*job{}, looking: map[int64]bool{}, rereads: map[int64]bool{},
		atOnce: atOnce, behind: make(chan struct{}, 1), turn: make(chan struct{}, 1)}
	j.ctx, j.end = context.WithCancel(context.Background())
	return j
}

func (j *jobs) stop() {
	j.end()
	j.wg.Wait()
}

// start reads a print unless it is being read already. What it returns is closed when the
// reading has ended.
func (j *jobs) start(p store.Print) <-chan struct{} { return j.startWith(p, nil) }

// startWith goes on with a reading that began while the print arrived; nil begins one.
func (j *jobs) startWith(p store.Print, arr *layer.Arriving) <-chan struct{} {
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[p.ID]; o != nil && o.state == "reading" {
		if arr != nil {
			arr.Abandon()
		}
		return o.over
	}
	for id, o := range j.all { // forget what nobody asks for any more
		if o.state != "reading" && time.Since(o.ended) > time.Hour {
			delete(j.all, id)
		}
	}
	ctx, cancel := context.WithCancel(j.ctx)
	o := &job{what: "Waiting for another print", state: "reading", cancel: cancel,
		over: make(chan struct{})}
	j.all[p.ID] = o
	j.wg.Go(func() {
		defer close(o.over)
		defer cancel()
		j.run(ctx, p, arr)
	})
	return o.over
}

func (j *jobs) set(id int64, what string, done float64) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[id]; o != nil {
		o.what, o.done = what, done
	}
}

func (j *jobs) get(id int64) (job, bool) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[id]; o != nil {
		return *o, true
	}
	return job{}, false
}

func (j *jobs) cancel(id int64) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	o := j.all[id]
	if o == nil || o.state != "reading" {
		return false
	}
	o.cancel()
	return true
}

// Pauses before a reading that failed for a reason of its own is tried again: the database
// may have been busy, or the disk full. The last one is taken again
// and again.
var pauses = []time.Duration{time.Second, 4 * time.Second, 15 * time.Second, time.Minute}

// passes reports whether what failed may go well at any time without anybody's doing here.
func passes(err error) bool {
	return errors.Is(err, store.ErrFull) || errors.Is(err, store.ErrBusy) ||
		errors.Is(err, store.ErrGone)
}

func (j *jobs) run(ctx context.Context, p store.Print, arr *layer.Arriving) {
	var err error
	for k := 0; ; k++ {
		err = survive(func() error { return j.read(ctx, p, arr) })
		arr = nil // it is used up
		if err == nil || ctx.Err() != nil || errors.Is(err, context.Canceled) || isRefusal(err) ||
			errors.Is(err, store.ErrNone) || k >= len(pauses) && !passes(err) {
			break
		}
		j.s.log.Error("reading failed", "print", p.ID, "err", err)
		j.set(p.ID, waitingFor(err), 0)
		select {
		case <-time.After(pauses[min(k, len(pauses)-1)]):
		case <-ctx.Done():
		}
	}
	if j.ctx.Err() != nil {
		return // the server stops; the reading goes on at the next start
	}
	state, text := "ready", ""
	if err != nil {
		state = "refused"
		// What was confirmed once stays: only a file that turns out to be none, or the
		// person, takes a new print away again.
		remove := !j.s.cfg.Store.Known(context.Background(), p.ID)
		switch {
		case errors.Is(err, context.Canceled):
			text = "The reading was cancelled; nothing was kept."
			if !remove {
				text = "The reading was cancelled; it is tried again at the next start."
			}
		case isRefusal(err):
			text = upper(err.Error())
		default:
			remove = false
			text = "The file could not be read now; it is tried again at the next start. The log says more."
		}
		if remove {
			if rerr := j.s.cfg.Store.Remove(context.Background(), p.ID); rerr != nil {
				j.s.log.Error("removing a refused print", "print", p.ID, "err", rerr)
			}
		}
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[p.ID]; o != nil {
		o.state, o.err, o.done, o.ended = state, text, 1, time.Now()
	}
}

// survive makes an error of what breaks down: it takes nothing else with it.
func survive(f func() error) (err error) {
	defer func() {
		if broke := recover(); broke != nil {
			err = fmt.Errorf("it broke down: %v\n%s", broke, debug.Stack())
		}
	}()
	return f()
}

// waitingFor says what a reading that is tried again waits for.
func waitingFor(err error) string {
	switch {
	case errors.Is(err, store.ErrFull):
		return "Waiting: the disk is full"
	case errors.Is(err, store.ErrBusy):
		return "Waiting: the database is busy"
	}
	return "Waiting to try it again"
}

func isRefusal(err error) bool {
	for _, r := range layer.Refusals {
		if errors.Is(err, r) {
			return true
		}
	}
	return false
}

func (j *jobs) read(ctx context.Context, p store.Print, arr *layer.Arriving) error {
	return j.readFor(ctx, p, arr, j.atOnce)
}

// readFor does so, and then looks at its layers for some time before it is ready.
func (j *jobs) readFor(ctx context.Context, p store.Print, arr *layer.Arriving,
	long time.Duration) error {
	src := j.s.cfg.Store.Source(p)
	var ix *layer.Index
	var err error
	if arr != nil { // it has all been read but for the end
		if ix, err = arr.Finish(ctx, src); err != nil {
			return err
		}
	} else if ix, err = j.readLines(ctx, p, src); err != nil {
		return err
	}
	// What is looked at in a moment is there when the print opens. The marks of an older
	// slicing go to what is seen in this one: they wait for all of it.
	r, l := &store.Reading{Index: ix, Outline: raster.Boxes(ix)}, newLook(ix)
	until := time.Now().Add(long)
	if p.Older != 0 && p.Rev == 0 {
		until = time.Now().Add(time.Hour)
	}
	done, err := l.on(ctx, src, ix, until, func(done float64) {
		j.set(p.ID, "Looking at the layers", 0.4+0.6*done)
	})
	if err != nil {
		return err
	}
	if done {
		r.Outline, r.Landmarks = l.outline, l.finder.Report()
	}
	if err := j.save(ctx, p, r); err != nil || done {
		return err
	}
	j.lookBehind(p, ix, l)
	return nil
}

// readLines reads a print that is here already, when it is its turn.
func (j *jobs) readLines(ctx context.Context, p store.Print, src layer.Source) (*layer.Index,
	error) {
	select {
	case j.turn <- struct{}{}:
		defer func() { <-j.turn }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	j.set(p.ID, "Reading the lines", 0)
	m, err := j.s.marks(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	return layer.Read(ctx, src, layer.Options{Dialect: m.plan.Dialect(),
		Progress: func(d float64) { j.set(p.ID, "Reading the lines", d*0.4) }})
}

// save keeps what was read, with the marks of the slicing before it.
func (j *jobs) save(ctx context.Context, p store.Print, r *store.Reading) error {
	if p.Older != 0 && p.Rev == 0 {
		if err := j.s.carry(ctx, p, r); err != nil {
			return err
		}
	}
	return j.s.cfg.Store.SaveReading(ctx, p.ID, r)
}

// again reads a print once more, behind the open bench, for a printer to which it means
// something else. What was read before stays until that is done.
func (j *jobs) again(b *book, d gcode.Dialect) {
	j.mu.Lock()
	defer j.mu.Unlock()
	p := b.print
	if j.rereads[p.ID] || j.ctx.Err() != nil {
		return
	}
	j.rereads[p.ID] = true
	j.wg.Go(func() {
		err := survive(func() error { return j.reread(b, d) })
		if err != nil && j.ctx.Err() == nil {
			j.s.log.Error("reading again", "print", p.ID, "err", err)
		}
		j.s.opened.drop(p.ID)
		j.mu.Lock()
		delete(j.rereads, p.ID)
		j.mu.Unlock()
		j.s.hub.announce(p.ID)
	})
}

func (j *jobs) reread(b *book, d gcode.Dialect) error {
	ix, err := layer.Read(j.ctx, b.src, layer.Options{Dialect: d})
	if err != nil {
		return err
	}
	l := newLook(ix)
	if _, err := l.on(j.ctx, b.src, ix, time.Now().Add(time.Hour), nil); err != nil {
		return err
	}
	return j.s.cfg.Store.SaveReading(j.ctx, b.print.ID, &store.Reading{Index: ix, Outline: l.outline,
		Landmarks: l.finder.Report()})
}
