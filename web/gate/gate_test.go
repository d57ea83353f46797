package gate

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"dogear/core/release"
)

// TestGateGivesUp works on no answer that nobody waits for: newer marks of a print, or
// many other questions, end an examination, and one of another print goes on.
func TestGateGivesUp(t *testing.T) {
	g := New()
	defer g.Stop()
	begin := func(key, of string) *Asking {
		return g.Ask(key, of, func(ctx context.Context, _ release.Asked) (*release.Release, error) {
			<-ctx.Done()
			return nil, ctx.Err()
		})
	}
	old, other := begin("a", "plan of 1"), begin("b", "plan of 2")
	if begin("a", "plan of 1") != old {
		t.Error("the same question is worked on twice")
	}
	begin("c", "plan of 1")
	if _, err := old.Within(t.Context(), 0); !errors.Is(err, context.Canceled) {
		t.Error("older marks are still examined: ", err)
	}
	if ready, _ := other.Within(t.Context(), 10*time.Millisecond); ready {
		t.Error("the examination of another print was given up")
	}
	for k := range mostKept {
		begin(fmt.Sprint("many", k), fmt.Sprint("plan of ", 10+k))
	}
	if _, err := other.Within(t.Context(), 0); !errors.Is(err, context.Canceled) {
		t.Error("what is not kept any more is still examined: ", err)
	}
}

// TestGateAlone gives up what nobody waits for any more, and goes on with what somebody
// asks after.
func TestGateAlone(t *testing.T) {
	g := New()
	g.grace = 100 * time.Millisecond
	defer g.Stop()
	ended := make(chan string, 2)
	begin := func(key string) *Asking {
		return g.Ask(key, key, func(ctx context.Context, _ release.Asked) (*release.Release, error) {
			<-ctx.Done()
			ended <- key
			return nil, ctx.Err()
		})
	}
	begin("left")
	watched := begin("watched")
	for k := range 40 {
		_, _ = watched.Within(t.Context(), 10*time.Millisecond) // as a page does that shows a bar
		select {
		case key := <-ended:
			if key != "left" {
				t.Fatal("what somebody asks after was given up")
			}
			return
		default:
		}
		if k == 39 {
			t.Error("what nobody waits for goes on")
		}
	}
}
