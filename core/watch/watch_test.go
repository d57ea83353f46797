package watch

import (
	"errors"
	"math"
	"testing"
	"time"
)

var (
	noon = time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)
	cues = []Cue{{"a1", 900}, {"a2", 2400}, {"a3", 2400.5}, {"a4", 6000}}
)

const total = 7200

func after(s float64) time.Time { return noon.Add(time.Duration(s * float64(time.Second))) }

// printer is a printer that takes longer or shorter than was estimated, and waits at its stops.
type printer struct{ pace float64 }

// run lets somebody watch a whole print on it: they come to each stop late by late seconds, say
// that it has stopped only at some of them, and need a while there. It returns how far off the
// watch was at each stop, just before that came, s.
func (p *printer) run(t *testing.T, w *Watch, says func(i int) bool,
	late, needs float64) []float64 {
	t.Helper()
	clock, at := 0.0, 0.0
	var off []float64
	for i, c := range cues {
		clock += (c.Seconds - at) * p.pace
		at = c.Seconds
		n := w.At(after(clock-0.001), cues, total)
		off = append(off, n.Left)
		if n.Next != i {
			t.Fatalf("stop %d: it waits for stop %d", i, n.Next)
		}
		if says(i) {
			if err := w.Stopped(after(clock), cues); err != nil {
				t.Fatal(err)
			}
			if n := w.At(after(clock+500), cues, total); !n.Waits || n.Seconds != c.Seconds {
				t.Fatalf("stop %d: %+v", i, n)
			}
		}
		clock += late + needs
		if err := w.GoesOn(after(clock), cues, total); err != nil {
			t.Fatalf("stop %d: %v", i, err)
		}
	}
	clock += (total - at) * p.pace
	if err := w.Over(after(clock), total, false); err != nil {
		t.Fatal(err)
	}
	return off
}

// TestDrift watches printers whose clocks are off: after the first stop that somebody has named
// the next ones are known, and the next print on that printer begins with what was learned.
func TestDrift(t *testing.T) {
	for _, pace := range []float64{0.9, 1, 1.1, 1.6} {
		p := &printer{pace}
		w := Start(noon, 0)
		off := p.run(t, w, func(int) bool { return true }, 0, 240)
		for i, o := range off[1:] {
			if math.Abs(o) > 2 {
				t.Errorf("pace %g: %.1f s off at stop %d", pace, o, i+2)
			}
		}
		learned, n, ok := w.Kept(0, 0)
		if !ok || n != 1 || math.Abs(learned-pace) > 0.02 {
			t.Errorf("pace %g: %g was learned from %d", pace, learned, n)
		}
		second := p.run(t, Start(noon, learned), func(int) bool { return false }, 1, 300)
		for i, o := range second {
			if o > 20 {
				t.Errorf("pace %g, the next print: %.1f s off at stop %d", pace, o, i+1)
			}
		}
	}
	if got, n, ok := (&Watch{Started: noon, Pace: 1}).Kept(1.2, 3); ok || got != 1.2 || n != 3 {
		t.Errorf("nothing was seen, and %g was learned", got)
	}
	w := &Watch{Started: noon, Seen: []Mark{{after(1320), 1200}}}
	if got, n, ok := w.Kept(1.2, 9); !ok || n != 10 || math.Abs(got-(1.2*4+1.1)/5) > 1e-9 {
		t.Errorf("%g from %d", got, n)
	}
}

// TestWatch goes through what can be said, in its order and out of it.
func TestWatch(t *testing.T) {
	w := Start(noon, 99) // out of reason
	if n := w.At(after(300), cues, total); n.Pace != 1 || n.Next != 0 || n.Left != 600 || n.Due {
		t.Errorf("%+v", n)
	}
	if err := w.GoesOn(after(300), cues, total); !errors.Is(err, ErrGoing) {
		t.Error(err)
	}
	if n := w.At(after(1500), cues, total); !n.Due || n.Seconds != 900 || n.Left != 0 {
		t.Errorf("it should have stopped: %+v", n)
	}
	if err := w.Stopped(after(1000), cues); err != nil {
		t.Fatal(err)
	}
	for _, err := range []error{w.Stopped(after(1001), cues), w.Is(after(1002), 2000, cues, total)} {
		if !errors.Is(err, ErrStands) {
			t.Error(err)
		}
	}
	if err := w.GoesOn(after(1200), cues, total); err != nil || w.Open() != nil {
		t.Error(err)
	}
	if err := w.Is(after(1300), 800, cues, total); !errors.Is(err, ErrEarlier) {
		t.Error(err)
	}
	if err := w.Is(after(1300), 9000, cues, total); err == nil {
		t.Error("a place behind the end")
	}
	if err := w.Is(after(3000), 3000, cues, total); err != nil {
		t.Fatal(err)
	}
	if n := w.At(after(3000), cues, total); n.Next != 3 {
		t.Errorf("two stops lie behind: %+v", n)
	}
	if err := w.Over(after(4000), total, true); err != nil || !w.Wrong {
		t.Error(err)
	}
	for _, err := range []error{w.Over(after(1), total, false), w.GoesOn(after(1), cues, total),
		w.Stopped(after(9e9), cues)} {
		if !errors.Is(err, ErrOver) {
			t.Error(err)
		}
	}
	early := Start(noon, 1.1)
	if err := early.Stopped(after(5), cues); err != nil || early.Learned() != 1.1 {
		t.Errorf("a tap by mistake: pace %g, %v", early.Learned(), err)
	}
	none := Start(noon, 1)
	if err := none.Stopped(after(1), nil); !errors.Is(err, ErrNoStop) {
		t.Error(err)
	}
	if n := none.At(after(8000), nil, total); !n.Done || n.Next != -1 || n.End != 0 {
		t.Errorf("%+v", n)
	}
}
