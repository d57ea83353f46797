package runner

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// until is work that goes on until it is given up.
func until(ctx context.Context, _ func(float64)) (int, error) {
	<-ctx.Done()
	return 0, ctx.Err()
}

func ask(t *testing.T, r *Runner[int], key, of string, f func(context.Context,
	func(float64)) (int, error)) *Job[int] {
	t.Helper()
	j, err := r.Ask(key, of, f)
	if err != nil {
		t.Fatal(err)
	}
	return j
}

// TestCrowd answers everybody, however many ask for how many things at once: each question is
// worked on once, and never more than so many beside each other.
func TestCrowd(t *testing.T) {
	r := New[int](Options{AtOnce: 2, Keep: 4})
	defer r.Stop()
	var now, worked, all atomic.Int32
	var most atomic.Int32
	var wg sync.WaitGroup
	for n := range 120 {
		wg.Go(func() {
			k := n % 40
			j, err := r.Ask(fmt.Sprint(k), fmt.Sprint("print ", k), func(context.Context,
				func(float64)) (int, error) {
				defer now.Add(-1)
				if m := now.Add(1); m > most.Load() {
					most.Store(m)
				}
				worked.Add(1)
				time.Sleep(time.Millisecond)
				return k, nil
			})
			if err != nil {
				t.Error(err)
				return
			}
			if ready, err := j.Within(t.Context(), 0); !ready || err != nil || j.Out() != k {
				t.Error(ready, err, j.Out())
			}
			all.Add(1)
		})
	}
	wg.Wait()
	if all.Load() != 120 || most.Load() > 2 {
		t.Errorf("%d answered, %d at once", all.Load(), most.Load())
	}
}

// TestOlder gives up older questions of a subject that nobody waits for, and no others.
func TestOlder(t *testing.T) {
	r := New[int](Options{AtOnce: 4})
	defer r.Stop()
	old, other := ask(t, r, "a", "plan of 1", until), ask(t, r, "b", "plan of 2", until)
	if ask(t, r, "a", "plan of 1", until) != old {
		t.Error("the same question is worked on twice")
	}
	ask(t, r, "c", "plan of 1", until)
	if _, err := old.Within(t.Context(), 0); !errors.Is(err, context.Canceled) {
		t.Error("older marks are still worked on: ", err)
	}
	if ready, _ := other.Within(t.Context(), 10*time.Millisecond); ready {
		t.Error("another subject was given up")
	}
	heard := make(chan error, 1)
	go func() { _, err := other.Within(context.Background(), 0); heard <- err }()
	for waits := 0; waits == 0; time.Sleep(time.Millisecond) {
		r.mu.Lock()
		waits = other.waiting
		r.mu.Unlock()
	}
	ask(t, r, "d", "plan of 2", until)
	select {
	case err := <-heard:
		t.Error("somebody's question was dropped because somebody else asked: ", err)
	case <-time.After(20 * time.Millisecond):
	}
}

// TestFull tells the one who comes last that the line is full, and takes them when it is not.
func TestFull(t *testing.T) {
	r := New[int](Options{Line: 2})
	defer r.Stop()
	first := ask(t, r, "a", "a", until)
	ask(t, r, "b", "b", until)
	if _, err := r.Ask("c", "c", until); !errors.Is(err, ErrFull) {
		t.Error(err)
	}
	if ask(t, r, "a", "a", until) != first {
		t.Error("who joins needs no place in line")
	}
	first.Cancel()
	_, _ = first.Within(t.Context(), 0)
	ask(t, r, "c", "c", until)
}

// TestAlone gives up what nobody waits for any more, and goes on with what somebody asks after.
func TestAlone(t *testing.T) {
	r := New[int](Options{AtOnce: 2, Grace: 100 * time.Millisecond})
	defer r.Stop()
	left, watched := ask(t, r, "left", "left", until), ask(t, r, "watched", "watched", until)
	for range 40 {
		if ready, _ := watched.Within(t.Context(), 10*time.Millisecond); ready { // a page with a bar
			t.Fatal("what somebody asks after was given up")
		}
		select {
		case <-left.finished:
			return
		default:
		}
	}
	t.Error("what nobody waits for goes on")
}

// TestAgain asks again what went wrong, and not what was answered.
func TestAgain(t *testing.T) {
	r := New[int](Options{})
	defer r.Stop()
	times := 0
	f := func(_ context.Context, progress func(float64)) (int, error) {
		progress(0.5)
		if times++; times == 1 {
			panic("a bad day")
		}
		return times, nil
	}
	for n, want := range []int{0, 2, 2} {
		j := ask(t, r, "k", "k", f)
		_, err := j.Within(t.Context(), 0)
		if (err != nil) != (n == 0) || j.Out() != want || j.Progress() != 0.5 {
			t.Error(n, err, j.Out(), j.Progress())
		}
	}
}
