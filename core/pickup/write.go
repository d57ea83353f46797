package pickup

import (
	"fmt"
	"math"
	"strings"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
	"dogear/core/raster"
	"dogear/core/routine"
)

// Pickup is a file that goes on, as edits of the original.
type Pickup struct {
	Start    Start
	Opening  []Entry
	Edits    []edit.Edit
	Findings []finding.Finding
	Lines    []routine.Line // of the opening, with the way the head takes
	Spot     [2]float64     // where it primes
	Landing  [3]float64     // where it comes down
	Refused  *raster.Hit    // where homing would hit the part
	Shift    [3]gcode.Nano  // by which everything is moved
	Length   int            // lines of the opening
	Expects  gcode.State    // what the rest finds, corrections left out
	Warm     float64        // °C that the filament in use asks for; 0 when it says nothing
	Loose    bool           // the rest is printed by itself, on the bed
	Brim     []raster.Loop  // that is laid round it, as it stands in the file
	BrimWide float64        // mm, of each of its lines
	Choice   Choice         // that was followed, with what was filled in
}

// Feeds, mm/min, that printers of every size can do.
const (
	feedXY    = 6000
	feedZ     = 600
	feedDown  = 300
	feedPrime = 180
	feedPull  = 2100
)

// Usual amounts, mm.
const (
	usualPrime     = 12.0
	usualClearance = 10.0
	usualPull      = 0.4 // where the file draws nothing back itself
)

// Make writes a pick-up. Edits of a plan that is laid onto the file may be given
// in res; those in front of the start fall away.
func Make(src layer.Source, ix *layer.Index, pr *plan.Printer, c Choice,
	res *apply.Result) (*Pickup, error) {
	s, err := Find(src, ix, &c)
	if err == nil {
		err = s.backTo(src, ix, res)
	}
	if err != nil {
		return nil, err
	}
	if pr == nil {
		pr = plan.Generic()
	}
	if pr.Assumed {
		pr = bedOf(ix, pr)
	}
	if c.Prime <= 0 {
		c.Prime = usualPrime
	}
	if c.Clearance <= 0 {
		c.Clearance = usualClearance
	}
	c.Ease = c.Eased()
	if err := s.cutAsIs(src, ix, res); err != nil {
		return nil, err
	}
	expects := s.At // as the file has it; filaments and changes go beyond that
	if res != nil {
		s.heats(res)
		s.At = res.InForce(s.Line, s.At)
	}
	if c.LooseTop && c.Gentle {
		if err := c.gentle(src, ix, s); err != nil {
			return nil, err
		}
	}
	s.override(&c)
	if c.Bed > 0 {
		expects = expects.WithBed(s.At.Bed())
	}
	w := &writer{src: src, ix: ix, pr: pr, c: &c, s: s, res: res, p: &Pickup{Start: *s},
		expects: expects}
	w.sc = routine.NewScript(gcode.State{}, routine.Style{Lower: ix.Lower})
	if c.LooseTop {
		err = w.loose()
	} else {
		err = w.inPlace()
	}
	if err != nil {
		return nil, err
	}
	w.check()
	w.p.Start = *s
	w.p.Warm, w.p.Loose, w.p.Choice = s.warm, c.LooseTop, c
	w.p.Expects = w.expects
	w.p.Lines = w.sc.Lines()
	if err := w.edits(res); err != nil {
		return nil, err
	}
	return w.p, nil
}

// bedOf is a printer for which nothing is known but the file: its bed is the one
// that a comment names, else what the file reaches and a little more, where somebody may have
// the printer home; by itself it goes no further than the file (see spot).
func bedOf(ix *layer.Index, pr *plan.Printer) *plan.Printer {
	q := *pr
	p := &q
	p.Top = math.Max(p.Top, ix.Height().Millimetres()+60)
	if bed, ok := ix.NamedBed(); ok {
		p.Bed = bed
		return p
	}
	const room = 16
	r := ix.ReachOf()
	p.Bed = [4]float64{r[0] - room, r[1] - room, r[2] + room, r[3] + room}
	for k := range 2 {
		if r[k] > -0.5 { // the corner of the bed is its origin
			p.Bed[k] = math.Max(p.Bed[k], 0)
		}
	}
	return p
}

