// Package reading reads prints in the background and looks for their landmarks.
package reading

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/raster"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/hub"
	"dogear/web/say"
)

// Jobs reads prints in the background, one after another.
type Jobs struct {
	Store *store.Store
	Books *book.Books
	Hub   *hub.Hub
	Log   *slog.Logger
	// AtOnce is how long a print is looked at before it opens.
	AtOnce time.Duration

	mu      sync.Mutex
	all     map[int64]*Job
	looking map[int64]bool // prints whose landmarks are being found
	rereads map[int64]bool // prints that are being read again behind the open bench
	behind  chan struct{}  // holds one token: landmarks are found behind an open bench
	turn    chan struct{}  // holds one token: reading is bound by the processor
	wg      sync.WaitGroup
	ctx     context.Context
	end     context.CancelFunc
}

// Job is one reading. Its fields are guarded by Jobs.mu.
type Job struct {
	What   string
	Done   float64
	State  string // "reading", "ready", "refused"
	Err    string
	cancel context.CancelFunc
	ended  time.Time
	over   chan struct{} // closed when it has ended
}

// New returns the readings of a shelf. Books are dropped when they are read anew, and the hub
// tells those who look at them.
func New(st *store.Store, books *book.Books, h *hub.Hub, log *slog.Logger) *Jobs {
	j := &Jobs{Store: st, Books: books, Hub: h, Log: log, AtOnce: atOnce, all: map[int64]*Job{},
		looking: map[int64]bool{}, rereads: map[int64]bool{}, behind: make(chan struct{}, 1),
		turn: make(chan struct{}, 1)}
	j.ctx, j.end = context.WithCancel(context.Background())
	return j
}

// Stop ends what is being read and waits for it.
func (j *Jobs) Stop() {
	j.end()
	j.wg.Wait()
}

// Resume reads, one after another, the prints whose reading was broken off, or was made by an
// older version.
func (j *Jobs) Resume(ctx context.Context) error {
	prints, err := j.Store.Prints(ctx)
	if err != nil {
		return err
	}
	j.wg.Go(func() {
		for _, p := range prints {
			if p.State == "reading" && j.ctx.Err() == nil {
				<-j.Start(p)
			}
		}
	})
	return nil
}

// Start reads a print unless it is being read already. What it returns is closed when the
// reading has ended.
func (j *Jobs) Start(p store.Print) <-chan struct{} { return j.StartWith(p, nil) }

// StartWith goes on with a reading that began while the print arrived; nil begins one.
func (j *Jobs) StartWith(p store.Print, arr *layer.Arriving) <-chan struct{} {
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[p.ID]; o != nil && o.State == "reading" {
		if arr != nil {
			arr.Abandon()
		}
		return o.over
	}
	for id, o := range j.all { // forget what nobody asks for any more
		if o.State != "reading" && time.Since(o.ended) > time.Hour {
			delete(j.all, id)
		}
	}
	ctx, cancel := context.WithCancel(j.ctx)
	o := &Job{What: "Waiting for another print", State: "reading", cancel: cancel,
		over: make(chan struct{})}
	j.all[p.ID] = o
	j.wg.Go(func() {
		defer close(o.over)
		defer cancel()
		j.run(ctx, p, arr)
	})
	return o.over
}

func (j *Jobs) set(id int64, what string, done float64) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[id]; o != nil {
		o.What, o.Done = what, done
	}
}

// Get returns how far the reading of a print is, if it was read of late.
func (j *Jobs) Get(id int64) (Job, bool) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[id]; o != nil {
		return *o, true
	}
	return Job{}, false
}

// Cancel ends the reading of a print, and reports whether there was one.
func (j *Jobs) Cancel(id int64) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	o := j.all[id]
	if o == nil || o.State != "reading" {
		return false
	}
	o.cancel()
	return true
}

// pauses before a reading that failed for a reason of its own is tried again: the database
// may have been busy, or the disk full. The last one is taken again
// and again.
var pauses = []time.Duration{time.Second, 4 * time.Second, 15 * time.Second, time.Minute}

// isTransient reports whether what failed may go well at any time without anybody's doing here.
func isTransient(err error) bool {
	return errors.Is(err, store.ErrFull) || errors.Is(err, store.ErrBusy) ||
		errors.Is(err, store.ErrGone)
}

