// Package watch follows a print by the clock: nobody tells it how far the printer is, but for
// what a person says now and then.
//
//	pressed start          it stopped now        done, it goes on
//	|------ clock ----------------| stands |----------- clock ----------
//	0 s of the estimate      a place of it          from there on
//
// In between, the estimate is taken to pass as fast as it has been seen to pass, in this print
// or, before anything was seen, in earlier ones on the same printer.
package watch

import (
	"errors"
	"fmt"
	"time"
)

// Cue is a stop of the print: where it is reached, in seconds of the estimate.
type Cue struct {
	Ear     string
	Seconds float64
}

// Watch is what is known of a print that runs. The zero value knows nothing; see [Start].
type Watch struct {
	Started time.Time `json:"started"`
	// How many seconds pass for one of the estimate, as it was known when the print began.
	Pace  float64   `json:"pace"`
	Seen  []Mark    `json:"seen,omitempty"`
	Stops []Stop    `json:"stops,omitempty"` // in the order in which they came
	Ended time.Time `json:"ended,omitzero"`
	Wrong bool      `json:"wrong,omitempty"` // it ended because something went wrong
}

// Mark is a place that somebody has seen the printer at.
type Mark struct {
	At      time.Time `json:"at"`
	Seconds float64   `json:"seconds"`
}

// Stop is one of the stops, as it came.
type Stop struct {
	Ear     string    `json:"ear"`
	Seconds float64   `json:"seconds"`
	At      time.Time `json:"at"`
	Until   time.Time `json:"until,omitzero"` // zero while it lasts
	Passed  bool      `json:"passed,omitempty"`
}

// Bounds of how far an estimate is off: what is outside of them was tapped at the wrong moment,
// and nothing is learned from it.
const (
	slowest = 2.5
	fastest = 0.5
)

// enough is how much of the estimate must have passed between two places before they tell how
// fast it does, s.
const enough = 120

// Reasons for which something cannot be.
var (
	ErrOver    = errors.New("this print is over")
	ErrStands  = errors.New("the printer waits for you; say first that it goes on")
	ErrGoing   = errors.New("the printer does not wait, as far as is known")
	ErrNoStop  = errors.New("no stop comes any more")
	ErrEarlier = errors.New("the printer was further already")
)

// Start begins to watch a print. pace is as it was learned on this printer; 0 for nothing.
func Start(now time.Time, pace float64) *Watch {
	if !(pace >= fastest && pace <= slowest) {
		pace = 1
	}
	return &Watch{Started: now, Pace: pace}
}

// last is the newest place and time that are known.
func (w *Watch) last() Mark {
	m := Mark{At: w.Started}
	if n := len(w.Seen); n > 0 {
		m = w.Seen[n-1]
	}
	for _, s := range w.Stops {
		if !s.Passed && !s.Until.IsZero() && s.Until.After(m.At) {
			m = Mark{At: s.Until, Seconds: max(s.Seconds, m.Seconds)}
		}
	}
	return m
}

// Open returns the stop that lasts, or nil.
func (w *Watch) Open() *Stop {
	if n := len(w.Stops); n > 0 && w.Stops[n-1].Until.IsZero() && !w.Stops[n-1].Passed {
		return &w.Stops[n-1]
	}
	return nil
}

// came reports whether a stop has come.
func (w *Watch) came(ear string) bool {
	for i := range w.Stops {
		if w.Stops[i].Ear == ear {
			return true
		}
	}
	return false
}

// Now is where a print is, and what comes next.
type Now struct {
	Seconds float64 // of the estimate
	Pace    float64 // seconds for one of those
	Waits   bool    // somebody has said that it waits
	Due     bool    // it should have stopped by now
	Next    int     // index of the cue it waits at or comes to; -1 when none comes
	Left    float64 // s until it
	End     float64 // s until the end, stops left out
	Done    bool    // it should be over by now
}

// At works out where the print is at a time. total is how long it is, s of the estimate.
func (w *Watch) At(now time.Time, cues []Cue, total float64) Now {
	n := Now{Pace: w.Learned(), Next: -1}
	m := w.last()
	n.Seconds = min(m.Seconds+max(now.Sub(m.At).Seconds(), 0)/n.Pace, total)
	open := w.Open()
	if open != nil {
		n.Seconds, n.Waits = open.Seconds, true
	}
	for i, c := range cues {
		if open != nil && c.Ear == open.Ear {
			n.Next = i
			break
		}
		if !w.came(c.Ear) && open == nil {
			n.Next = i
			if c.Seconds <= n.Seconds { // it waits there, and nobody has said so
				n.Seconds, n.Due = max(c.Seconds, m.Seconds), true
			}
			n.Left = (c.Seconds - n.Seconds) * n.Pace
			break
		}
	}
	n.Left = max(n.Left, 0)
	n.End = max((total-n.Seconds)*n.Pace, 0)
	n.Done = !n.Waits && !n.Due && n.Seconds >= total
	return n
}

