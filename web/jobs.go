package web

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"sync"
	"time"

	"dogear/core/gcode"
	"dogear/core/landmark"
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
	atOnce  int64          // prints of up to so many bytes get their landmarks before they open
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
	return errors.Is(err, store.ErrFull) || errors.Is(err, store.ErrBusy) || errors.Is(err, store.ErrGone)
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
	src := j.s.cfg.Store.Source(p)
	var ix *layer.Index
	var err error
	if arr != nil { // it has all been read but for the end
		if ix, err = arr.Finish(ctx, src); err != nil {
			return err
		}
		if p.Bytes > j.atOnce {
			return j.save(ctx, p, &store.Reading{Index: ix, Outline: raster.Boxes(ix)})
		}
	}
	select {
	case j.turn <- struct{}{}:
		defer func() { <-j.turn }()
	case <-ctx.Done():
		return ctx.Err()
	}
	if ix == nil {
		j.set(p.ID, "Reading the lines", 0)
		m, err := j.s.marks(ctx, p.ID)
		if err != nil {
			return err
		}
		if ix, err = layer.Read(ctx, src, layer.Options{Dialect: m.plan.Dialect(),
			Progress: func(d float64) { j.set(p.ID, "Reading the lines", d*0.4) }}); err != nil {
			return err
		}
		if p.Bytes > j.atOnce {
			return j.save(ctx, p, &store.Reading{Index: ix, Outline: raster.Boxes(ix)})
		}
	}
	r := &store.Reading{Index: ix, Outline: raster.NewOutline(ix)}
	finder := landmark.NewFinder(ix)
	err = j.layers(ctx, p, ix, 0.4, func(n int, moves []layer.Move) {
		r.Outline.Add(ix, n, moves)
		finder.Add(n, moves)
	})
	if err != nil {
		return err
	}
	r.Landmarks = finder.Report()
	return j.save(ctx, p, r)
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
		delete(j.looking, p.ID)
		j.mu.Unlock()
		j.s.hub.tell(p.ID)
	})
}

func (j *jobs) reread(b *book, d gcode.Dialect) error {
	ix, err := layer.Read(j.ctx, b.src, layer.Options{Dialect: d})
	if err != nil {
		return err
	}
	r := &store.Reading{Index: ix, Outline: raster.NewOutline(ix)}
	finder := landmark.NewFinder(ix)
	if err := j.layers(j.ctx, b.print, ix, 0, func(n int, moves []layer.Move) {
		r.Outline.Add(ix, n, moves)
		finder.Add(n, moves)
	}); err != nil {
		return err
	}
	r.Landmarks = finder.Report()
	return j.s.cfg.Store.SaveReading(j.ctx, b.print.ID, r)
}

// atOnce is the size of a print, in bytes, up to which its layers are looked at before it
// opens; the outline and the landmarks of larger ones are found behind the open bench.
const atOnce = 40 << 20

// layers decodes all layers of a print and tells how far it is.
func (j *jobs) layers(ctx context.Context, p store.Print, ix *layer.Index, from float64, f func(n int, moves []layer.Move)) error {
	src := j.s.cfg.Store.Source(p)
	for n := 1; n <= len(ix.Layers); n++ {
		if err := ctx.Err(); err != nil {
			return err
		}
		if n%16 == 0 {
			j.set(p.ID, "Looking at the layers", from+(1-from)*float64(n)/float64(len(ix.Layers)))
		}
		moves, err := ix.Decode(src, n)
		if err != nil {
			return err
		}
		f(n, moves)
	}
	return nil
}

// lookAt finds the landmarks and the outline of a print, and keeps them, unless the print
// has been read for another printer meanwhile.
func (j *jobs) lookAt(b *book) error {
	finder, outline := landmark.NewFinder(b.ix), raster.NewOutline(b.ix)
	if err := j.layers(j.ctx, b.print, b.ix, 0, func(n int, moves []layer.Move) {
		outline.Add(b.ix, n, moves)
		finder.Add(n, moves)
	}); err != nil {
		return err
	}
	now, err := j.s.opened.get(j.ctx, b.print)
	if err != nil {
		return err
	}
	j.mu.Lock()
	other := j.rereads[b.print.ID] || now.reading() != b.reading()
	j.mu.Unlock()
	if other {
		return nil
	}
	return j.s.cfg.Store.SaveReading(j.ctx, b.print.ID, &store.Reading{Index: b.ix, Outline: outline,
		Landmarks: finder.Report()})
}

// landmarks finds the landmarks of a print that was opened without them.
func (j *jobs) landmarks(b *book) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.looking[b.print.ID] || j.ctx.Err() != nil {
		return
	}
	j.looking[b.print.ID] = true
	j.wg.Go(func() {
		select {
		case j.behind <- struct{}{}: // uploads need not wait for it
			defer func() { <-j.behind }()
		case <-j.ctx.Done():
			return
		}
		err := survive(func() error { return j.lookAt(b) })
		if err != nil && j.ctx.Err() == nil {
			j.s.log.Error("finding landmarks", "print", b.print.ID, "err", err)
		}
		j.s.opened.drop(b.print.ID)
	})
}
