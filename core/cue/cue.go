// Package cue makes the timetable of a print: when each stop comes, at what time
// of day, and what is to be done there.
//
// In go a plan laid onto a file and the time at which the print starts; out
// comes a [Sheet], which is written as CSV or as a calendar here and as a page
// elsewhere. Times are those of the estimate; heating at the start and the time
// a person takes at a stop are not known, and said to be left out.
package cue

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"dogear/core/apply"
	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Sheet is the timetable of a print.
type Sheet struct {
	Name    string
	Printer string
	Resume  string  // how this printer is told to go on
	Holds   float64 // minutes for which it keeps its place while it waits; 0 when not known
	Start   time.Time
	Seconds float64 // of the print, without the stops
	Layers  int
	Rows    []Row
	Totals  []Total
	Common  []string // steps of all stops, with Gap where they differ; nil when they share few
	After   []string // what is put in when the print is done; nobody stops for it
}

// Row is a stop, or a heads-up before one.
type Row struct {
	Ear     string // its id; of several at one fold all, in the order of the stop
	HeadsUp bool
	At      time.Time // zero when no start is given
	Seconds float64   // into the print
	Layer   int
	Inside  bool
	Z       string // height, mm
	Number  string // the file's own number, when it has one
	Title   string
	Things  []string // of several ears at one fold the title of each; else nil
	Colour  string
	Ready   []string // what to have ready
	Steps   []string
	Own     []string // those of Steps that are not in Common
	Purge   float64  // mm
	Change  *Change  // of filament; nil when the stop is for something else
	Waits   float64  // s that the routine itself takes
}

// Change is a change of filament: the ear that makes it, the two by key and by name, and what
// is pushed through, mm.
type Change struct {
	Ear, From, To, Old, New string
	Purge                   float64
}

// Total is what a filament is needed for.
type Total struct {
	Name, Colour string
	Laid, Purged float64 // mm
	Grams        float64
	Bands        int
}

// New makes the sheet of a plan that was laid onto a file. A zero start leaves
// the time of day out.
func New(name string, src layer.Source, ix *layer.Index, p *plan.Plan, res *apply.Result,
	start time.Time) (*Sheet, error) {
	s := &Sheet{Name: name, Printer: p.Printer.Called(), Resume: p.Printer.Resume,
		Holds:   p.Printer.Holds,
		Start:   start,
		Seconds: ix.Seconds, Layers: len(ix.Layers)}
	for i := range res.Blocks {
		b := &res.Blocks[i]
		r := row(ix, p, b)
		r.Seconds = res.Takes(b.Fold.Seconds)
		if i > 0 && res.Blocks[i-1].Fold.Line == b.Fold.Line {
			s.Rows[len(s.Rows)-1].also(&r)
			continue
		}
		for _, h := range res.HeadsUps {
			if h.Ear == b.Ear.ID {
				at := res.Takes(b.Fold.Seconds - h.Before)
				s.Rows = append(s.Rows, Row{Ear: b.Ear.ID, HeadsUp: true, Seconds: at,
					Layer: max(ix.At(h.Line), 1), Title: "Heads-up: be there in " + figures.Hours(r.Seconds-at)})
			}
		}
		s.Rows = append(s.Rows, r)
	}
	s.share()
	s.Seconds = res.Takes(ix.Seconds)
	slices.SortStableFunc(s.Rows, func(a, b Row) int { return cmp.Compare(a.Seconds, b.Seconds) })
	late := 0.0 // what the stops before have taken by themselves
	for i := range s.Rows {
		r := &s.Rows[i]
		r.At = s.day(r.Seconds + late)
		late += r.Waits
	}
	totals, err := res.Totals(src, ix, p)
	if err != nil {
		return nil, err
	}
	for _, t := range totals {
		s.Totals = append(s.Totals, Total{p.FilamentName(t.Filament), p.Filaments[t.Filament].Colour,
			t.Laid, t.Purged, t.Grams, t.Bands})
	}
	return s, nil
}

// also takes what another ear at the same fold wants into a row: it is one stop.
func (r *Row) also(o *Row) {
	r.Ear += " " + o.Ear
	if r.Things == nil {
		r.Things = []string{r.Title}
	}
	r.Things = append(r.Things, o.Title)
	r.Title += "; " + o.Title
	if o.Colour != "" {
		r.Colour = o.Colour
	}
	r.Ready = append(r.Ready, o.Ready...)
	r.Steps = append(r.Steps, o.Steps...)
	r.Purge += o.Purge
	if o.Change != nil {
		r.Change = o.Change
	}
	r.Waits += o.Waits
}

