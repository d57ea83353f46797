package web

import (
	"image/color"
	"sync"
	"testing"
	"time"

	"dogear/core/plan"
)

// TestHub wakes those who look at a print, once for any number of changes, and
// nobody else.
func TestHub(t *testing.T) {
	h := newHub()
	a, leaveA := h.listen([]int64{1})
	b, leaveB := h.listen([]int64{1})
	c, leaveC := h.listen([]int64{2})
	for range 3 {
		h.announce(1)
	}
	h.announce(9) // nobody looks
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
	h.announce(1)
	if len(b) != 1 {
		t.Error("who stays is no longer woken")
	}
	leaveB()
	leaveC()
	if len(h.seats) != 0 {
		t.Errorf("%v are kept", h.seats)
	}
	for range mostSeats {
		if seat, _ := h.listen([]int64{3}); seat == nil {
			t.Fatal("there is no seat")
		}
	}
	if seat, _ := h.listen([]int64{3}); seat != nil {
		t.Error("there is no end of seats")
	}
}

// TestVersionOf tells one state of what is marked from another.
func TestVersionOf(t *testing.T) {
	p := &plan.Plan{Format: plan.Format,
		Ears: []plan.Ear{{ID: "a1", BeforeLayer: 5, Kind: plan.Insert}}}
	v, s := versionOf(p), sign(&p.Ears[0])
	if v != versionOf(p) || s != sign(&p.Ears[0]) || v == "" || s == "" {
		t.Error("the same is told apart")
	}
	p.Ears[0].Note = "two nuts"
	if v == versionOf(p) || s == sign(&p.Ears[0]) {
		t.Error("what differs is not told apart")
	}
}

// TestTries lets a few wrong passphrases pass in a while, and forgets them.
func TestTries(t *testing.T) {
	var tr tries
	now := time.Date(2026, 11, 28, 9, 30, 0, 0, time.UTC)
	left := make(chan bool, 20*mostTries)
	var all sync.WaitGroup
	for i := range 20 * mostTries { // all at once
		all.Go(func() { left <- tr.take("10.0.0.7", now.Add(time.Duration(i)*time.Millisecond)) })
	}
	all.Wait()
	close(left)
	taken := 0
	for ok := range left {
		if ok {
			taken++
		}
	}
	if taken != mostTries {
		t.Errorf("%d tries were taken", taken)
	}
	if !tr.take("10.0.0.8", now.Add(time.Minute)) {
		t.Error("another address is kept out too")
	}
	if tr.right("10.0.0.8"); len(tr.all) != 1 {
		t.Error("who knows it is still counted")
	}
	if !tr.take("10.0.0.7", now.Add(triesIn+time.Minute)) {
		t.Error("they are never forgotten")
	}
}

// TestColours of a plan's picture are those of the cover.
func TestColours(t *testing.T) {
	for s, want := range map[string]color.NRGBA{"#b8362b": {0xb8, 0x36, 0x2b, 255},
		"#FFFFFF": {255, 255, 255, 255}, "red": {138, 143, 145, 255}, "": {138, 143, 145, 255}} {
		if got := rgb(s); got != want {
			t.Errorf("%q: %v, want %v", s, got, want)
		}
	}
	c := color.NRGBA{100, 100, 100, 255}
	for shade, want := range map[uint8]uint8{128: 100, 0: 35, 255: 176} {
		if got := shaded(c, shade); got.R < want-2 || got.R > want+2 || got.A != 255 {
			t.Errorf("shade %d: %v, want about %d", shade, got, want)
		}
	}
}
