// Package watch has the pages of the watch over prints that run.
package watch

import (
	"context"
	"embed"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/cue"
	"dogear/core/figures"
	"dogear/core/watch"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/cuesheet"
	"dogear/web/site"
)

// The watch lies beside the printer, on a phone: it counts down to the next stop, says what to
// have ready, and calls when the time has come.

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// pages are those of the watch over prints that run.
type pages struct{ *site.Site }

// Routes adds them.
func Routes(on *site.Site, r site.Router) {
	s := &pages{on}
	r.Get("/watch", s.watchList)
	r.Get("/prints/:id/watch", s.watchPage)
	r.Get("/prints/:id/watch/now", s.watchNow)
	r.Post("/prints/:id/watch/:do", s.watchDo)
}

// runningPrint is a print with what is known of where it is.
type runningPrint struct {
	b     *book.Book
	m     *book.Marked
	w     *watch.Watch // nil when nobody watches it
	sheet *cue.Sheet
	res   *apply.Result
	rows  []cue.Row // the stops; heads-ups are the file's own
	cues  []watch.Cue
}

// openWatched opens a print for its watch.
func (s *pages) openWatched(c fiber.Ctx) (*runningPrint, error) {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return nil, err
	}
	return s.watching(c.Context(), b, m)
}

// watching puts together what is known of a print that may run.
func (s *pages) watching(ctx context.Context, b *book.Book, m *book.Marked) (*runningPrint, error) {
	v := &runningPrint{b: b, m: m}
	var err error
	if v.sheet, v.res, err = cuesheet.Timetable(b, m, time.Time{}); err != nil {
		return nil, err
	}
	for _, r := range v.sheet.Rows {
		if !r.HeadsUp {
			v.rows = append(v.rows, r)
			v.cues = append(v.cues, watch.Cue{Ear: r.Ear, Seconds: r.Seconds})
		}
	}
	v.w, err = s.Store.Watch(ctx, b.Print.ID)
	if errors.Is(err, store.ErrNone) {
		err = nil
	}
	return v, err
}

// moment is what the page of a watch shows. Durations are in seconds.
type watchMoment struct {
	State   string       `json:"state"` // ready, runs, waits, due, done, over
	Left    float64      `json:"left"`  // to the next stop, or to the end
	Last    bool         `json:"last"`  // no stop comes any more
	Rate    float64      `json:"rate"`
	Fast    float64      `json:"fast"`  // how much faster than elsewhere the time of the watch passes
	Layer   int          `json:"layer"` // about here
	Layers  int          `json:"layers"`
	Percent float64      `json:"percent"`
	Next    *watchCue    `json:"next"`
	Coming  []watchCue   `json:"coming"`
	Stops   []watchStop  `json:"stops"`
	Over    *watchEnding `json:"over"`
}

type watchCue struct {
	Ear    string   `json:"ear"`
	Title  string   `json:"title"`
	Kind   string   `json:"kind"` // of the ear: colour, insert …
	Layer  int      `json:"layer"`
	Left   float64  `json:"left"`
	Colour string   `json:"colour"` // that goes in; empty for another kind of stop
	Was    string   `json:"was"`    // the colour that comes out
	Out    string   `json:"out"`    // its name
	Purge  float64  `json:"purge"`
	Learns string   `json:"learns"` // the ear about which "not clean" teaches something
	Ready  []string `json:"ready"`
	Steps  []string `json:"steps"`
}

type watchStop struct {
	Title string  `json:"title"`
	Took  float64 `json:"took"`
}

type watchEnding struct {
	Wrong bool    `json:"wrong"`
	Took  float64 `json:"took"`
	Stood float64 `json:"stood"`
	Rate  float64 `json:"rate"` // that it has shown; 0 for none
	Kept  bool    `json:"kept"` // with its printer in the Kit
}

