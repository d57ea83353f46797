package web

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/pickup"
	"dogear/core/release"
)

// gate asks the core what may be written, and keeps the answers by the content of
// what was asked: writing right behind the proof takes no second examination. One
// that takes long goes on behind the page, which shows how far it is.
type gate struct {
	mu   sync.Mutex
	kept map[string]*asking
	used []string
	ctx  context.Context
	end  context.CancelFunc
	wg   sync.WaitGroup

	grace time.Duration // grace, except in tests
}

// asking is an examination under way, or done. Its fields are guarded by gate.mu
// until finished is closed.
type asking struct {
	gate     *gate
	of       string // whose it is; a newer one of the same takes its place
	done     float64
	waiting  int       // requests that wait for it
	left     time.Time // when the last of them went
	finished chan struct{}
	cancel   context.CancelFunc
	out      *release.Release
	err      error
}

// mostKept bounds the answers that are kept.
const mostKept = 16

func newGate() *gate {
	g := &gate{kept: map[string]*asking{}, grace: grace}
	g.ctx, g.end = context.WithCancel(context.Background())
	return g
}

func (g *gate) stop() {
	g.end()
	g.wg.Wait()
}

// keyOf names what is asked by its content: the file, whether its pockets are known
// by now, and what is wanted of it.
func keyOf(what string, b *book, parts ...any) (string, error) {
	doc, err := json.Marshal(append(parts, b.print.ID, b.print.SHA256, b.marks != nil, b.ix.Dialect))
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%s/%x", what, sha256.Sum256(doc)), nil
}

// ask begins an examination, or finds one that was begun. One of the same print that is
// still under way is given up: nobody wants the answer to older marks.
func (g *gate) ask(key, of string, f func(ctx context.Context, ask release.Asked) (
	*release.Release, error)) *asking {
	g.mu.Lock()
	defer g.mu.Unlock()
	if a := g.kept[key]; a != nil {
		return a
	}
	for _, a := range g.kept {
		if a.of == of {
			a.cancel() // does nothing to one that is done
		}
	}
	ctx, cancel := context.WithCancel(g.ctx)
	a := &asking{gate: g, of: of, left: time.Now(), finished: make(chan struct{}), cancel: cancel}
	if len(g.used) >= mostKept {
		g.kept[g.used[0]].cancel()
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
		a.out, a.err = f(ctx, release.Asked{Progress: func(done float64) {
			g.mu.Lock()
			a.done = done
			g.mu.Unlock()
		}})
	})
	return a
}

func (g *gate) forget(key string, a *asking) {
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

// progress is how far an examination is, 0 to 1.
func (g *gate) progress(a *asking) float64 {
	g.mu.Lock()
	defer g.mu.Unlock()
	return a.done
}

// grace is how long an examination goes on that nobody waits for: a page that shows how
// far it is asks again within a second.
const grace = 10 * time.Second

// watch gives an examination up that nobody has waited for of late.
func (a *asking) watch(ctx context.Context) {
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
			a.cancel()
			return
		}
	}
}

// whileThere is a context that ends when the other side of a request has gone. Call stop in
// the end.
func whileThere(c fiber.Ctx) (ctx context.Context, stop func()) {
	conn := c.RequestCtx().Conn()
	ctx, cancel := context.WithCancel(c.Context())
	over := make(chan struct{})
	go func() {
		defer close(over)
		tick := time.NewTicker(time.Second)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				if gone(conn) {
					cancel()
				}
			}
		}
	}()
	return ctx, func() {
		cancel()
		<-over // nobody looks at the connection any more
	}
}

// await waits for an answer as long as it takes, or until the other side has gone.
func (a *asking) await(c fiber.Ctx) error {
	ctx, stop := whileThere(c)
	defer stop()
	_, err := a.within(ctx, 0)
	return err
}

// within waits for an answer, and reports whether it came in time. No time waits as
// long as it takes.
func (a *asking) within(ctx context.Context, d time.Duration) (bool, error) {
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

// asked answers for an error of the core: what is wrong with what was asked.
func asked(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, context.Canceled):
		return sentence(fiber.StatusConflict, "the examination was stopped, or what is marked was "+
			"changed meanwhile; open the page again")
	case errors.Is(err, release.ErrMarked):
		return sentence(fiber.StatusConflict, "this file was written by Dogear already; take its marks "+
			"over on the bench, then mark what you want")
	}
	return sentence(fiber.StatusConflict, err.Error())
}

// planned asks for a print with all that is marked in it.
func (s *Server) planned(b *book, m *marked) (*asking, error) {
	if err := readFor(b, m); err != nil {
		return nil, err
	}
	key, err := keyOf("plan", b, m.plan)
	if err != nil {
		return nil, err
	}
	of := fmt.Sprint("plan of ", b.print.ID)
	return s.gate.ask(key, of, func(ctx context.Context, ask release.Asked) (*release.Release, error) {
		ask.Accept = m.plan.Accept
		return release.Plan(ctx, b.src, b.ix, m.plan, b.found(), ask)
	}), nil
}

// readFor refuses to lay marks onto a print that is still being read again for their
// printer.
func readFor(b *book, m *marked) error {
	if b.ix.ReadsAlike(m.plan.Dialect()) {
		return nil
	}
	return sentence(fiber.StatusConflict,
		"this print is being read again for "+m.plan.Printer.Called()+
			"; wait a moment, then try again")
}

// picked asks for a pick-up of a print: the one with a number, 0 for the one that is
// worked on.
func (s *Server) picked(b *book, m *marked, id int64, c pickup.Choice) (*asking, error) {
	if err := readFor(b, m); err != nil {
		return nil, err
	}
	key, err := keyOf("pickup", b, m.plan, c)
	if err != nil {
		return nil, err
	}
	of := fmt.Sprintf("pick-up %d of %d", id, b.print.ID)
	return s.gate.ask(key, of, func(ctx context.Context, ask release.Asked) (*release.Release, error) {
		return release.Pickup(ctx, b.src, b.ix, m.plan, b.found(), c, ask)
	}), nil
}

// askedOf returns the print of a request, its marks and the examination of both.
func (s *Server) askedOf(c fiber.Ctx) (b *book, m *marked, q *asking, err error) {
	if b, m, err = s.openMarked(c); err == nil {
		q, err = s.planned(b, m)
	}
	return b, m, q, err
}
