package main

import (
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

type layersCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	JSON bool `help:"Print dogear-layers/1."`
}

func (c *layersCmd) Run() error {
	d, err := c.open(c.File, layer.Options{})
	if err != nil {
		return err
	}
	if c.JSON {
		return d.ix.WriteReport(os.Stdout, d.name)
	}
	ix := d.ix
	w := bufio.NewWriter(os.Stdout)
	fmt.Fprintf(w, "%s: %d layers, %s mm high, %s mm of filament, about %s\n", d.name, len(ix.Layers),
		ix.Height(), ix.Filament, figures.Hours(ix.Seconds))
	fmt.Fprintf(w, "%8s %8s %10s %10s %10s %10s %8s\n", "layer", "number", "z", "fold line", "first",
		"last", "seconds")
	for i := range ix.Layers {
		l := &ix.Layers[i]
		number := "-"
		if l.HasNumber {
			number = fmt.Sprint(l.Number)
		}
		fmt.Fprintf(w, "%8d %8s %10s %10d %10d %10d %8.1f\n", i+1, number, l.Z, l.Fold, l.First, l.Last,
			l.Seconds)
	}
	for _, f := range ix.Findings {
		fmt.Fprintf(w, "%s, line %d: %s\n", f.Level, f.Line, f.Message)
	}
	return w.Flush()
}

func printJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

type applyCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	Plan     string   `required:"" help:"Plan in the format dogear-plan/1." placeholder:"FILE"`
	Out      string   `short:"o" help:"File to write; - for standard output." placeholder:"OUT"`
	InPlace  bool     `help:"${core_inplace}"`
	JSON     bool     `help:"Print dogear-edit/1."`
	Force    bool     `help:"Write over an existing OUT."`
	Renumber bool     `help:"Give all lines new N numbers and checksums."`
	Reanchor bool     `help:"Apply a plan made for another file, by height."`
	Other    bool     `name:"other-model" help:"${other}"`
	Accept   []string `help:"${accept}" placeholder:"CODE@LINE" sep:"none"`
}

type editReport struct {
	Format    string            `json:"format"`
	Out       string            `json:"out"`
	Bytes     int64             `json:"bytes"`
	Ears      []earReport       `json:"ears"`
	Rewritten []apply.Rewritten `json:"rewritten"`
	Findings  []finding.Finding `json:"findings"`
	Said      string            `json:"-"`
}

type earReport struct {
	ID        string   `json:"id"`
	Before    int64    `json:"inserted_before_line"`
	OutLines  [2]int64 `json:"out_lines"`
	Layer     *int     `json:"before_layer"`           // nil inside a layer
	Inside    int      `json:"inside_layer,omitempty"` // the layer inside which it lies
	Z         float64  `json:"z"`                      // of the fold: where the layer under it ends
	LastLayer int      `json:"last_layer"`
	Seconds   float64  `json:"seconds_in"`
}

// place says where an ear lies.
func (e *earReport) place() string {
	if e.Layer == nil {
		return fmt.Sprintf("inside layer %d", e.Inside)
	}
	return fmt.Sprintf("before layer %d", *e.Layer)
}

func (c *applyCmd) Run() error {
	if (c.Out == "") == !c.InPlace {
		return refuse("usage", errors.New("say where the file goes: -o OUT, or --in-place"))
	}
	ask, err := asked(c.Accept)
	if err != nil {
		return err
	}
	if c.InPlace {
		rep, err := inPlace(c.File, c.Plan, inPlaceHow{plated: c.plated,
			renumber: c.Renumber, other: c.Other, ask: ask})
		if err != nil {
			return err
		}
		return c.report(os.Stdout, rep)
	}
	p, err := readPlan(c.Plan)
	if err != nil {
		return err
	}
	d, err := c.open(c.File, optionsOf(p))
	if err != nil {
		return err
	}
	defer d.close()
	r, err := released(d, p, gate.Onto{Reanchor: c.Reanchor, Other: c.Other}, ask)
	if err != nil {
		return err
	}
	rep := reportOf(d, r, c.Out)
	if rep.Bytes, err = writeRelease(c.Out, []string{c.File, c.Plan}, c.Force, c.Renumber, d,
		r); err != nil {
		return err
	}
	return c.report(beside(c.Out), rep)
}