// heats follows the filament of the last colour ear in front of the start.
func (s *Start) heats(res *apply.Result) {
	warm := 0.0
	for i := range res.Blocks {
		if b := &res.Blocks[i]; b.Fold.Offset < s.Offset && b.Ear.Kind == plan.Colour &&
			b.Ear.Filament != "" {
			warm = b.Warm
		}
	}
	if warm > 0 {
		s.warm, s.At = warm, s.At.WithNozzle(int64(math.Round(warm*1e6)))
	}
}

// override puts temperatures in place of the file's.
func (s *Start) override(c *Choice) {
	if c.Nozzle > 0 {
		s.At = s.At.WithNozzle(int64(math.Round(c.Nozzle * 1e6)))
	}
	if c.Bed > 0 {
		s.At = s.At.WithBed(int64(math.Round(c.Bed * 1e6)))
	}
}

type writer struct {
	src     layer.Source
	ix      *layer.Index
	pr      *plan.Printer
	res     *apply.Result // the plan that is laid onto the file; nil for none
	c       *Choice
	s       *Start
	sc      *routine.Script
	p       *Pickup
	up      gcode.Nano    // the height at which the head crosses
	at      [3]gcode.Nano // where it comes down, corrections left out
	expects gcode.State   // what the rest finds, as the file has it
}

func (w *writer) find(level finding.Level, code string, line int64, message string) {
	w.p.Findings = append(w.p.Findings, finding.Finding{Level: level, Code: code, Line: line,
		Message: message})
}

// addLine adds a line of our own.
func (w *writer) addLine(text, why string) {
	n := len(w.sc.Lines())
	w.sc.Put(text, why)
	w.added(n, why)
}

// added books what the script has added since it had n lines.
func (w *writer) added(n int, why string) {
	for _, l := range w.sc.Lines()[n:] {
		reason := why
		if l.Why != "" {
			reason = l.Why
		}
		text, _, _ := strings.Cut(l.Text, " ; ")
		w.p.Opening = append(w.p.Opening, Entry{Verdict: Added, Now: text, Why: reason})
	}
}

func (w *writer) filament(by gcode.Nano, feed float64, why string) {
	n := len(w.sc.Lines())
	w.sc.Filament(by, feed, why)
	w.added(n, why)
}

// apart makes the script count places from the corner and filament in steps.
func (w *writer) apart() {
	m := w.sc.State()
	if m.Inch {
		w.addLine("G21", "we count in millimetres")
	}
	if m.RelXYZ {
		w.addLine("G90", "places count from the corner of the bed")
	}
	if !m.RelE {
		w.addLine("M83", "filament counts in steps for a while")
	}
}

// opening writes the start-up with its verdicts.
func (w *writer) opening(entries []Entry) {
	for _, e := range entries {
		said := e.Why != "" // comments pass without a word
		switch e.Verdict {
		case Muted:
			w.sc.Mark(mark.Mark{Kind: mark.LeftOut, Title: e.Was}, e.Why)
		case Changed:
			w.sc.Put(e.Now, e.Why)
		default:
			w.sc.Verbatim(e.Now, e.Why)
			// Where the head stands by then is another place than in the original.
			if m := w.sc.State(); e.Moves && e.Hurts == "" && m.Pos[2] < w.s.Top+gcode.MM &&
				(m.Known&3 != 3 || crosses(w.ix.Box, m.Pos, m.Pos)) {
				e.Hurts = "drag"
			}
			if e.Hurts != "" {
				w.flipped(&e)
			}
		}
		if said {
			w.p.Opening = append(w.p.Opening, e)
		}
	}
}