func (j *Jobs) run(ctx context.Context, p store.Print, arr *layer.Arriving) {
	var err error
	for k := 0; ; k++ {
		err = survive(func() error { return j.read(ctx, p, arr) })
		arr = nil // it is used up
		if err == nil || ctx.Err() != nil || errors.Is(err, context.Canceled) || IsRefusal(err) ||
			errors.Is(err, store.ErrNone) || k >= len(pauses) && !isTransient(err) {
			break
		}
		j.Log.Error("reading failed", "print", p.ID, "err", err)
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
		remove := !j.Store.Known(context.Background(), p.ID)
		switch {
		case errors.Is(err, context.Canceled):
			text = "The reading was cancelled; nothing was kept."
			if !remove {
				text = "The reading was cancelled; it is tried again at the next start."
			}
		case IsRefusal(err):
			text = say.Upper(err.Error())
		default:
			remove = false
			text = "The file could not be read now; it is tried again at the next start. The log says more."
		}
		if remove {
			if rerr := j.Store.Remove(context.Background(), p.ID); rerr != nil {
				j.Log.Error("removing a refused print", "print", p.ID, "err", rerr)
			}
		}
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	if o := j.all[p.ID]; o != nil {
		o.State, o.Err, o.Done, o.ended = state, text, 1, time.Now()
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

// IsRefusal reports whether an error is about what is in a file.
func IsRefusal(err error) bool {
	for _, r := range layer.Refusals {
		if errors.Is(err, r) {
			return true
		}
	}
	return false
}

func (j *Jobs) read(ctx context.Context, p store.Print, arr *layer.Arriving) error {
	return j.ReadFor(ctx, p, arr, j.AtOnce)
}

// ReadFor does so, and then looks at its layers for some time before it is ready.
func (j *Jobs) ReadFor(ctx context.Context, p store.Print, arr *layer.Arriving,
	long time.Duration) error {
	src := j.Store.Source(p)
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
func (j *Jobs) readLines(ctx context.Context, p store.Print, src layer.Source) (*layer.Index,
	error) {
	select {
	case j.turn <- struct{}{}:
		defer func() { <-j.turn }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	j.set(p.ID, "Reading the lines", 0)
	m, err := book.Marks(ctx, j.Store, p.ID)
	if err != nil {
		return nil, err
	}
	return layer.Read(ctx, src, layer.Options{Dialect: m.Plan.Dialect(),
		Progress: func(d float64) { j.set(p.ID, "Reading the lines", d*0.4) }})
}

// save keeps what was read, with the marks of the slicing before it.
func (j *Jobs) save(ctx context.Context, p store.Print, r *store.Reading) error {
	if p.Older != 0 && p.Rev == 0 {
		if err := j.carry(ctx, p, r); err != nil {
			return err
		}
	}
	return j.Store.SaveReading(ctx, p.ID, r)
}

// Again reads a print once more, behind the open bench, for a printer to which it means
// something else. What was read before stays until that is done.
func (j *Jobs) Again(b *book.Book, d gcode.Dialect) {
	j.mu.Lock()
	defer j.mu.Unlock()
	p := b.Print
	if j.rereads[p.ID] || j.ctx.Err() != nil {
		return
	}
	j.rereads[p.ID] = true
	j.wg.Go(func() {
		err := survive(func() error { return j.reread(b, d) })
		if err != nil && j.ctx.Err() == nil {
			j.Log.Error("reading again", "print", p.ID, "err", err)
		}
		j.Books.Drop(p.ID)
		j.mu.Lock()
		delete(j.rereads, p.ID)
		j.mu.Unlock()
		j.Hub.Announce(p.ID)
	})
}

func (j *Jobs) reread(b *book.Book, d gcode.Dialect) error {
	ix, err := layer.Read(j.ctx, b.Src, layer.Options{Dialect: d})
	if err != nil {
		return err
	}
	l := newLook(ix)
	if _, err := l.on(j.ctx, b.Src, ix, time.Now().Add(time.Hour), nil); err != nil {
		return err
	}
	return j.Store.SaveReading(j.ctx, b.Print.ID, &store.Reading{Index: ix, Outline: l.outline,
		Landmarks: l.finder.Report()})
}
