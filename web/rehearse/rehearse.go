// Package rehearse has the pages of the rehearsal.
package rehearse

import (
	"bufio"
	"bytes"
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
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
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// Rehearsals are the pages on which files run on the simulated printer.
type Rehearsals struct {
	*site.Site
	rehearsals
}

// New returns the pages of rehearsals. None runs yet.
func New(on *site.Site) *Rehearsals {
	s := &Rehearsals{Site: on, rehearsals: rehearsals{all: map[int64]*rehearsal{}}}
	s.ctx, s.end = context.WithCancel(context.Background())
	on.AtEnd(s.end)
	return s
}

// Routes adds the pages to a router.
func (s *Rehearsals) Routes(r site.Router) {
	r.Get("/prints/:id/rehearse", s.rehearsePage)
	r.Stream("/prints/:id/rehearse/events", s.rehearseEvents)
	r.Post("/prints/:id/rehearse", s.rehearse)
}

// maxRehearsed is the largest file that is rehearsed, in bytes: it is held in
// memory with all that is marked in it.
const maxRehearsed = 120 << 20

// load puts a print with its marks into the printer.
func (s *Rehearsals) loadRehearsal(b *book.Book, m *book.Marked) (*rehearsal, error) {
	if b.Src.Size() > maxRehearsed {
		return nil, say.Sentence(fiber.StatusConflict,
			"this file is too large to be rehearsed here; use "+
				"dogear rehearse")
	}
	res, err := apply.Plan(b.Src, b.Ix, m.Plan, b.Found())
	if err != nil {
		return nil, say.Sentence(fiber.StatusConflict, err.Error())
	}
	edit.Sort(res.Edits)
	var text bytes.Buffer
	if _, err := edit.Write(&text, b.Src, res.Edits); err != nil {
		return nil, err
	}
	src := bytes.NewReader(text.Bytes())
	ix, err := layer.Read(s.ctx, src, layer.Options{Dialect: m.Plan.Dialect()})
	if err != nil {
		return nil, say.Sentence(fiber.StatusConflict, err.Error())
	}
	r := &rehearsal{sim: printer.New(src, ix, m.Plan.Printer, nil), steps: map[string][]string{},
		lines: res.Lines(),
		used:  time.Now()}
	var before []string // steps of ears whose wait stands with the one behind them
	for i := range res.Blocks {
		bl := &res.Blocks[i]
		if i > 0 && res.Blocks[i-1].Fold.Line != bl.Fold.Line {
			before = nil
		}
		at := res.OutLines(i)
		r.ears = append(r.ears, earAt{at[0], at[1], bl.Ear.ID})
		words := slices.Clone(before)
		for _, st := range bl.Steps {
			words = append(words, st.Words(m.Plan, &bl.Ear))
		}
		before = words
		if slices.ContainsFunc(bl.Steps, func(s plan.Step) bool { return s.Do == "stop" }) {
			before = nil
		}
		r.steps[bl.Ear.ID] = words
		if m.Plan.Printer.Resume != "" {
			r.steps[bl.Ear.ID] = append(r.steps[bl.Ear.ID], "To go on: "+m.Plan.Printer.Resume)
		}
	}
	return r, nil
}

// How somebody comes to a rehearsal.
const (
	join  = iota // to the one that runs
	visit        // to it too, unless nobody is at it any more, or other marks are rehearsed by now
	anew         // to one that begins
)

// rehearsing returns the rehearsal of a print; without one a new one is loaded.
func (s *Rehearsals) rehearsing(c fiber.Ctx, how int) (*book.Book, *rehearsal, error) {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return nil, nil, err
	}
	rs := &s.rehearsals
	rs.mu.Lock()
	r := rs.all[b.Print.ID]
	rs.mu.Unlock()
	of := book.VersionOf(m.Plan) + b.Reading()
	if r != nil && (how == join || how == visit && r.stays(of)) {
		return b, r, nil
	}
	if r, err = s.loadRehearsal(b, m); err != nil {
		return nil, nil, err
	}
	r.of = of
	rs.mu.Lock()
	defer rs.mu.Unlock()
	if old := rs.all[b.Print.ID]; old != nil {
		old.mu.Lock()
		old.speed = 0
		old.mu.Unlock()
	}
	for len(rs.all) >= maxRehearsals { // the one that nobody has used for longest
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
	rs.all[b.Print.ID] = r
	return b, r, nil
}

func (s *Rehearsals) rehearsePage(c fiber.Ctx) error {
	b, _, err := s.rehearsing(c, visit)
	if err != nil {
		return err
	}
	return s.Page(c, "rehearse", fiber.Map{"Title": "Rehearsal of " + b.Print.Title, "At": "rehearse",
		"Print": b.Print, "Faults": faultWords, "Speeds": speeds})
}

// faultWords are the faults as a person calls them.
var faultWords = []fields.Choice{
	fields.Choose("power", "the power goes", false), fields.Choose("stop", "somebody presses stop",
		false),
	fields.Choose("sensor", "the filament runs out, a sensor notices", false),
	fields.Choose("runout", "the filament runs out, nothing notices", false),
	fields.Choose("jam", "the nozzle jams; the head goes on", false), fields.Choose("skip-x",
		"it loses its place in X", false),
	fields.Choose("skip-y", "it loses its place in Y", false),
}

var speeds = []int{1, 10, 100, 1000, 10000}

// rehearseEvents sends what happens, as server-sent events.
func (s *Rehearsals) rehearseEvents(c fiber.Ctx) error {
	b, r, err := s.rehearsing(c, join)
	if err != nil {
		return err
	}
	if !s.AdmitStream() {
		return site.ErrStreams
	}
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store")
	ctx := s.ctx
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer s.EndStream()
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
				s.Note(ctx, b.Print.ID, store.NoteRehearsed, "to the end, in %s of its time",
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

// rehearse carries out what a person does at the simulated printer.
func (s *Rehearsals) rehearse(c fiber.Ctx) error {
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
			return say.Sentence(fiber.StatusUnprocessableEntity, "there is no such speed")
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
			return say.Sentence(fiber.StatusUnprocessableEntity, "there is no such fault")
		}
		r.sim.Throw(f)
	case "pickup":
		evidence := r.sim.Evidence()
		for i := range evidence {
			if e := &evidence[i]; e.Kind == pickup.Line {
				e.Value = float64(r.lines.Original(int64(e.Value)))
			}
		}
		if len(evidence) == 0 {
			return say.Sentence(fiber.StatusConflict,
				"nothing is on the bed yet, so there is nothing to pick "+
					"up")
		}
		err := s.Store.ChangeDraft(c.Context(), b.Print.ID, func(d *store.PickupDoc) error {
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
		c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/pickup", b.Print.ID))
		return c.SendStatus(fiber.StatusOK)
	default:
		return say.Sentence(fiber.StatusUnprocessableEntity, "the printer does not understand that")
	}
	return c.SendStatus(fiber.StatusNoContent)
}
