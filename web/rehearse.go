package web

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/printer"
	"dogear/store"
)

// rehearseRoutes are those of the rehearsal.
func (s *Server) rehearseRoutes(r router) {
	r.get("/prints/:id/rehearse", s.rehearsePage)
	r.stream("/prints/:id/rehearse/events", s.rehearseEvents)
	r.post("/prints/:id/rehearse", s.rehearse)
}

// rehearsals are the files that run on the simulated printer, one a print.
type rehearsals struct {
	mu  sync.Mutex
	all map[int64]*rehearsal
	ctx context.Context
	end context.CancelFunc
}

func newRehearsals() *rehearsals {
	r := &rehearsals{all: map[int64]*rehearsal{}}
	r.ctx, r.end = context.WithCancel(context.Background())
	return r
}

// mostRehearsals bounds the files that are held in memory.
const mostRehearsals = 4

// mostRehearsed is the largest file that is rehearsed, in bytes: it is held in
// memory with all that is marked in it.
const mostRehearsed = 120 << 20

// rehearsal is one file on the printer. Its clock runs while somebody looks.
type rehearsal struct {
	mu      sync.Mutex
	sim     *printer.Printer
	speed   float64    // simulated seconds a second; 0 while it is paused
	put     []addition // lines that are not the original's
	steps   map[string][]string
	ears    []earAt
	looking int // browsers that listen
	used    time.Time
	of      string // the marks and the reading that it was loaded with
	log     []printer.Event
	dropped int  // events that the log no longer holds
	noted   bool // in the diary, that it came to the end
}

// addition is a run of lines that was put in front of a line of the original.
type addition struct {
	before int64
	count  int64
}

type earAt struct {
	from, to int64 // lines of the edited file
	id       string
}

// original turns a line of the edited file into one of the original.
func (r *rehearsal) original(line int64) int64 {
	added := int64(0)
	for _, p := range r.put {
		if line < p.before+added {
			break
		}
		if line < p.before+added+p.count {
			return p.before
		}
		added += p.count
	}
	return line - added
}

// load puts a print with its marks into the printer.
func (s *Server) loadRehearsal(b *book, m *marked) (*rehearsal, error) {
	if b.src.Size() > mostRehearsed {
		return nil, sentence(fiber.StatusConflict, "this file is too large to be rehearsed here; use "+
			"dogear rehearse")
	}
	res, err := apply.Plan(b.src, b.ix, m.plan, b.found())
	if err != nil {
		return nil, sentence(fiber.StatusConflict, err.Error())
	}
	edit.Sort(res.Edits)
	var text bytes.Buffer
	if _, err := edit.Write(&text, b.src, res.Edits); err != nil {
		return nil, err
	}
	src := bytes.NewReader(text.Bytes())
	ix, err := layer.Read(s.rehearsals.ctx, src, layer.Options{Dialect: m.plan.Dialect()})
	if err != nil {
		return nil, sentence(fiber.StatusConflict, err.Error())
	}
	r := &rehearsal{sim: printer.New(src, ix, m.plan.Printer, nil), steps: map[string][]string{},
		used: time.Now()}
	var before []string // steps of ears whose wait stands with the one behind them
	for i := range res.Blocks {
		bl := &res.Blocks[i]
		if i > 0 && res.Blocks[i-1].Fold.Line != bl.Fold.Line {
			before = nil
		}
		r.put = append(r.put, addition{bl.Fold.Line, int64(len(bl.Lines))})
		at := res.OutLines(i)
		r.ears = append(r.ears, earAt{at[0], at[1], bl.Ear.ID})
		words := slices.Clone(before)
		for _, st := range bl.Steps {
			words = append(words, st.Words(m.plan, &bl.Ear))
		}
		before = words
		if slices.ContainsFunc(bl.Steps, func(s plan.Step) bool { return s.Do == "stop" }) {
			before = nil
		}
		r.steps[bl.Ear.ID] = words
		if m.plan.Printer.Resume != "" {
			r.steps[bl.Ear.ID] = append(r.steps[bl.Ear.ID], "To go on: "+m.plan.Printer.Resume)
		}
	}
	for _, h := range res.HeadsUps {
		r.put = append(r.put, addition{h.Line, int64(len(h.Lines))})
	}
	for _, x := range res.Extras {
		r.put = append(r.put, addition{x.Line, int64(len(x.Lines))})
	}
	for _, w := range res.Rewritten {
		r.put = append(r.put, addition{w.Line, 1})
	}
	for _, mu := range res.Mutes {
		r.put = append(r.put, addition{mu.Span.To + 1, int64(len(mu.Lines))})
	}
	slices.SortStableFunc(r.put, func(a, b addition) int { return int(a.before - b.before) })
	return r, nil
}

// How somebody comes to a rehearsal.
const (
	join  = iota // to the one that runs
	visit        // to it too, unless nobody is at it any more, or other marks are rehearsed by now
	anew         // to one that begins
)

// stays reports whether a rehearsal goes on when somebody opens its page: somebody is at
// it, or was a moment ago with the marks as they are.
func (r *rehearsal) stays(of string) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.looking > 0 || r.of == of && time.Since(r.used) < 2*time.Minute
}

