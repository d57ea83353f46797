package hub

import (
	"testing"
)

// TestHub wakes those who look at a print, once for any number of changes, and
// nobody else.
func TestHub(t *testing.T) {
	h := New()
	a, leaveA := h.Listen([]int64{1})
	b, leaveB := h.Listen([]int64{1})
	c, leaveC := h.Listen([]int64{2})
	for range 3 {
		h.Announce(1)
	}
	h.Announce(9) // nobody looks
	for name, n := range map[string]int{"a": len(a), "b": len(b)} {
		if n != 1 {
			t.Errorf("%s is woken %d times", name, n)
		}
	}
	if len(c) != 0 {
		t.Error("another print's bench is woken")
	}
	leaveA()
	<-b
	h.Announce(1)
	if len(b) != 1 {
		t.Error("who stays is no longer woken")
	}
	leaveB()
	leaveC()
	if len(h.seats) != 0 {
		t.Errorf("%v are kept", h.seats)
	}
	for range maxSeats {
		if seat, _ := h.Listen([]int64{3}); seat == nil {
			t.Fatal("there is no seat")
		}
	}
	if seat, _ := h.Listen([]int64{3}); seat != nil {
		t.Error("there is no end of seats")
	}
}
