// Package foreign reads the stops that a file came with, which Dogear has not written: what
// they say to somebody at the printer, what they are there for, and which lines belong to them.
package foreign

import (
	"bytes"
	"regexp"
	"slices"
	"strings"

	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Stop is a stop that a file came with.
type Stop struct {
	layer.Stop
	Layer   int       // it stands before this layer, or
	Inside  bool      // inside it
	Sure    bool      // every printer stops there; else some do, or for a time
	Line    string    // what makes it stop, as a stop word; "" when only the printer's own will do
	Seconds float64   // after which it goes on by itself; 0 when it waits for somebody
	Text    string    // what it says to a person
	Kind    string    // what it is there for: [plan.Colour], [plan.Insert] or [plan.Nozzle]
	Own     plan.Span // its lines: itself, its message, and ways that were written for it
	Moves   plan.Span // lines that move the head for it, but cannot be left out alone; or zero
}

// Most is up to how many stops of a file are read.
const Most = 1000

// Read reads the stops of a file in order. marks are its landmarks and pockets, nil as long as
// nobody has looked for them: they tell what a stop is there for that says nothing.
func Read(src layer.Source, ix *layer.Index, marks *landmark.Report) ([]Stop, error) {
	var out []Stop
	add := func(st layer.Stop, sure bool) {
		s := Stop{Stop: st, Layer: st.Before, Sure: sure}
		n := len(ix.Layers) // of the layer in front of it
		if st.Before > 0 {
			n = st.Before - 1
		}
		if n > 0 && st.Line < ix.Layers[n-1].Last {
			s.Layer, s.Inside = n, true
		}
		if st.Ear == "" && s.Layer > 0 && len(out) < Most {
			out = append(out, s)
		}
	}
	w := ix.Waits
	for _, st := range ix.Stops {
		for ; len(w) > 0 && w[0].Line < st.Line; w = w[1:] {
			add(w[0], false)
		}
		add(st, true)
	}
	for _, st := range w {
		add(st, false)
	}
	// Those before one layer are read in one go, so that no layer is run more than once.
	for from := 0; from < len(out); {
		to := from + 1
		for to < len(out) && out[to].Before == out[from].Before {
			to++
		}
		rounds, err := lookRound(src, ix, out[from:to])
		if err != nil {
			return nil, err
		}
		for i, r := range rounds {
			s := &out[from+i]
			r.read(s)
			s.Kind = kindOf(s, marks)
		}
		from = to
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
		if !s.Inside && p.Closes != nil && *p.Closes == s.Layer {
			return plan.Insert
		}
	}
	for _, l := range marks.Landmarks {
		if !s.Inside && l.BeforeLayer != nil && *l.BeforeLayer == s.Layer &&
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
	at     int64       // line of the stop
	before gcode.State // in front of the first line
	lines  []line
	stop   int   // which of the lines is the stop; -1 when it is not there
	next   *line // the laying move that comes next; nil when it is far away
}

// near is how many lines before and behind a stop are looked at.
const near = 40

// lookRound reads the lines round stops, which are in order.
func lookRound(src layer.Source, ix *layer.Index, stops []Stop) ([]*round, error) {
	out := make([]*round, len(stops))
	for i := range out {
		out[i] = &round{ix: ix, at: stops[i].Stop.Line, stop: -1}
	}
	from := max(out[0].at-near, 1)
	before, err := ix.StateAt(src, from) // in front of lines
	if err != nil {
		return nil, err
	}
	var lines []line // since the newest laying move, as far as they are near
	var open []*round
	left := out
	err = ix.WalkFrom(src, from, out[len(out)-1].at+near, func(n int64, text []byte,
		c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
		l := line{n, string(bytes.TrimSpace(text[:min(len(text), 400)])), c.Word(), *a, m.State}
		if a.Kind == gcode.Lay {
			for _, r := range open {
				r.close(before, lines, &l)
			}
			open, before, lines = nil, m.State, nil
			return len(left) > 0
		}
		lines = append(lines, l)
		if len(left) > 0 && left[0].at == n {
			open, left = append(open, left[0]), left[1:]
		}
		for len(open) > 0 && n >= open[0].at+near {
			open[0].close(before, lines, nil)
			open = open[1:]
		}
		if drop := len(lines) - near; drop > 3*near && len(open) == 0 {
			before, lines = lines[drop-1].state, slices.Clone(lines[drop:])
		}
		return true
	})
	for _, r := range open {
		r.close(before, lines, nil)
	}
	return out, err
}

// close ends what is seen of the lines round a stop, with the laying move behind them.
func (r *round) close(before gcode.State, lines []line, next *line) {
	i := 0
	for i < len(lines) && lines[i].n < r.at-near {
		before = lines[i].state
		i++
	}
	r.before, r.lines, r.next = before, slices.Clone(lines[i:]), next
	r.stop = slices.IndexFunc(r.lines, func(l line) bool { return l.n == r.at })
}
