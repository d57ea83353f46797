// Package gate asks the core what may be written, and keeps its answers.
package gate

import (
	"context"
	"fmt"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/release"
	"dogear/web/conn"
)

// Gate asks the core what may be written, and keeps the answers by the content of
// what was asked: writing right behind the proof takes no second examination. One
// that takes long goes on behind the page, which shows how far it is.
type Gate struct {
	mu   sync.Mutex
	kept map[string]*Asking
	used []string
	ctx  context.Context
	end  context.CancelFunc
	wg   sync.WaitGroup

	grace time.Duration // Grace, except in tests
}

// Asking is an examination under way, or done. Its fields are guarded by Gate.mu
// until finished is closed.
type Asking struct {
	gate     *Gate
	of       string // whose it is; a newer one of the same takes its place
	done     float64
	waiting  int       // requests that wait for it
	left     time.Time // when the last of them went
	finished chan struct{}
	Cancel   context.CancelFunc
	Out      *release.Release
	err      error
}

// mostKept bounds the answers that are kept.
const mostKept = 16

// New returns a gate at which nothing was asked yet.
func New() *Gate {
	g := &Gate{kept: map[string]*Asking{}, grace: Grace}
	g.ctx, g.end = context.WithCancel(context.Background())
	return g
}

// Stop gives up what is being asked and waits for its end.
func (g *Gate) Stop() {
	g.end()
	g.wg.Wait()
}

// Ask begins an examination, or finds one that was begun. One of the same print that is
// still under way is given up: nobody wants the answer to older marks.
func (g *Gate) Ask(key, of string, f func(ctx context.Context, ask release.Asked) (
	*release.Release, error)) *Asking {
	g.mu.Lock()
	defer g.mu.Unlock()
	if a := g.kept[key]; a != nil {
		return a
	}
	for _, a := range g.kept {
		if a.of == of {
			a.Cancel() // does nothing to one that is done
		}
	}
	ctx, cancel := context.WithCancel(g.ctx)
	a := &Asking{gate: g, of: of, left: time.Now(), finished: make(chan struct{}), Cancel: cancel}
	if len(g.used) >= mostKept {
		g.kept[g.used[0]].Cancel()
		delete(g.kept, g.used[0])
		g.used = g.used[1:]
	}
	g.kept[key], g.used = a, append(g.used, key)
	g.wg.Go(func() { a.watch(ctx) })
	g.wg.Go(func() {
		defer cancel()
		defer close(a.finished)
		defer func() {
			if v := recover(); v != nil {
				a.err = fmt.Errorf("the examination broke off: %v", v)
			}
			if a.err != nil {
				g.forget(key, a)
			}
		}()
		a.Out, a.err = f(ctx, release.Asked{Progress: func(done float64) {
			g.mu.Lock()
			a.done = done
			g.mu.Unlock()
		}})
	})
	return a
}

func (g *Gate) forget(key string, a *Asking) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.kept[key] != a {
		return // it was asked again meanwhile
	}
	delete(g.kept, key)
	for i, k := range g.used {
		if k == key {
			g.used = append(g.used[:i], g.used[i+1:]...)
			break
		}
	}
}

// Progress is how far an examination is, 0 to 1.
func (g *Gate) Progress(a *Asking) float64 {
	g.mu.Lock()
	defer g.mu.Unlock()
	return a.done
}

// Grace is how long an examination goes on that nobody waits for: a page that shows how
// far it is asks again within a second.
const Grace = 10 * time.Second

// watch gives an examination up that nobody has waited for of late.
func (a *Asking) watch(ctx context.Context) {
	tick := time.NewTicker(a.gate.grace / 4)
	defer tick.Stop()
	for {
		select {
		case <-a.finished:
			return
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		a.gate.mu.Lock()
		alone := a.waiting == 0 && time.Since(a.left) > a.gate.grace
		a.gate.mu.Unlock()
		if alone {
			a.Cancel()
			return
		}
	}
}

// Await waits for an answer as long as it takes, or until the other side has gone.
func (a *Asking) Await(c fiber.Ctx) error {
	ctx, stop := conn.WhileThere(c)
	defer stop()
	_, err := a.Within(ctx, 0)
	return err
}

// Within waits for an answer, and reports whether it came in time. No time waits as
// long as it takes.
func (a *Asking) Within(ctx context.Context, d time.Duration) (bool, error) {
	a.gate.mu.Lock()
	a.waiting++
	a.gate.mu.Unlock()
	defer func() {
		a.gate.mu.Lock()
		a.waiting--
		a.left = time.Now()
		a.gate.mu.Unlock()
	}()
	var late <-chan time.Time
	if d > 0 {
		t := time.NewTimer(d)
		defer t.Stop()
		late = t.C
	}
	select {
	case <-a.finished:
		return true, a.err
	case <-late:
		return false, nil
	case <-ctx.Done():
		return false, ctx.Err()
	}
}
