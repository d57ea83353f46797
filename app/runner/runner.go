// Package runner does long work once for all who ask for it.
//
// In goes a question, named by its content, and what answers it; out comes a [Job] that anybody may
// wait for. What always holds:
//
//   - equal questions are joined: one of them is worked on, all get its answer;
//   - so many are worked on at once, the others stand in line, in the order in which they came;
//   - what nobody waits for any more is given up, so that its place goes to the next;
//   - nobody's question is dropped because somebody else asks: answers are forgotten, the oldest
//     first, and questions never. Where the line is full, the one who comes last is told so.
package runner

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"
)

// Grace is how long work goes on that nobody waits for: a page that shows how far it is asks again
// within a second.
const Grace = 10 * time.Second

// ErrFull is the cause when the line is as long as it may be.
var ErrFull = errors.New("too many are waiting here; try again in a minute")

// Options of a runner; zero values stand for what is said behind them.
type Options struct {
	AtOnce int           // questions worked on at once: one
	Line   int           // questions that may be open, worked on or waiting: 256
	Keep   int           // answers that are kept: 16
	Grace  time.Duration // [Grace]
}

// Runner works on questions. Use [New].
type Runner[V any] struct {
	o    Options
	turn chan struct{} // has a token for each that may be worked on

	mu   sync.Mutex
	jobs map[string]*Job[V]
	done []string // keys of answers, the oldest first
	ctx  context.Context
	end  context.CancelFunc
	wg   sync.WaitGroup
}

// Job is a question that was asked. Its fields are guarded by Runner.mu until finished is closed.
type Job[V any] struct {
	runner   *Runner[V]
	of       string
	share    float64
	waiting  int       // who waits for it
	left     time.Time // when the last of them went
	finished chan struct{}
	cancel   context.CancelFunc
	out      V
	err      error
}

// New returns a runner that nobody has asked yet.
func New[V any](o Options) *Runner[V] {
	or := func(n *int, usual int) {
		if *n == 0 {
			*n = usual
		}
	}
	or(&o.AtOnce, 1)
	or(&o.Line, 256)
	or(&o.Keep, 16)
	if o.Grace == 0 {
		o.Grace = Grace
	}
	r := &Runner[V]{o: o, turn: make(chan struct{}, o.AtOnce), jobs: map[string]*Job[V]{}}
	r.ctx, r.end = context.WithCancel(context.Background())
	return r
}

// Stop gives up all work and waits for its end.
func (r *Runner[V]) Stop() {
	r.end()
	r.wg.Wait()
}

// Ask joins a question that is open or answered, or puts a new one into the line. f is called with
// a context that ends when nobody waits any more, and may say how far it is, from 0 to 1. An older
// question of the same subject is given up where nobody waits for it just now.
func (r *Runner[V]) Ask(key, of string, f func(ctx context.Context, progress func(float64)) (V,
	error)) (*Job[V], error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if j := r.jobs[key]; j != nil {
		return j, nil
	}
	if len(r.jobs)-len(r.done) >= r.o.Line {
		return nil, ErrFull
	}
	for _, j := range r.jobs {
		if j.of == of && j.waiting == 0 {
			j.cancel() // does nothing to one that is answered
		}
	}
	ctx, cancel := context.WithCancel(r.ctx)
	j := &Job[V]{runner: r, of: of, left: time.Now(), finished: make(chan struct{}), cancel: cancel}
	r.jobs[key] = j
	r.wg.Go(func() { j.watch(ctx) })
	r.wg.Go(func() { r.work(ctx, key, j, f) })
	return j, nil
}

// work answers a question when it is its turn.
func (r *Runner[V]) work(ctx context.Context, key string, j *Job[V],
	f func(context.Context, func(float64)) (V, error)) {
	defer j.cancel()
	defer close(j.finished)
	defer func() {
		if broke := recover(); broke != nil {
			j.err = fmt.Errorf("it broke off: %v", broke)
		}
		r.settle(key, j)
	}()
	select {
	case r.turn <- struct{}{}:
		defer func() { <-r.turn }()
	case <-ctx.Done():
		j.err = ctx.Err()
		return
	}
	if j.err = ctx.Err(); j.err != nil {
		return
	}
	j.out, j.err = f(ctx, func(share float64) {
		r.mu.Lock()
		j.share = share
		r.mu.Unlock()
	})
}

// settle keeps an answer, and forgets the oldest one where there are too many. What went wrong may
// be asked again.
func (r *Runner[V]) settle(key string, j *Job[V]) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if j.err != nil {
		delete(r.jobs, key)
		return
	}
	r.done = append(r.done, key)
	if len(r.done) > r.o.Keep {
		delete(r.jobs, r.done[0])
		r.done = r.done[1:]
	}
}

// watch gives up what nobody has waited for of late.
func (j *Job[V]) watch(ctx context.Context) {
	tick := time.NewTicker(j.runner.o.Grace / 4)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		j.runner.mu.Lock()
		alone := j.waiting == 0 && time.Since(j.left) > j.runner.o.Grace
		j.runner.mu.Unlock()
		if alone {
			j.cancel()
			return
		}
	}
}

// Cancel gives a question up.
func (j *Job[V]) Cancel() { j.cancel() }

// Progress is how far the work is, 0 to 1; 0 while it stands in line.
func (j *Job[V]) Progress() float64 {
	j.runner.mu.Lock()
	defer j.runner.mu.Unlock()
	return j.share
}

// Out is the answer, once Within has reported it.
func (j *Job[V]) Out() V { return j.out }

// Within waits for the answer, and reports whether it came in time. No time waits as
// long as it takes.
func (j *Job[V]) Within(ctx context.Context, d time.Duration) (bool, error) {
	j.runner.mu.Lock()
	j.waiting++
	j.runner.mu.Unlock()
	defer func() {
		j.runner.mu.Lock()
		j.waiting--
		j.left = time.Now()
		j.runner.mu.Unlock()
	}()
	var late <-chan time.Time
	if d > 0 {
		t := time.NewTimer(d)
		defer t.Stop()
		late = t.C
	}
	select {
	case <-j.finished:
		return true, j.err
	case <-late:
		return false, nil
	case <-ctx.Done():
		return false, ctx.Err()
	}
}
