package proof

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Format is the name of the report.
const Format = "dogear-proof/1"

// Report is everything that is said about an edited file.
type Report struct {
	Format    string          `json:"format"`
	Same      bool            `json:"same_deposit"`
	First     *First          `json:"first_difference"`
	Moves     int64           `json:"equal_moves"`
	Inserted  int64           `json:"inserted"`
	Removed   int64           `json:"removed"`
	Rewritten []Rewritten     `json:"rewritten"`
	Stops     []Stop          `json:"stops"`
	Findings  []layer.Finding `json:"findings"`
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

// Prove compares an edited file with its original and examines it. Where both
// are the same file, it is examined as it is.
func Prove(ctx context.Context, original, edited layer.Source, ixO, ixE *layer.Index, pr *plan.Printer) (*Report, error) {
	al, err := Align(original, edited)
	if err != nil {
		return nil, err
	}
	// The two readings know nothing of one another.
	var (
		v    Verdict
		errC error
		side sync.WaitGroup
	)
	own, err := ours(edited, ixE)
	if err != nil {
		return nil, err
	}
	side.Go(func() {
		v, errC = Compare(ctx, io.NewSectionReader(original, 0, original.Size()), io.NewSectionReader(edited, 0, edited.Size()), Options{Box: ixO.Box, Again: own.Again, Changed: own.Changed, Through: true})
	})
	in, fits, err := inserts(ctx, edited, ixE, own.ears)
	var x *Examined
	if err == nil {
		x, err = examine(ctx, edited, ixE, pr, al.Blocks, in)
	}
	side.Wait()
	if err = errors.Join(err, errC); err != nil {
		return nil, err
	}
	r := &Report{Format: Format, Inserted: al.Inserted, Removed: al.Removed, Rewritten: append([]Rewritten{}, al.Rewritten...), Stops: []Stop{}, Findings: []layer.Finding{}}
	r.Same, r.Moves = v.Same, v.Moves
	if d := v.First; d != nil {
		r.First = &First{Place{d.Lines[0], trim(d.Texts[0])}, Place{d.Lines[1], trim(d.Texts[1])}, d.What}
	}
	for _, d := range v.States {
		if d.Code == "temperature-not-restored" && own.warm {
			continue // a filament of its own heat was put in, and says so
		}
		r.Findings = append(r.Findings, layer.Finding{Level: layer.Grave, Code: d.Code, Line: d.Lines[1], Message: fmt.Sprintf("From this line on %s than in the original (its line %d).", d.What, d.Lines[0])})
	}
	r.Stops = append(r.Stops, x.Stops...)
	itself := &Examined{}
	if len(x.Findings)+len(x.words) > 0 && (al.Inserted+al.Removed > 0 || len(al.Rewritten) > 0) { // what the original does itself is not the edit's doing
		if itself, err = Examine(ctx, original, ixO, pr, nil); err != nil {
			return nil, err
		}
	}
	r.Findings = append(r.Findings, beyond(x.Findings, itself.Findings, al)...)
	r.Findings = append(r.Findings, fits...)
	r.inside(ixE, al, edited)
	for _, w := range x.words {
		if slices.ContainsFunc(al.Blocks, func(b [2]int64) bool { return w.line >= b[0] && w.line <= b[1] }) && !slices.ContainsFunc(itself.words, func(o word) bool { return o.text == w.text }) {
			r.Findings = append(r.Findings, layer.Finding{Level: layer.Care, Code: "unknown-command", Line: w.line, Message: fmt.Sprintf("%s was put in and is not known here. Make sure that the printer knows it.", w.text)})
		}
	}
	slices.SortStableFunc(r.Findings, func(a, b layer.Finding) int { return int(a.Line - b.Line) })
	return r, nil
}

func trim(s string) string {
	for len(s) > 0 && (s[len(s)-1] == '\n' || s[len(s)-1] == '\r') {
		s = s[:len(s)-1]
	}
	return s
}

// beyond leaves out what the original does as well: a finding of the same code
// for each that it has, unless it stands in lines that were put in.
func beyond(edited, own []layer.Finding, al *Aligned) []layer.Finding {
	have := map[string]int{}
	for _, f := range own {
		have[f.Code]++
	}
	var out []layer.Finding
	for _, f := range edited {
		in := slices.ContainsFunc(al.Blocks, func(b [2]int64) bool { return f.Line >= b[0] && f.Line <= b[1] })
		if !in && have[f.Code] > 0 {
			have[f.Code]--
			continue
		}
		out = append(out, f)
	}
	return out
}

// inside looks at stops that were put in: in the middle of a wall they leave a
// mark on it.
func (r *Report) inside(ix *layer.Index, al *Aligned, src layer.Source) {
	if ix.Kind == layer.Vase {
		return // there is nothing but one wall
	}
	for _, s := range r.Stops {
		in := slices.ContainsFunc(al.Blocks, func(b [2]int64) bool { return s.Line >= b[0] && s.Line <= b[1] })
		if !in || s.Before == 0 {
			continue
		}
		l := &ix.Layers[s.Before-1]
		if s.Line <= l.First || s.Line > l.Last {
			continue
		}
		moves, err := ix.Decode(src, s.Before)
		if err != nil {
			continue
		}
		var before, behind *layer.Move
		travel := false
		for i := range moves {
			m := &moves[i]
			blocked := slices.ContainsFunc(al.Blocks, func(b [2]int64) bool { return m.Line >= b[0] && m.Line <= b[1] })
			switch {
			case m.Kind == gcode.Lay && m.Line < s.Line:
				before, travel = m, false
			case m.Kind == gcode.Lay && behind == nil:
				behind = m
			case m.Kind == gcode.Travel && !blocked && behind == nil:
				travel = true
			}
		}
		if before != nil && behind != nil && !travel && before.To == behind.From && before.Label == behind.Label {
			r.Findings = append(r.Findings, layer.Finding{Level: layer.Care, Code: "stop-inside-wall", Line: s.Line, Message: fmt.Sprintf("The printer stops in the middle of a path of layer %d, and leaves a mark there. Between two paths it would not be seen.", s.Before)})
		}
	}
}
