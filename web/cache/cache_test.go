package cache

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// TestShared checks that what was used last is kept, that equal requests are joined, that a
// slow one keeps nobody else waiting, and that what nobody waits for is given up.
func TestShared(t *testing.T) {
	made := map[int]int{}
	var mu sync.Mutex
	s := New[int](10, func(v int) int64 { return int64(v) })
	get := func(k, weight int) {
		t.Helper()
		v, err := s.Get(t.Context(), k, func(context.Context) (int, error) {
			mu.Lock()
			defer mu.Unlock()
			made[k]++
			return weight, nil
		})
		if err != nil || v != weight {
			t.Fatal(v, err)
		}
	}
	for _, k := range []int{1, 2, 3, 1, 4, 1, 2} { // 3 each: three fit; 1 is used all the time
		get(k, 3)
	}
	if made[1] != 1 || made[2] != 2 || s.Len() != 3 {
		t.Errorf("made: %v, %d kept", made, s.Len())
	}
	get(9, 50) // heavier than all that is kept: it stays alone
	if s.Len() != 1 {
		t.Errorf("%d kept", s.Len())
	}
	// Twenty ask for one thing; another is made meanwhile.
	var calls atomic.Int32
	slow := make(chan struct{})
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			if v, err := s.Get(t.Context(), 100, func(context.Context) (int, error) {
				calls.Add(1)
				<-slow
				return 7, nil
			}); v != 7 || err != nil {
				t.Error(v, err)
			}
		})
	}
	for calls.Load() == 0 {
		time.Sleep(time.Millisecond)
	}
	get(5, 1)
	close(slow)
	all.Wait()
	if calls.Load() != 1 {
		t.Errorf("made %d times", calls.Load())
	}
	// The last one who waits goes away.
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() {
		_, _ = s.Get(ctx, 200, func(in context.Context) (int, error) {
			cancel()
			<-in.Done()
			ended <- in.Err()
			return 0, in.Err()
		})
	}()
	if err := <-ended; !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
	// What breaks down is an error, and is made again the next time.
	if _, err := s.Get(t.Context(), 300,
		func(context.Context) (int, error) { panic("broken") }); err == nil {
		t.Error("no error")
	}
	get(300, 1)
	// What has changed while it was made is not kept.
	if _, err := s.Get(t.Context(), 400, func(context.Context) (int, error) {
		s.Drop(400)
		return 1, nil
	}); err != nil {
		t.Error(err)
	}
	get(400, 2)
}