// now is where the print is.
func (v *runningPrint) now(at time.Time) *watchMoment {
	m := &watchMoment{State: "ready", Layers: len(v.b.Ix.Layers), Rate: 1, Coming: []watchCue{},
		Stops: []watchStop{}}
	w := v.w
	if w == nil {
		if p := v.m.Plan.Printer.Pace; p > 0 {
			m.Rate = p
		}
		for i := range v.rows {
			m.Coming = append(m.Coming, v.cue(i, v.rows[i].Seconds*m.Rate))
		}
		m.Left = v.sheet.Seconds * m.Rate
		return m
	}
	titles := map[string]string{}
	for i := range v.rows {
		titles[v.rows[i].Ear] = v.rows[i].Title
	}
	stood := 0.0
	for _, st := range w.Stops {
		if !st.Passed && !st.Until.IsZero() {
			took := st.Until.Sub(st.At).Seconds()
			stood += took
			m.Stops = append(m.Stops, watchStop{titles[st.Ear], took})
		}
	}
	if !w.Ended.IsZero() {
		m.State = "over"
		m.Over = &watchEnding{Wrong: w.Wrong, Took: w.Ended.Sub(w.Started).Seconds(), Stood: stood}
		if rate, ok := w.Own(); ok && !w.Wrong {
			_, m.Over.Kept = v.m.Kit.Printers[v.m.Plan.Uses.Printer]
			m.Over.Rate = rate
		}
		return m
	}
	n := w.At(at, v.cues, v.sheet.Seconds)
	m.Rate, m.Last, m.Left = n.Pace, n.Next < 0, n.End
	m.Percent = 100 * n.Seconds / max(v.sheet.Seconds, 1)
	m.Layer = v.layerAt(n.Seconds)
	switch {
	case n.Waits:
		m.State = "waits"
	case n.Due:
		m.State = "due"
	case n.Done:
		m.State = "done"
	default:
		m.State = "runs"
	}
	if n.Next >= 0 {
		next := v.cue(n.Next, n.Left)
		m.Next, m.Left = &next, n.Left
		for i := n.Next + 1; i < len(v.rows); i++ {
			m.Coming = append(m.Coming, v.cue(i, (v.rows[i].Seconds-n.Seconds)*n.Pace))
		}
	}
	return m
}

// cue is what the page shows of a stop.
func (v *runningPrint) cue(i int, left float64) watchCue {
	r := &v.rows[i]
	c := watchCue{Ear: r.Ear, Title: r.Title, Layer: r.Layer, Left: left, Colour: r.Colour,
		Purge: r.Purge, Ready: append([]string{}, r.Ready...), Steps: append([]string{}, r.Steps...)}
	for _, e := range v.m.Plan.Ears { // of several at one stop the first
		if id, _, _ := strings.Cut(r.Ear, " "); e.ID == id {
			c.Kind = e.Kind
		}
	}
	if x := r.Change; x != nil {
		c.Out, c.Was, c.Learns = x.Old, v.m.Plan.Filaments[x.From].Colour, x.Ear
		if c.Title == "Change to "+x.New {
			c.Title = x.New
		}
	}
	return c
}

// layerAt is the layer that is laid at a moment of the estimate.
func (v *runningPrint) layerAt(seconds float64) int {
	n := 0
	for n < len(v.b.Ix.Layers) && v.res.Takes(v.b.Ix.Layers[n].Begin) <= seconds {
		n++
	}
	return n
}

// watchPage is the watch of a print.
func (s *pages) watchPage(c fiber.Ctx) error {
	v, err := s.openWatched(c)
	if err != nil {
		return err
	}
	state, err := json.Marshal(s.moment(v))
	if err != nil {
		return err
	}
	return s.Page(c, "watch", fiber.Map{"Title": "Watch of " + v.b.Print.Title, "At": "watch",
		"Print": v.b.Print, "Printer": v.m.Plan.Printer.Called(), "State": string(state),
		"Hour": s.hour()})
}

// hour is how long an hour takes on the watch, nothing when it takes an hour.
func (s *pages) hour() string {
	if s.Fast == 1 {
		return ""
	}
	return figures.Hours(3600 / s.Fast)
}

// watchNow says where the print is.
func (s *pages) watchNow(c fiber.Ctx) error {
	v, err := s.openWatched(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(s.moment(v))
}

// moment is where a print is just now.
func (s *pages) moment(v *runningPrint) *watchMoment {
	m := v.now(s.Now())
	m.Fast = s.Fast
	return m
}

// watchList shows all prints that are watched just now.
func (s *pages) watchList(c fiber.Ctx) error {
	ids, err := s.Store.Running(c.Context())
	if err != nil {
		return err
	}
	type running struct {
		Print store.Print
		M     *watchMoment
		In    string
	}
	var list []running
	for _, id := range ids {
		v, err := s.watchedOf(c.Context(), id)
		if err != nil {
			s.Log.Error("looking at a print that runs", "print", id, "err", err)
			continue
		}
		m := s.moment(v)
		list = append(list, running{v.b.Print, m, figures.Hours(m.Left)})
	}
	return s.Page(c, "running", fiber.Map{"Title": "What runs now", "At": "running", "Running": list})
}

// watchedOf opens a print by its number.
func (s *pages) watchedOf(ctx context.Context, id int64) (*runningPrint, error) {
	p, err := s.Store.Print(ctx, id)
	if err != nil {
		return nil, err
	}
	b, err := s.Books.Get(ctx, p)
	if err != nil {
		return nil, err
	}
	m, err := s.Marks(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.watching(ctx, b, m)
}