// asked reads the findings that are taken upon oneself, and shows how far the
// examination is where somebody looks.
func asked(accept []string) (gate.Asked, error) {
	ask := gate.Asked{Accept: accept}
	for _, a := range accept {
		if err := finding.CheckName(a); err != nil {
			return ask, refuse("usage", err)
		}
	}
	if isTerminal(os.Stderr) {
		ask.Progress = progress("examining")
	}
	return ask, nil
}

// report says what was done: as JSON where it was asked for, else in words.
func (c *applyCmd) report(to io.Writer, rep *editReport) error {
	if c.JSON {
		return printJSON(to, rep)
	}
	for _, e := range rep.Ears {
		fmt.Fprintf(os.Stderr, "%s: %d lines in front of line %d, %s (%.2f mm)\n", e.ID,
			e.OutLines[1]-e.OutLines[0]+1, e.Before, e.place(), e.Z)
	}
	if rep.Said != "" {
		fmt.Fprintln(os.Stderr, rep.Said)
	}
	say(rep.Findings)
	return nil
}

// say prints findings.
func say(findings []finding.Finding) {
	for _, f := range findings {
		fmt.Fprintf(os.Stderr, "%s, %s: %s\n", f.Level, f.Name(), f.Message)
	}
}

func readPlan(file string) (*plan.Plan, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, refuse("unreadable", err)
	}
	defer f.Close()
	p, err := plan.Parse(f)
	if err != nil {
		return nil, refuse("plan", err)
	}
	return p, nil
}

// optionsOf says how a file is read for the printer of a plan.
func optionsOf(p *plan.Plan) layer.Options { return layer.Options{Dialect: p.Dialect()} }

// released applies a plan to a file and has it examined; one that was made for another
// file only when that is asked for. What stands against writing it is an error.
func released(d *document, p *plan.Plan, onto gate.Onto, ask gate.Asked) (*gate.Release,
	error) {
	return releasedIn(context.Background(), d, p, onto, ask)
}

// releasedIn does so until a context ends.
func releasedIn(ctx context.Context, d *document, p *plan.Plan, onto gate.Onto,
	ask gate.Asked) (*gate.Release, error) {
	var marks *landmark.Report
	var err error
	if insert.Wanted(p) || slices.ContainsFunc(p.Ears,
		func(e plan.Ear) bool { return e.Seen != nil }) {
		if marks, err = lookAt(d); err != nil {
			return nil, refuse("unreadable", err)
		}
	}
	moved, err := moveOnto(d, p, onto, marks)
	if err != nil {
		return nil, err
	}
	var pockets []landmark.Pocket
	if marks != nil {
		pockets = marks.Pockets
	}
	ask.First = moved
	r, err := gate.Plan(ctx, d.src, d.ix, p, pockets, ask)
	if errors.Is(err, gate.ErrMarked) {
		return nil, refuse("written-by-dogear", fmt.Errorf("%s: %w", d.name, err))
	} else if err != nil {
		return nil, refuse("plan", err)
	}
	return r, stopped(r)
}

// moveOnto fits a plan to the file it is laid onto.
func moveOnto(d *document, p *plan.Plan, onto gate.Onto,
	marks *landmark.Report) ([]finding.Finding, error) {
	if p.File == nil || p.File.SHA256 == "" {
		return nil, nil
	}
	var err error
	if onto.SHA256, err = digest(d.src); err != nil {
		return nil, refuse("unreadable", err)
	}
	moved, err := onto.Move(d.src, d.ix, p, marks)
	switch {
	case errors.Is(err, gate.ErrOtherFile):
		return nil, refuse("other-file", fmt.Errorf("%w; say --reanchor to apply it to this one by "+
			"height", err))
	case errors.Is(err, gate.ErrOtherModel):
		return nil, refuse("other-model", fmt.Errorf("%w; say --other-model to apply it all the same",
			err))
	case err != nil:
		return nil, refuse("unreadable", err)
	}
	return moved, nil
}