func row(ix *layer.Index, p *plan.Plan, b *apply.Block) Row {
	e, l := &b.Ear, &ix.Layers[b.Fold.Layer-1]
	r := Row{Ear: e.ID, Seconds: b.Fold.Seconds, Layer: b.Fold.Layer, Inside: b.Fold.Inside,
		Z: (l.Z - l.Height).String()}
	if l.HasNumber {
		r.Number = fmt.Sprint(l.Number)
	}
	switch e.Kind {
	case plan.Colour:
		r.Title, r.Colour = "Change to "+p.FilamentName(e.Filament), p.Filaments[e.Filament].Colour
		r.Ready = append(r.Ready, p.FilamentName(e.Filament))
	case plan.Nozzle:
		r.Title = "Swap the nozzle"
		if e.Nozzle > 0 {
			r.Title = fmt.Sprintf("Swap to the %g mm nozzle", e.Nozzle)
		}
		r.Ready = append(r.Ready, "the other nozzle", "a spanner")
	case plan.Own:
		r.Title = "Own lines"
	default:
		r.Title = "Put something in"
		if e.Insert != nil && e.Insert.Name != "" {
			what := e.Insert.Name
			if e.Count > 1 {
				what = fmt.Sprintf("%d × %s", e.Count, what)
			}
			r.Title, r.Ready = "Put in "+what, append(r.Ready, what)
		}
	}
	if e.Note != "" {
		r.Title = e.Note
		if e.Kind == plan.Insert && len(r.Ready) == 0 {
			r.Ready = append(r.Ready, e.Note)
		}
	}
	r.Steps = append(r.Steps, into(b)...)
	for _, st := range b.Steps {
		r.Steps = append(r.Steps, st.Words(p, e))
	}
	for i := range b.Lines {
		ln := &b.Lines[i]
		r.Waits += ln.Seconds
		if ln.Purge {
			r.Purge = p.PurgeOf(e, b.Steps[ln.Step])
		}
	}
	if e.Kind == plan.Colour && e.Filament != "" && r.Purge > 0 {
		r.Change = &Change{e.ID, e.From, e.Filament, p.FilamentName(e.From),
			p.FilamentName(e.Filament), r.Purge}
	}
	return r
}

// into says where something goes, how it is held, and which pole faces up.
func into(b *apply.Block) []string {
	var out []string
	e := &b.Ear
	for i := range b.Fits {
		f := &b.Fits[i]
		p := f.Pocket
		where := fmt.Sprintf("%s pocket at X %.0f Y %.0f", p.Shape, p.Centre[0], p.Centre[1])
		if p.Shape == "ball" {
			where = fmt.Sprintf("ball's hollow at X %.0f Y %.0f", p.Centre[0], p.Centre[1])
		}
		words := "Goes into the " + where
		if f.Count > 1 {
			words = fmt.Sprintf("%d, one on another, go into the %s", f.Count, where)
		}
		if e.Insert.Magnet && e.Pole == plan.Opposite {
			words += []string{", mark up", ", mark down"}[i%2]
		}
		if i < 12 {
			out = append(out, words)
		}
	}
	if n := len(b.Fits) - 12; n > 0 {
		out = append(out, fmt.Sprintf("and so on, %d pockets more", n))
	}
	if len(b.Fits) > 0 && e.Insert.Magnet {
		switch e.Pole {
		case plan.Alike:
			out = append([]string{"Mark one face of each magnet by its pole; all marks face up"}, out...)
		case plan.Opposite:
			out = append([]string{"Mark one face of each magnet by its pole"}, out...)
		default:
			out = append([]string{"Mind which pole of the magnet faces up"}, out...)
		}
		out = append(out, "Keep the magnet from the nozzle: press it in, or hold it with a drop of glue")
	}
	return out
}

// day is the time of day at so many seconds into the print.
func (s *Sheet) day(seconds float64) time.Time {
	if s.Start.IsZero() {
		return time.Time{}
	}
	return s.Start.Add(time.Duration(seconds * float64(time.Second))).Truncate(time.Second)
}

// End is when the print is done, the stops' own times included.
func (s *Sheet) End() time.Time {
	late := 0.0
	for _, r := range s.Rows {
		late += r.Waits
	}
	return s.day(s.Seconds + late)
}