// flipped says what a line does that somebody has turned on.
func (w *writer) flipped(e *Entry) {
	text := map[string]string{
		"homes-onto-part": "Line %d (%s) is switched on; it may bring the nozzle down onto the " +
			"part.",
		"prime-on-part": "Line %d (%s) is switched on; it would lay plastic where the part " +
			"stands.",
		"drag":                  "Line %d (%s) is switched on; the head would run into the part.",
		"position-not-restored": "Line %d (%s) is switched on; the printer would lose its place.",
	}[e.Hurts]
	w.find(finding.Stop, e.Hurts, e.Line, fmt.Sprintf(text, e.Line, strings.TrimSpace(e.Was)))
}

// check compares the machine behind the opening with the one that the rest
// expects.
func (w *writer) check() {
	a, b := &w.s.At, w.sc.State()
	at := w.at
	for k := range at {
		at[k] -= a.Off[k]
	}
	if code, what := routine.Unlike(a, b, w.c.Ease.Layers == 0, at); code != "" {
		w.find(finding.Stop, code, w.s.Line,
			"At the start "+what+" would not be as the rest of the file "+
				"expects.")
	}
	if n := w.s.Kept; w.c.Measured && w.c.Start == Next && n > 0 {
		w.find(finding.Care, "look-at-top", w.s.Line,
			fmt.Sprintf("Layer %d is known by its height only; "+
				"after a jam, or without filament, it may be begun and not finished. Look at the part: if its "+
				"top has gaps, lay layer %d again, or name the line where the plastic ends.", n, n))
	}
	if a.Nozzle() < gcode.Cold && w.c.Nozzle == 0 {
		w.find(finding.Stop, "cold-extrusion", w.s.Line,
			"The file does not say how hot the nozzle is here. Give its temperature.")
	}
}

// edits turns opening and rest into edits of the original.
func (w *writer) edits(res *apply.Result) error {
	end := "\n"
	if w.ix.LineEnds == "crlf" {
		end = "\r\n"
	}
	if w.ix.Numbered {
		if err := w.sc.Recount(w.src, w.s.Offset); err != nil {
			return err
		}
	}
	w.sc.Mark(mark.Mark{Kind: mark.PickUp, Ends: true, Title: "from here on the original"}, "")
	e := edit.Edit{Cut: w.s.Offset}
	routine.Append(&e, w.sc.Lines(), end)
	w.p.Lines, w.p.Length = w.sc.Lines(), len(w.sc.Lines())
	w.p.Edits = append(w.p.Edits, e)
	t, n, err := w.easing()
	if err != nil {
		return err
	}
	if n > 0 {
		w.p.Edits = append(w.p.Edits, edit.Edit{Offset: w.ix.Layers[n-1].Offset,
			Text:  []byte(strings.ReplaceAll(t, "\n", end) + end),
			Marks: []mark.Placed{{Mark: easeEnds}}})
	}
	if res != nil {
		for _, e := range res.Edits {
			if e.Offset >= w.s.Offset {
				w.p.Edits = append(w.p.Edits, e)
			}
		}
	}
	for _, f := range w.ix.Findings {
		switch f.Code {
		case "rubbish-at-end":
			off, err := w.ix.OffsetOf(w.src, f.Line)
			if err != nil {
				return err
			}
			if off > w.s.Offset {
				w.p.Edits = append(w.p.Edits, edit.Edit{Offset: off, Cut: w.ix.Bytes - off})
				w.find(finding.Note, f.Code, f.Line, f.Message+" It is left out of the pick-up.")
			}
		case "cut-short":
			w.find(finding.Care, f.Code, f.Line, f.Message+" So does the pick-up: nothing switches the "+
				"heaters off at its end.")
		}
	}
	edit.Sort(w.p.Edits)
	return nil
}
