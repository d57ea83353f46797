package proof

import (
	"bytes"
	"context"
	"io"
	"slices"
	"strings"

	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Format is the name of the report.
const Format = "dogear-proof/1"

// Report is everything that is said about an edited file.
type Report struct {
	Format    string            `json:"format"`
	Same      bool              `json:"same_deposit"`
	First     *First            `json:"first_difference"`
	Moves     int64             `json:"equal_moves"`
	Muted     int64             `json:"muted,omitempty"` // lines left out on purpose
	Inserted  int64             `json:"inserted"`
	Removed   int64             `json:"removed"`
	Rewritten []Rewritten       `json:"rewritten"`
	Stops     []Stop            `json:"stops"`
	Findings  []finding.Finding `json:"findings"`
	// How low the nozzle comes, over the part and anywhere, since its height is
	// known; nil when nothing moves. Homes says that Z is homed.
	LowestOver *gcode.Nano `json:"-"`
	Lowest     *gcode.Nano `json:"-"`
	Homes      bool        `json:"-"`
}

// First is where two files part, with both lines.
type First struct {
	Original Place  `json:"original"`
	Edited   Place  `json:"edited"`
	What     string `json:"what"`
}

// Place is a line of a file; 0 when the file has ended.
type Place struct {
	Line int64  `json:"line"`
	Text string `json:"text"`
}

// Blocked reports whether the findings stop a file from being written.
func (r *Report) Blocked() bool {
	return finding.Gravest(r.Findings) != nil
}

// Work is an edited file that is to be examined, as edits of its original.
type Work struct {
	Src     layer.Source
	Ix      *layer.Index // of the first file of Src
	Edits   []edit.Edit  // sorted
	Jumps   map[int64]*Jump
	Printer *plan.Printer

	Inserts map[string][]insert.Fit // what each ear puts into pockets
	InPlace []string                // ids of those ears whose things are there before anything runs
	Lifts   []string                // lines by which the printer lifts everything at a joint
	Kept    bool                    // the motors were held, so that the place is known
	Warm    []float64               // °C that the filament in use at a jump asks for
	Ease    bool                    // what follows a jump is laid more gently for a while
	Cool    bool                    // and with less fan than in the file
	Changes []plan.Change           // that are in force where a jump lands
	Top     gcode.Nano              // of what is on the bed before anything runs

	Progress func(done float64)
}

// Check runs an edited file as it will be written, beside its original, and says
// all that is wrong with it. Nothing is held in memory but the edits.
func Check(ctx context.Context, k *Work) (*Report, error) {
	var in []standing
	for id, fits := range k.Inserts {
		if len(fits) > 0 {
			s := standing{id: id, watch: insert.NewWatch(fits)}
			if slices.Contains(k.InPlace, id) {
				s.from = 1
			}
			in = append(in, s)
		}
	}
	x := newExaminer(k.Ix, k.Printer, in)
	x.lifted, x.kept = k.Lifts, k.Kept
	if k.Progress != nil {
		x.progress = func(line int64) { k.Progress(min(float64(line)/float64(max(k.Ix.Lines, 1)), 1)) }
	}
	w := newWalker(ctx, k.Src, k.Ix, x)
	w.r.Same = true
	for _, c := range k.Changes {
		a := &active{began: true}
		a.set(c)
		w.marks.open[c.ID] = a
	}
	if k.Ease {
		w.marks.open["ease"] = &active{Otherwise: Otherwise{Speed: true, Flow: true, Heat: true,
			Fan: k.Cool}, began: true}
	}
	w.marks.heats(k.Warm...)
	i := 0
	w.next = func() (Change, bool, error) {
		if i == len(k.Edits) {
			return Change{}, false, nil
		}
		e := &k.Edits[i]
		i++
		c := Change{Offset: e.Offset, Cut: e.Cut, Jump: k.Jumps[e.Offset+e.Cut]}
		if e.Cut == 0 {
			c.Jump = nil
		}
		if len(e.Text) > 0 {
			c.Marks = e.Marks
			c.Put = bytes.NewReader(e.Text)
		}
		return c, true, nil
	}
	for _, e := range k.Edits {
		if j := k.Jumps[e.Offset+e.Cut]; j != nil && j.Stands && e.Cut > 0 {
			x.bed = nil
			x.stand(piece{j.Src, j.Ix, 1, j.Line, [3]gcode.Nano{}}, k.Top)
			w.jump.Stands = true
			// The other tools' filament is where the print has left it.
			w.m.State = w.m.WithDebtsOf(&j.At)
			w.m.Top = k.Top
		}
	}
	return w.report()
}

// report walks and sums up.
func (w *walker) report() (*Report, error) {
	if err := w.walk(); err != nil {
		return nil, err
	}
	w.cmp.end()
	w.x.end()
	w.r.LowestOver, w.r.Lowest = w.x.lowestOf()
	w.r.Homes = w.x.homes
	if w.r.Findings == nil {
		w.r.Findings = []finding.Finding{}
	}
	return w.r, nil
}

// Prove compares an edited file with its original and examines it. Where both
// are the same file, it is examined as it is.
func Prove(ctx context.Context, original, edited layer.Source, ixO, ixE *layer.Index,
	pr *plan.Printer) (*Report, error) {
	own, err := Marks(edited)
	if err != nil {
		return nil, err
	}
	in, fits, err := inserts(ctx, edited, ixE, own.ears)
	if err != nil {
		return nil, err
	}
	x := newExaminer(ixO, pr, in)
	w := newWalker(ctx, original, ixO, x)
	w.r.Same = true
	al := newAligner(original, edited, own)
	parted := false
	w.next = func() (Change, bool, error) {
		c, more, err := al.next()
		parted = parted || more
		return c, more, err
	}
	r, err := w.report()
	if err != nil {
		return nil, err
	}
	r.Inserted, r.Removed, r.Rewritten = al.out.Inserted-r.Muted, al.out.Removed-r.Muted,
		append(r.Rewritten, al.out.Rewritten...)
	if !parted { // one file: what it does itself
		one, err := Examine(ctx, original, ixO, pr)
		if err != nil {
			return nil, err
		}
		r.Findings, r.Stops = append(one.Findings, r.Findings...), one.Stops
	}
	r.texts(original, edited, ixO, ixE)
	r.Findings = append(append(r.Findings, fits...), own.distrust()...)
	r.inside(ixO, original)
	r.reading(ixO, ixE, parted)
	if parted {
		if err := r.otherModel(original, edited, ixO, ixE); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(r.Findings, func(a, b finding.Finding) int { return int(a.Line - b.Line) })
	if r.Stops == nil {
		r.Stops = []Stop{}
	}
	return r, nil
}

// reading adds what reading the edited file has found, where it can go wrong at
// the machine and is not the original's own.
func (r *Report) reading(ixO, ixE *layer.Index, parted bool) {
	for _, f := range ixE.Findings {
		if !slices.Contains([]string{"rubbish-at-end", "cut-short", "no-heights", "checksum",
			"bad-number"}, f.Code) {
			continue
		}
		if parted && slices.ContainsFunc(ixO.Findings,
			func(o finding.Finding) bool { return o.Code == f.Code }) {
			continue
		}
		if parted && (f.Code == "cut-short" || f.Code == "rubbish-at-end") && f.Level == finding.Care {
			f.Level = finding.Stop // the original is whole
		}
		r.Findings = append(r.Findings, f)
	}
}

// texts fills in the lines at which the files part.
func (r *Report) texts(original, edited layer.Source, ixO, ixE *layer.Index) {
	if r.First == nil {
		return
	}
	text := func(src layer.Source, ix *layer.Index, line int64) string {
		if line < 1 || line > ix.Lines {
			return ""
		}
		off, err := ix.OffsetOf(src, line)
		if err != nil {
			return ""
		}
		b := make([]byte, 200)
		n, err := src.ReadAt(b, off)
		if err != nil && err != io.EOF {
			return ""
		}
		s, _, _ := strings.Cut(string(b[:n]), "\n")
		return strings.TrimRight(s, "\r")
	}
	r.First.Original.Text = text(original, ixO, r.First.Original.Line)
	r.First.Edited.Text = text(edited, ixE, r.First.Edited.Line)
}

// otherModel says so when hardly anything of one file is in the other.
func (r *Report) otherModel(original, edited layer.Source, ixO, ixE *layer.Index) error {
	all := int64(0)
	for i := range ixO.Layers {
		all += int64(ixO.Layers[i].Moves)
	}
	if r.Same || r.Moves*5 > all {
		return nil
	}
	r.Findings = append(r.Findings, finding.Finding{Level: finding.Stop, Code: "other-model", Line: 1,
		Message: "Hardly a move of the original is laid by the edited file: most likely it is another " +
			"print, or another slicing."})
	return nil
}

// inside looks at stops that were put in: in the middle of a wall they leave a
// mark on it.
func (r *Report) inside(ix *layer.Index, src layer.Source) {
	if ix.Kind == layer.Vase {
		return // there is nothing but one wall
	}
	for _, s := range r.Stops {
		if !s.put || s.Inside == 0 || s.Inside > len(ix.Layers) {
			continue
		}
		moves, err := ix.Decode(src, s.Inside)
		if err != nil {
			continue
		}
		var before, behind *layer.Move
		travel := false
		for i := range moves {
			m := &moves[i]
			switch {
			case m.Kind == gcode.Lay && m.Line < s.next:
				before, travel = m, false
			case m.Kind == gcode.Lay && behind == nil:
				behind = m
			case m.Kind == gcode.Travel && behind == nil:
				travel = true
			}
		}
		if before != nil && behind != nil && !travel && before.To == behind.From &&
			before.Label == behind.Label {
			r.Findings = append(r.Findings, finding.Finding{Level: finding.Care, Code: "stop-inside-wall",
				Line: s.Line, Message: "The printer stops in the middle of a path of layer " +
					"" + itoa(s.Inside) + ", and leaves a mark there. Between two paths it would not be seen."})
		}
	}
}

// Alone examines lines that are run by themselves while a part of a print stands on
// the bed: what a file lays in front of a line of it, up to a height. at is the
// machine there; kept says that the printer knows its place.
func Alone(ctx context.Context, src layer.Source, ix *layer.Index, text []byte, line int64,
	top gcode.Nano, pr *plan.Printer, kept bool) (*Report, error) {
	x := newExaminer(ix, pr, nil)
	x.kept, x.looks = kept, true
	w := newWalker(ctx, bytes.NewReader(nil), ix, x)
	w.r.Same = true
	x.bed = nil
	x.stand(piece{src, ix, 1, line, [3]gcode.Nano{}}, top)
	w.jump.Stands = true
	w.oLine = line - 1
	if err := w.alone(text); err != nil {
		return nil, err
	}
	w.r.LowestOver, w.r.Lowest = x.lowestOf()
	return w.r, nil
}

// alone runs lines by themselves.
func (w *walker) alone(text []byte) error {
	done := false
	w.next = func() (Change, bool, error) {
		if done {
			return Change{}, false, nil
		}
		done = true
		return Change{Put: bytes.NewReader(text)}, true, nil
	}
	if err := w.walk(); err != nil {
		return err
	}
	w.x.end()
	w.r.Homes = w.x.homes
	return nil
}

// Bare examines lines that are run by themselves on an empty bed.
func Bare(ctx context.Context, text []byte, pr *plan.Printer) (*Report, error) {
	ix := &layer.Index{}
	x := newExaminer(ix, pr, nil)
	x.looks = true
	if p := pr; p != nil && !p.Assumed { // an empty box lies on any bed
		x.known = true
	}
	w := newWalker(ctx, bytes.NewReader(nil), ix, x)
	w.r.Same = true
	return w.r, w.alone(text)
}