// CSV writes the sheet as a table with a head line.
func (s *Sheet) CSV(w io.Writer) error {
	out := csv.NewWriter(w)
	rows := [][]string{{"kind", "ear", "time of day", "into the print", "before layer",
		"file number", "height mm", "what", "have ready", "purge mm", "steps"}}
	for _, r := range s.Rows {
		kind, at := "stop", ""
		if r.HeadsUp {
			kind = "heads-up"
		}
		if !r.At.IsZero() {
			at = r.At.Format("2006-01-02 15:04:05")
		}
		rows = append(rows, []string{kind, r.Ear, at, figures.Clock(r.Seconds), fmt.Sprint(r.Layer),
			r.Number, r.Z, r.Title, strings.Join(r.Ready, "; "), fmt.Sprintf("%g", r.Purge),
			strings.Join(r.Steps, "; ")})
	}
	for _, text := range s.After {
		rows = append(rows, []string{"when it is done", "", "", figures.Clock(s.Seconds), "", "", "",
			text, "", "", ""})
	}
	for _, r := range rows {
		for i, c := range r { // a table program must not take a text for a formula
			if c != "" && strings.ContainsRune("=+-@", rune(c[0])) {
				r[i] = "'" + c
			}
		}
		if err := out.Write(r); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// Calendar writes the sheet as an iCalendar file (RFC 5545) with an alarm two
// minutes before each stop. It needs a start.
func (s *Sheet) Calendar(w io.Writer, now time.Time) error {
	if s.Start.IsZero() {
		return fmt.Errorf("a calendar needs the time at which the print starts")
	}
	const stamp = "20060102T150405Z"
	var b strings.Builder
	line := func(t string) { fold(&b, t) }
	line("BEGIN:VCALENDAR")
	line("VERSION:2.0")
	line("PRODID:-//Dogear//cue sheet//EN")
	for i, r := range s.Rows {
		if r.HeadsUp {
			continue
		}
		line("BEGIN:VEVENT")
		line(fmt.Sprintf("UID:%s-%d-%s@dogear", r.Ear, i, s.Start.UTC().Format(stamp)))
		line("DTSTAMP:" + now.UTC().Format(stamp))
		line("DTSTART:" + r.At.UTC().Format(stamp))
		line("DTEND:" + r.At.Add(5*time.Minute).UTC().Format(stamp))
		line("SUMMARY:" + escape(fmt.Sprintf("%s: %s", s.Name, r.Title)))
		text := fmt.Sprintf("Stops before layer %d at %s mm.\n%s", r.Layer, r.Z,
			strings.Join(r.Steps, "\n"))
		if s.Resume != "" {
			text += "\nTo go on: " + s.Resume
		}
		if s.Holds > 0 {
			text += fmt.Sprintf("\nBe there within %g min: longer, and the printer may let go of its "+
				"motors.", s.Holds)
		}
		line("DESCRIPTION:" + escape(text))
		line("BEGIN:VALARM")
		line("ACTION:DISPLAY")
		line("DESCRIPTION:" + escape(r.Title))
		line("TRIGGER:-PT2M")
		line("END:VALARM")
		line("END:VEVENT")
	}
	if len(s.After) > 0 {
		line("BEGIN:VEVENT")
		line(fmt.Sprintf("UID:done-%s@dogear", s.Start.UTC().Format(stamp)))
		line("DTSTAMP:" + now.UTC().Format(stamp))
		line("DTSTART:" + s.End().UTC().Format(stamp))
		line("DTEND:" + s.End().Add(5*time.Minute).UTC().Format(stamp))
		line("SUMMARY:" + escape(s.Name+": when it is done"))
		line("DESCRIPTION:" + escape(strings.Join(s.After, "\n")))
		line("END:VEVENT")
	}
	line("END:VCALENDAR")
	_, err := io.WriteString(w, b.String())
	return err
}

var escaper = strings.NewReplacer("\\", "\\\\", ";", "\\;", ",", "\\,", "\n", "\\n", "\r", "")

func escape(s string) string { return escaper.Replace(s) }

// fold writes a content line, folded at 75 bytes as the format asks.
func fold(b *strings.Builder, t string) {
	room := 75
	for len(t) > room {
		n := room
		for n > 0 && t[n]&0xc0 == 0x80 {
			n--
		}
		b.WriteString(t[:n] + "\r\n ")
		t, room = t[n:], 74
	}
	b.WriteString(t + "\r\n")
}
