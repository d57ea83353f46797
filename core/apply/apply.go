package apply

import (
	"errors"
	"fmt"
	"slices"
	"sort"

	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Block is an ear as it will stand in the file.
type Block struct {
	Ear      plan.Ear
	Fold     routine.Fold
	Steps    plan.Routine // that it runs; Line.Step counts them
	Warm     float64      // °C of the nozzle from here on, when its filament says so
	Fits     []insert.Fit // how what goes in lies in its pockets
	Lines    []routine.Line
	Findings []finding.Finding
}

// Result is a plan laid onto a file.
type Result struct {
	Blocks    []Block // in file order
	Mutes     []Muted
	HeadsUps  []HeadsUp
	Rewritten []Rewritten
	Extras    []Extra    // lines that ears put in elsewhere
	Overs     []Over     // ways that are lifted over what stands proud
	Changes   []Changed  // what is laid otherwise between two folds
	Slows     [][2]int64 // lines of the original that are laid slower, both ends included
	Edits     []edit.Edit
	Findings  []finding.Finding // of all blocks, and of the plan as a whole
	LineEnd   string
}

// ErrTwice is the cause when two ears at one fold want the same.
var ErrTwice = errors.New("two ears at the same fold change the filament, or the nozzle")

// Plan applies a plan to a file. The plan must have been checked. pockets are
// those of the file, as far as they are known: only of them can be said how
// something lies in one, and only over them the head is lifted.
func Plan(src layer.Source, ix *layer.Index, p *plan.Plan, pockets []landmark.Pocket) (*Result,
	error) {
	res := &Result{LineEnd: "\n"}
	if p.Printer != nil {
		fitted := *p
		fitted.Printer = Fitted(p.Printer, ix)
		p = &fitted
	}
	if ix.LineEnds == "crlf" {
		res.LineEnd = "\r\n"
	}
	if ix.LineEnds == "mixed" {
		res.note(finding.Note, "mixed-line-ends", "The file mixes line ends; inserted lines end as the "+
			"line before them.")
	}
	if err := res.locate(src, ix, p); err != nil {
		return nil, err
	}
	res.fitInserts(ix, pockets)
	if err := res.placeChanges(src, ix, p); err != nil {
		return nil, err
	}
	// Each of them builds on what those before it have worked out.
	for _, stage := range []func(layer.Source, *layer.Index, *plan.Plan) error{
		res.compile, res.insertBlocks, res.betweenEars, res.bridges, res.muteAll} {
		if err := stage(src, ix, p); err != nil {
			return nil, err
		}
	}
	edit.Sort(res.Edits)
	if ix.Numbered {
		res.note(finding.Note, "numbering",
			"The file numbers its lines; inserted lines carry no number. "+
				"A printer that insists on them needs the file renumbered: dogear apply --renumber.")
	}
	return res, nil
}

// locate finds the folds of all ears, and puts them into their order.
func (res *Result) locate(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	for i := range p.Ears {
		e := p.Ears[i]
		f, err := Locate(src, ix, &e)
		if err != nil {
			return &plan.Error{Ear: e.ID, Err: err}
		}
		if e.BeforeLine == 0 && !p.Printer.StopBeforeMark {
			if err := behindClose(&f, src, ix); err != nil {
				return &plan.Error{Ear: e.ID, Err: err}
			}
		}
		res.Blocks = append(res.Blocks, Block{Ear: e, Fold: f})
	}
	sort.SliceStable(res.Blocks, func(i, j int) bool {
		a, b := &res.Blocks[i], &res.Blocks[j]
		if a.Fold.Line != b.Fold.Line {
			return a.Fold.Line < b.Fold.Line
		}
		return routine.Rank(a.Ear.Kind) < routine.Rank(b.Ear.Kind)
	})
	for i := 1; i < len(res.Blocks); i++ {
		a, b := &res.Blocks[i-1], &res.Blocks[i]
		if a.Fold.Line == b.Fold.Line && a.Ear.Kind == b.Ear.Kind &&
			(a.Ear.Kind == plan.Colour || a.Ear.Kind == plan.Nozzle) {
			return &plan.Error{Ear: b.Ear.ID, Err: ErrTwice}
		}
	}
	return nil
}

// stop returns the blocks at the fold of block i, the first of them, as one.
func (res *Result) stop(i int) []Block {
	k := i + 1
	for k < len(res.Blocks) && res.Blocks[k].Fold.Line == res.Blocks[i].Fold.Line {
		k++
	}
	return res.Blocks[i:k]
}

// compile works out the lines of each ear, as the ears before it have left the printer.
func (res *Result) compile(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	warm := 0.0 // what the filament of the section wants
	laid := p.First
	var err error
	for i := 0; i < len(res.Blocks); {
		stop := res.stop(i)
		fold := &stop[0].Fold
		fold.Before, fold.Opens = laid, i == 0
		var ears []*plan.Ear
		for k := range stop {
			b := &stop[k]
			b.Ear.From = laid
			ears = append(ears, &b.Ear)
			if b.Steps, err = p.RoutineOf(&b.Ear); err != nil {
				return &plan.Error{Ear: b.Ear.ID, Err: err}
			}
			if err := b.again(src, ix); err != nil {
				return &plan.Error{Ear: b.Ear.ID, Err: err}
			}
			if fold.Again == nil {
				fold.Again = b.Fold.Again
			}
			fold.At.Top = max(fold.At.Top, b.Fold.At.Top) // what was just put in may stand proud
			if _, known := p.Filaments[b.Ear.Filament]; b.Ear.Filament != "" && !known {
				b.find(finding.Care, "unknown-filament", fmt.Sprintf("Nothing is known about the filament "+
					"%q at ear %s; it prints as hot as the one before.", b.Ear.Filament, b.Ear.ID))
			}
			if b.Ear.Kind == plan.Colour && b.Ear.Filament != "" {
				laid = b.Ear.Filament
			}
		}
		if warm > 0 && fold.At.Nozzle() >= gcode.Cold {
			fold.Own = float64(fold.At.Nozzle()) / 1e6
			fold.At = fold.At.WithNozzle(int64(warm*1e6 + 0.5))
		}
		fold.At = res.InForce(fold.Line, fold.At)
		made, err := routine.CompileStop(*fold, ix.Box, p, ears, routine.Style{Lower: ix.Lower})
		if err != nil {
			return err
		}
		for k := range stop {
			b := &stop[k]
			if k > 0 {
				b.Fold = *fold
				b.Fold.Opens = false
			}
			b.Steps, b.Lines = made[k].Steps, made[k].Lines
			b.Findings = append(made[k].Findings, b.Findings...)
			if b.Ear.Kind == plan.Colour && b.Ear.Filament != "" {
				warm = routine.Wants(p, &b.Ear, 2)
				b.Warm = warm
			}
		}
		i += len(stop)
	}
	return nil
}

// insertBlocks inserts the ears' lines, and the heads-ups before them.
func (res *Result) insertBlocks(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	for i := range res.Blocks {
		b := &res.Blocks[i]
		first := i == 0 || res.Blocks[i-1].Fold.Offset != b.Fold.Offset // the others stop with it
		for _, s := range ix.Stops {
			if first && s.Before == b.Fold.Layer && !b.Fold.Inside && !mutes(p, s.Line) {
				b.Findings = append(b.Findings, finding.Finding{Level: finding.Note, Code: "stop-already-there",
					Line: s.Line, Message: fmt.Sprintf("The file already stops before layer %d (%s on line "+
						"%d).", s.Before, s.Word, s.Line)})
			}
		}
		if b.Ear.HeadsUp != nil {
			if err := res.headsUp(src, ix, p, i, routine.Style{Lower: ix.Lower}); err != nil {
				return &plan.Error{Ear: b.Ear.ID, Err: err}
			}
		}
		res.insert(src, b.Fold.Offset, b.Lines)
	}
	return nil
}

// betweenEars edits what lies between the ears: temperatures, what is laid otherwise, and ways
// over what stands proud.
func (res *Result) betweenEars(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	if err := res.temperatures(src, ix, p); err != nil {
		return &plan.Error{Err: err}
	}
	if err := res.changes(src, ix, p, routine.Style{Lower: ix.Lower}); err != nil {
		return &plan.Error{Err: err}
	}
	if err := res.liftOverProud(src, ix, p, routine.Style{Lower: ix.Lower}); err != nil {
		return &plan.Error{Err: err}
	}
	return nil
}

// bridges slows the layers that close over what was put in.
func (res *Result) bridges(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	for i := range res.Blocks {
		b := &res.Blocks[i]
		if err := res.bridge(src, ix, i, routine.Style{Lower: ix.Lower}); err != nil {
			return &plan.Error{Ear: b.Ear.ID, Err: err}
		}
		res.Findings = append(res.Findings, b.Findings...)
	}
	return nil
}

// muteAll leaves out what the plan mutes.
func (res *Result) muteAll(src layer.Source, ix *layer.Index, p *plan.Plan) error {
	for _, m := range p.Mutes {
		for i := range res.Blocks {
			if l := res.Blocks[i].Fold.Line; l > m.From && l <= m.To {
				return &plan.Error{Ear: res.Blocks[i].Ear.ID,
					Err: fmt.Errorf("it sits inside the muted lines %d to %d", m.From, m.To)}
			}
		}
		if err := res.mute(src, ix, p, m, routine.Style{Lower: ix.Lower}); err != nil {
			return &plan.Error{Err: err}
		}
	}
	return nil
}

func (r *Result) note(level finding.Level, code, message string) {
	r.Findings = append(r.Findings, finding.Finding{Level: level, Code: code, Line: 1,
		Message: message})
}

// again decodes the layer under the fold when it is to be laid once more.
func (b *Block) again(src layer.Source, ix *layer.Index) error {
	wants := b.Ear.BondPass != nil || slices.ContainsFunc(b.Steps,
		func(s plan.Step) bool { return s.Do == "bond" })
	n := b.Fold.Layer
	// In a spiral the layer below ends where it began, one layer higher: there is none
	// that could be laid again.
	if !wants || b.Fold.Inside || n < 2 || ix.Kind == layer.Vase ||
		ix.Layers[n-2].Object != ix.Layers[n-1].Object || ix.Layers[n-2].Moves > routine.MaxBond {
		return nil
	}
	var err error
	b.Fold.Again, err = ix.Decode(src, n-1)
	return err
}

// insert puts lines in front of the line at an offset, behind what stands there
// already.
func (r *Result) insert(src layer.Source, off int64, lines []routine.Line) {
	r.Edits = append(r.Edits, r.block(src, off, lines))
}

// block writes lines with the line ends used around an offset. Behind a last line
// that has no end, the first block gives it one and says so in its seal.
func (r *Result) block(src layer.Source, off int64, lines []routine.Line) edit.Edit {
	end := r.LineEnd
	if off >= 2 {
		var last [2]byte
		if _, err := src.ReadAt(last[:], off-2); err == nil && last[1] == '\n' {
			end = "\n"
			if last[0] == '\r' {
				end = "\r\n"
			}
		}
	}
	e := edit.Edit{Offset: off}
	if off == src.Size() && r.opens(src) {
		lines, e.Text = routine.Reopen(lines), []byte(end)
	}
	routine.Append(&e, lines, end)
	return e
}

// opens reports whether what stands in front of the end of the file, as far as it
// has been written, ends in the middle of a line.
func (r *Result) opens(src layer.Source) bool {
	if !routine.Unended(src) {
		return false
	}
	for i := range r.Edits {
		if e := &r.Edits[i]; e.Offset+e.Cut == src.Size() && len(e.Text) > 0 &&
			e.Text[len(e.Text)-1] == '\n' {
			return false
		}
	}
	return true
}

// Inserted returns how many lines the result adds.
func (r *Result) Inserted() int {
	n := 0
	for i := range r.Blocks {
		n += len(r.Blocks[i].Lines)
	}
	for i := range r.Mutes {
		n += len(r.Mutes[i].Lines)
	}
	for i := range r.HeadsUps {
		n += len(r.HeadsUps[i].Lines)
	}
	for i := range r.Extras {
		n += len(r.Extras[i].Lines)
	}
	n += len(r.Rewritten)
	return n
}

// OutLines returns the first and last line of block i in the edited file.
func (r *Result) OutLines(i int) [2]int64 {
	at := r.Blocks[i].Fold.Line
	for k := range i {
		at += int64(len(r.Blocks[k].Lines))
	}
	for k := range r.HeadsUps {
		// On one line the heads-up of a later ear stands behind this one.
		if h := &r.HeadsUps[k]; h.Line < r.Blocks[i].Fold.Line || h.Line == r.Blocks[i].Fold.Line &&
			h.block <= i {
			at += int64(len(r.HeadsUps[k].Lines))
		}
	}
	for k := range r.Extras {
		if x := &r.Extras[k]; x.Line < r.Blocks[i].Fold.Line || x.early &&
			x.Line == r.Blocks[i].Fold.Line {
			at += int64(len(x.Lines))
		}
	}
	for k := range r.Rewritten { // each has what it was in front of it
		if r.Rewritten[k].Line < r.Blocks[i].Fold.Line {
			at++
		}
	}
	for k := range r.Mutes {
		if r.Mutes[k].Span.To < r.Blocks[i].Fold.Line {
			at += int64(len(r.Mutes[k].Lines))
		}
	}
	return [2]int64{at, at + int64(len(r.Blocks[i].Lines)) - 1}
}