// rehearsing returns the rehearsal of a print; without one a new one is loaded.
func (s *Server) rehearsing(c fiber.Ctx, how int) (*book, *rehearsal, error) {
	b, m, err := s.openMarked(c)
	if err != nil {
		return nil, nil, err
	}
	rs := s.rehearsals
	rs.mu.Lock()
	r := rs.all[b.print.ID]
	rs.mu.Unlock()
	of := versionOf(m.plan) + b.reading()
	if r != nil && (how == join || how == visit && r.stays(of)) {
		return b, r, nil
	}
	if r, err = s.loadRehearsal(b, m); err != nil {
		return nil, nil, err
	}
	r.of = of
	rs.mu.Lock()
	defer rs.mu.Unlock()
	if old := rs.all[b.print.ID]; old != nil {
		old.mu.Lock()
		old.speed = 0
		old.mu.Unlock()
	}
	for len(rs.all) >= mostRehearsals { // the one that nobody has used for longest
		var oldest int64
		var since time.Time
		for id, o := range rs.all {
			o.mu.Lock()
			if oldest == 0 || o.used.Before(since) {
				oldest, since = id, o.used
			}
			o.mu.Unlock()
		}
		delete(rs.all, oldest)
	}
	rs.all[b.print.ID] = r
	return b, r, nil
}

func (s *Server) rehearsePage(c fiber.Ctx) error {
	b, _, err := s.rehearsing(c, visit)
	if err != nil {
		return err
	}
	return s.page(c, "rehearse", fiber.Map{"Title": "Rehearsal of " + b.print.Title, "At": "rehearse",
		"Print": b.print, "Faults": faultWords, "Speeds": speeds})
}

// faultWords are the faults as a person calls them.
var faultWords = []choice{
	{"power", "the power goes", false}, {"stop", "somebody presses stop", false},
	{"sensor", "the filament runs out, a sensor notices", false},
	{"runout", "the filament runs out, nothing notices", false},
	{"jam", "the nozzle jams; the head goes on", false}, {"skip-x", "it loses its place in X", false},
	{"skip-y", "it loses its place in Y", false},
}

var speeds = []int{1, 10, 100, 1000, 10000}

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

// rehearseEvents sends what happens, as server-sent events.
func (s *Server) rehearseEvents(c fiber.Ctx) error {
	b, r, err := s.rehearsing(c, join)
	if err != nil {
		return err
	}
	if !s.admitStream() {
		return errStreams
	}
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store")
	ctx := s.rehearsals.ctx
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer s.streams.Add(-1)
		r.mu.Lock()
		r.looking++
		at := r.dropped
		r.mu.Unlock()
		defer func() {
			r.mu.Lock()
			r.looking--
			r.mu.Unlock()
		}()
		tick := time.NewTicker(beat)
		defer tick.Stop()
		for {
			m, next := r.beat(at)
			at = next
			if m.ended {
				s.note(ctx, b.print.ID, store.NoteRehearsed, "to the end, in %s of its time",
					figures.Hours(m.Time))
			}
			j, err := json.Marshal(m)
			if err != nil {
				return
			}
			if _, err := fmt.Fprintf(w, "data: %s\n\n", j); err != nil || w.Flush() != nil {
				return // the browser has gone
			}
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
		}
	})
}

// mostLogged bounds the events that are kept.
const mostLogged = 4000

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
	if n := len(r.log) - mostLogged; n > 0 {
		r.log, r.dropped = r.log[n:], r.dropped+n
	}
	seen := r.sim.See()
	m := moment{Seen: seen, Original: r.original(seen.Line), Speed: r.speed, Events: []printer.Event{}}
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

// rehearse carries out what a person does at the simulated printer.
func (s *Server) rehearse(c fiber.Ctx) error {
	how := join
	if c.FormValue("do") == "again" {
		how = anew
	}
	b, r, err := s.rehearsing(c, how)
	if err != nil {
		return err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	switch do := c.FormValue("do"); do {
	case "again":
	case "speed":
		v, err := strconv.ParseFloat(c.FormValue("speed"), 64)
		if err != nil || !(v >= 0 && v <= 100000) {
			return sentence(fiber.StatusUnprocessableEntity, "there is no such speed")
		}
		if r.speed == 0 {
			r.used = time.Now()
		}
		r.speed = v
	case "resume":
		r.sim.Resume()
	case "fault":
		f := printer.Fault{Kind: c.FormValue("fault")}
		if !slices.Contains(printer.Faults, f.Kind) {
			return sentence(fiber.StatusUnprocessableEntity, "there is no such fault")
		}
		r.sim.Throw(f)
	case "pickup":
		evidence := r.sim.Evidence()
		for i := range evidence {
			if e := &evidence[i]; e.Kind == pickup.Line {
				e.Value = float64(r.original(int64(e.Value)))
			}
		}
		if len(evidence) == 0 {
			return sentence(fiber.StatusConflict, "nothing is on the bed yet, so there is nothing to pick "+
				"up")
		}
		err := s.cfg.Store.ChangeDraft(c.Context(), b.print.ID, func(d *store.PickupDoc) error {
			*d = store.PickupDoc{Evidence: evidence}
			for _, e := range evidence { // the host has kept the very line
				if e.Kind == pickup.Line {
					d.Choice.Start, d.Choice.Line = pickup.Mid, int64(e.Value)
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/pickup", b.print.ID))
		return c.SendStatus(fiber.StatusOK)
	default:
		return sentence(fiber.StatusUnprocessableEntity, "the printer does not understand that")
	}
	return c.SendStatus(fiber.StatusNoContent)
}
