package rehearse

import (
	"context"
	"sync"
	"time"

	"dogear/core/apply"
	"dogear/core/printer"
)

// rehearsals are the files that run on the simulated printer, one a print.
type rehearsals struct {
	mu  sync.Mutex
	all map[int64]*rehearsal
	ctx context.Context
	end context.CancelFunc
}

// maxRehearsals bounds the files that are held in memory.
const maxRehearsals = 4

// rehearsal is one file on the printer. Its clock runs while somebody looks.
type rehearsal struct {
	mu      sync.Mutex
	sim     *printer.Printer
	speed   float64 // simulated seconds a second; 0 while it is paused
	lines   apply.LineMap
	steps   map[string][]string
	ears    []earAt
	looking int // browsers that listen
	used    time.Time
	of      string // the marks and the reading that it was loaded with
	log     []printer.Event
	dropped int  // events that the log no longer holds
	noted   bool // in the diary, that it came to the end
}

type earAt struct {
	from, to int64 // lines of the edited file
	id       string
}

// stays reports whether a rehearsal goes on when somebody opens its page: somebody is at
// it, or was a moment ago with the marks as they are.
func (r *rehearsal) stays(of string) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.looking > 0 || r.of == of && time.Since(r.used) < 2*time.Minute
}

// moment is what the page is told ten times a second.
type moment struct {
	printer.Seen
	Original int64           `json:"original"` // line of the original that was carried out last
	Ear      string          `json:"ear"`      // whose lines are carried out
	Steps    []string        `json:"steps"`
	Speed    float64         `json:"speed"`
	Events   []printer.Event `json:"events"`
	ended    bool            // just now, at the end of the file
}

const beat = 100 * time.Millisecond

// maxLogged bounds the events that are kept.
const maxLogged = 4000

// beat lets the clock run on to now and returns what is to be told: events from
// number at on.
func (r *rehearsal) beat(at int) (moment, int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	now := time.Now()
	if r.speed > 0 {
		r.sim.Run(r.sim.Time + r.speed*min(now.Sub(r.used).Seconds(), 0.5))
	}
	r.used = now
	r.log = append(r.log, r.sim.Take()...)
	if n := len(r.log) - maxLogged; n > 0 {
		r.log, r.dropped = r.log[n:], r.dropped+n
	}
	seen := r.sim.See()
	m := moment{Seen: seen, Original: r.lines.Original(seen.Line), Speed: r.speed,
		Events: []printer.Event{}}
	from := max(at-r.dropped, 0)
	m.Events = append(m.Events, r.log[min(from, len(r.log)):]...)
	if seen.State == printer.Done && !r.noted {
		r.noted, m.ended = true, true
	}
	for _, e := range r.ears {
		if seen.Line >= e.from && seen.Line <= e.to {
			m.Ear, m.Steps = e.id, r.steps[e.id]
		}
	}
	return m, r.dropped + len(r.log)
}