// Learned is how many seconds pass for one of the estimate: as this print has shown, stops left
// out, once enough of it has been seen; before that as it was known.
func (w *Watch) Learned() float64 {
	if p, ok := w.Own(); ok {
		return p
	}
	return w.Pace
}

// Own is the pace that this print by itself has shown; false when it has shown none.
func (w *Watch) Own() (float64, bool) {
	n := len(w.Seen)
	if n == 0 {
		return 0, false
	}
	m := w.Seen[n-1]
	if m.Seconds < enough {
		return 0, false
	}
	moved := m.At.Sub(w.Started)
	for _, s := range w.Stops {
		if !s.Passed && !s.Until.IsZero() && !s.Until.After(m.At) {
			moved -= s.Until.Sub(s.At)
		}
	}
	p := moved.Seconds() / m.Seconds
	return p, p >= fastest && p <= slowest
}

// see notes that the printer is at a place, when it can be.
func (w *Watch) see(now time.Time, seconds float64) error {
	if !w.Ended.IsZero() {
		return ErrOver
	}
	if m := w.last(); seconds < m.Seconds {
		return ErrEarlier
	}
	w.Seen = append(w.Seen, Mark{now, seconds})
	return nil
}

// Stopped says that the printer has stopped just now, at the next stop.
func (w *Watch) Stopped(now time.Time, cues []Cue) error {
	if w.Open() != nil {
		return ErrStands
	}
	for _, c := range cues {
		if w.came(c.Ear) {
			continue
		}
		if err := w.see(now, max(c.Seconds, w.last().Seconds)); err != nil {
			return err
		}
		w.Stops = append(w.Stops, Stop{Ear: c.Ear, Seconds: c.Seconds, At: now})
		return nil
	}
	return ErrNoStop
}

// GoesOn says that the printer goes on. Where nobody has said that it stopped, it did so when it
// was expected to.
func (w *Watch) GoesOn(now time.Time, cues []Cue, total float64) error {
	if !w.Ended.IsZero() {
		return ErrOver
	}
	if s := w.Open(); s != nil {
		s.Until = now
		return nil
	}
	at := w.At(now, cues, total)
	if !at.Due {
		return ErrGoing
	}
	c := cues[at.Next]
	m := w.last()
	took := max(c.Seconds-m.Seconds, 0) * at.Pace
	came := m.At.Add(time.Duration(took * float64(time.Second)))
	w.Stops = append(w.Stops, Stop{Ear: c.Ear, Seconds: c.Seconds, At: came, Until: now})
	return nil
}

// Is says where the printer is just now: the stops before that have come.
func (w *Watch) Is(now time.Time, seconds float64, cues []Cue, total float64) error {
	switch {
	case w.Open() != nil:
		return ErrStands
	case !(seconds >= 0 && seconds <= total):
		return fmt.Errorf("the print takes %.0f minutes; that is not in it", total/60)
	}
	if err := w.see(now, seconds); err != nil {
		return err
	}
	for _, c := range cues {
		if c.Seconds < seconds && !w.came(c.Ear) {
			w.Stops = append(w.Stops, Stop{Ear: c.Ear, Seconds: c.Seconds, At: now, Until: now,
				Passed: true})
		}
	}
	return nil
}

// Over says that the print is done, or, with wrong, that it ended before that.
func (w *Watch) Over(now time.Time, total float64, wrong bool) error {
	if !w.Ended.IsZero() {
		return ErrOver
	}
	if s := w.Open(); s != nil {
		s.Until = now
	}
	if !wrong {
		if err := w.see(now, total); err != nil {
			return err
		}
	}
	w.Ended, w.Wrong = now, wrong
	return nil
}

// Kept is the pace to go by at the next print on this printer: what was known, from so many prints,
// and what this one has shown. ok is false when it has shown nothing.
func (w *Watch) Kept(was float64, prints int) (pace float64, n int, ok bool) {
	own, ok := w.Own()
	if !ok {
		return was, prints, false
	}
	if !(was > 0) || prints < 1 {
		return own, 1, true
	}
	const most = 4 // so that a printer that was changed is learned anew
	k := float64(min(prints, most))
	return (was*k + own) / (k + 1), prints + 1, true
}
