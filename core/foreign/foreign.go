// Package foreign reads the stops that a file came with, which Dogear has not written: what
// they say to somebody at the printer, what they are there for, and which lines belong to them.
package foreign

import (
	"bytes"
	"regexp"
	"strings"

	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Stop is a stop that a file came with.
type Stop struct {
	layer.Stop
	Sure    bool      // every printer stops there; else some do, or for a time
	Line    string    // what makes it stop, as a stop word; "" when only the printer's own will do
	Seconds float64   // after which it goes on by itself; 0 when it waits for somebody
	Text    string    // what it says to a person
	Kind    string    // what it is there for: [plan.Colour], [plan.Insert] or [plan.Nozzle]
	Own     plan.Span // its lines: itself, its message, and ways that were written for it
	Moves   plan.Span // lines that move the head for it, but cannot be left out alone; or zero
}

// Most is up to how many stops of a file are read.
const Most = 40

// Read reads the stops of a file in order. marks are its landmarks and pockets, nil as long as
// nobody has looked for them: they tell what a stop is there for that says nothing.
func Read(src layer.Source, ix *layer.Index, marks *landmark.Report) ([]Stop, error) {
	var out []Stop
	add := func(st layer.Stop, sure bool) error {
		if st.Ear != "" || sure && st.Before == 0 || len(out) == Most {
			return nil
		}
		s := Stop{Stop: st, Sure: sure}
		at, err := lookRound(src, ix, st.Line)
		if err != nil {
			return err
		}
		at.read(&s)
		s.Kind = kindOf(&s, marks)
		out = append(out, s)
		return nil
	}
	w := ix.Waits
	for _, st := range ix.Stops {
		for ; len(w) > 0 && w[0].Line < st.Line; w = w[1:] {
			if err := add(w[0], false); err != nil {
				return nil, err
			}
		}
		if err := add(st, true); err != nil {
			return nil, err
		}
	}
	for _, st := range w {
		if err := add(st, false); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// read fills in what the lines round a stop tell of it.
func (r *round) read(s *Stop) {
	n := s.Stop.Line
	s.Own = plan.Span{From: n, To: n}
	if r.stop < 0 {
		return
	}
	text, comment, _ := strings.Cut(r.lines[r.stop].text, ";")
	s.Line = strings.TrimSpace(text)
	s.Seconds = plan.StopsFor(s.Line)
	if m := behindStop.FindStringSubmatch(s.Line); m != nil && s.Seconds == 0 {
		s.Line, s.Text = s.Stop.Word, strings.TrimSpace(m[1])
	}
	if s.Text == "" {
		s.Text = r.said()
	}
	if s.Text == "" {
		s.Text = strings.TrimSpace(comment)
	}
	if s.Stop.Word[0] == 'T' && !s.Sure {
		// It changes for which tool all that comes is meant; it stays.
		s.Line, s.Own = "", plan.Span{}
		return
	}
	if plan.CheckStop(s.Line) != nil {
		s.Line = ""
	}
	s.Own, s.Moves = r.own()
}

// behindStop is the text that M0 and M1 show.
var behindStop = regexp.MustCompile(`(?i)^M[01]\s+(.*[a-z]{2}.*)$`)

// Words by which somebody says what is to be done at a stop.
var (
	insertSaid = regexp.MustCompile(
		`(?i)\b(nuts?|magnets?|put|insert|screws?|bearings?|washers?|balls?|pins?)\b`)
	nozzleSaid = regexp.MustCompile(`(?i)\bnozzle\b`)
	colourSaid = regexp.MustCompile(`(?i)colou?r|filament|change|load|swap|spool`)
)

// kindOf is what a stop is there for: what it says, else what its word says, else what lies
// there: a pocket that closes, or a step at which another colour would be seen.
func kindOf(s *Stop, marks *landmark.Report) string {
	switch {
	case nozzleSaid.MatchString(s.Text):
		return plan.Nozzle
	case insertSaid.MatchString(s.Text):
		return plan.Insert
	case colourSaid.MatchString(s.Text), plan.DrawsOut(s.Word), colourSaid.MatchString(s.Word),
		s.Word[0] == 'T' && !s.Sure:
		return plan.Colour
	}
	if marks == nil {
		return plan.Insert
	}
	for _, p := range marks.Pockets {
		if p.Closes != nil && *p.Closes == s.Before {
			return plan.Insert
		}
	}
	for _, l := range marks.Landmarks {
		if l.BeforeLayer != nil && *l.BeforeLayer == s.Before &&
			(l.Kind == landmark.Raised || l.Kind == landmark.FlatEnds) {
			return plan.Colour
		}
	}
	return plan.Insert
}

// line is a line near a stop.
type line struct {
	n     int64
	text  string
	word  string
	act   gcode.Act
	state gcode.State // behind it
}

// round is what lies between the laying moves before and behind a stop, as far as it is near.
type round struct {
	ix     *layer.Index
	before gcode.State // in front of the first line
	lines  []line
	stop   int   // which of the lines is the stop; -1 when it is not there
	next   *line // the laying move that comes next; nil when it is far away
}

// near is how many lines before and behind a stop are looked at.
const near = 40

// lookRound reads the lines round a stop.
func lookRound(src layer.Source, ix *layer.Index, at int64) (*round, error) {
	r := &round{ix: ix, stop: -1}
	from := max(at-near, 1)
	var err error
	if r.before, err = ix.StateAt(src, from); err != nil {
		return nil, err
	}
	err = ix.WalkFrom(src, from, at+near, func(n int64, text []byte, c *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		l := line{n, string(bytes.TrimSpace(text[:min(len(text), 400)])), c.Word(), *a, m.State}
		if a.Kind != gcode.Lay {
			if n == at {
				r.stop = len(r.lines)
			}
			r.lines = append(r.lines, l)
			return true
		}
		if n > at {
			r.next = &l
			return false
		}
		r.before, r.lines = m.State, r.lines[:0]
		return true
	})
	return r, err
}