// stopped is the refusal of a release that may not be written; nil when it may.
func stopped(r *gate.Release) error {
	terminal.done("examining")
	f := r.Stopped()
	if f == nil {
		return nil
	}
	more := 0
	for _, o := range r.Findings() {
		if o.Level == finding.Stop {
			more++
		}
	}
	text := f.Message
	if f.Ear != "" && r.Result() != nil && slices.ContainsFunc(r.Result().Blocks,
		func(b apply.Block) bool { return b.Ear.ID == f.Ear }) {
		text = "Ear " + f.Ear + ": " + text
	}
	text += fmt.Sprintf(" To accept the risk: --accept %s", f.Name())
	switch {
	case more == 2:
		text += " (one more finding stops the file)"
	case more > 2:
		text += fmt.Sprintf(" (%d more findings stop the file)", more-1)
	}
	return &refusal{Code: f.Code, Line: f.Line, Err: errors.New(text)}
}

func reportOf(d *document, r *gate.Release, out string) *editReport {
	res := r.Result()
	rep := &editReport{Format: "dogear-edit/1", Out: out, Ears: []earReport{},
		Rewritten: append([]apply.Rewritten{}, res.Rewritten...), Findings: r.Findings()}
	for i, b := range res.Blocks {
		l := &d.ix.Layers[b.Fold.Layer-1]
		e := earReport{ID: b.Ear.ID, Before: b.Fold.Line, OutLines: res.OutLines(i),
			Z: (l.Z - l.Height).Millimetres(), LastLayer: b.Fold.Last(), Seconds: b.Fold.Seconds}
		if n := b.Fold.Layer; b.Fold.Inside {
			e.Inside = n
		} else {
			e.Layer = &n
		}
		rep.Ears = append(rep.Ears, e)
	}
	return rep
}

// pocketsFor finds the pockets of a file when a plan puts something into them.
func pocketsFor(d *document, p *plan.Plan) ([]landmark.Pocket, error) {
	if !insert.Wanted(p) {
		return nil, nil
	}
	r, err := lookAt(d)
	if err != nil {
		return nil, err
	}
	return r.Pockets, nil
}

// writeRelease writes a file that may be written, and returns how many bytes it has. read are
// the files that are read for it, the original first; d is that one, when what is written
// of it goes into the archive that it came in.
func writeRelease(out string, read []string, force, renumber bool, d *document,
	r *gate.Release) (int64, error) {
	n := int64(0)
	err := create(out, read, force, func(w io.Writer) error {
		count := &counted{w: w}
		defer func() { n = count.n }()
		content := func(w io.Writer) error { return write(w, r, renumber) }
		if d == nil {
			return content(count)
		}
		d.packAs(out, read[0])
		return d.write(count, content)
	})
	return n, err
}

// write writes a release, with new line numbers on request: those mean nothing to
// the machine that was examined.
func write(w io.Writer, r *gate.Release, renumber bool) error {
	if !renumber {
		_, err := r.Write(w)
		return err
	}
	n := &edit.Renumber{W: w}
	if _, err := r.Write(n); err != nil {
		return err
	}
	return n.Close()
}

// beside is where a report goes: not into the file, when that is standard output.
func beside(out string) io.Writer {
	if out == "-" {
		return os.Stderr
	}
	return os.Stdout
}

// counted counts the bytes that pass.
type counted struct {
	w io.Writer
	n int64
}

func (c *counted) Write(p []byte) (int, error) {
	n, err := c.w.Write(p)
	c.n += int64(n)
	return n, err
}

func digest(src layer.Source) (string, error) {
	h := sha256.New()
	if _, err := io.Copy(h, io.NewSectionReader(src, 0, src.Size())); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}
