package main

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"dogear/core/edit"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

type layersCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or .zip; - for standard input."`
	JSON bool   `help:"Print dogear-layers/1."`
}

func (c *layersCmd) Run() error {
	d, err := open(c.File, layer.Options{})
	if err != nil {
		return err
	}
	if c.JSON {
		return printJSON(os.Stdout, d.ix.Report(d.name))
	}
	ix := d.ix
	fmt.Printf("%s: %d layers, %s mm high, %s mm of filament, about %s\n", d.name, len(ix.Layers), ix.Height(), ix.Filament, clock(ix.Seconds))
	fmt.Printf("%8s %8s %10s %10s %10s %10s %8s\n", "layer", "number", "z", "fold line", "first", "last", "seconds")
	for i := range ix.Layers {
		l := &ix.Layers[i]
		number := "-"
		if l.HasNumber {
			number = fmt.Sprint(l.Number)
		}
		fmt.Printf("%8d %8s %10s %10d %10d %10d %8.1f\n", i+1, number, l.Z, l.Fold, l.First, l.Last, l.Seconds)
	}
	for _, f := range ix.Findings {
		fmt.Printf("%s, line %d: %s\n", f.Level, f.Line, f.Message)
	}
	return nil
}

func clock(s float64) string {
	return fmt.Sprintf("%d h %02d", int(s)/3600, int(s)/60%60)
}

func printJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

type applyCmd struct {
	File     string `arg:"" help:"G-code file, plain, .gz or .zip; - for standard input."`
	Plan     string `required:"" help:"Plan in the format dogear-plan/1."`
	Out      string `short:"o" help:"File to write; - for standard output."`
	InPlace  bool   `help:"Write FILE itself, and keep what it was beside it as FILE.orig. The plan is laid on by height when it was made for another file."`
	JSON     bool   `help:"Print dogear-edit/1."`
	Force    bool   `help:"Write over an existing OUT."`
	Renumber bool   `help:"Give all lines new N numbers and checksums."`
	Reanchor bool   `help:"Lay a plan made for another file onto this one, by height."`
}

type editReport struct {
	Format    string              `json:"format"`
	Out       string              `json:"out"`
	Bytes     int64               `json:"bytes"`
	Ears      []earReport         `json:"ears"`
	Rewritten []routine.Rewritten `json:"rewritten"`
	Findings  []layer.Finding     `json:"findings"`
}

type earReport struct {
	ID        string   `json:"id"`
	Before    int64    `json:"inserted_before_line"`
	OutLines  [2]int64 `json:"out_lines"`
	Layer     int      `json:"before_layer"`
	Z         float64  `json:"z"`
	LastLayer int      `json:"last_layer"`
	Seconds   float64  `json:"seconds_in"`
}

func (c *applyCmd) Run() error {
	if (c.Out == "") == !c.InPlace {
		return refuse("usage", errors.New("say where the file goes: -o OUT, or --in-place"))
	}
	if c.InPlace {
		rep, err := inPlace(c.File, c.Plan, c.Renumber)
		if err != nil {
			return err
		}
		return c.tell(os.Stdout, rep)
	}
	p, err := readPlan(c.Plan)
	if err != nil {
		return err
	}
	d, err := open(c.File, optionsOf(p))
	if err != nil {
		return err
	}
	defer d.close()
	res, err := lay(d, p, c.Reanchor)
	if err != nil {
		return err
	}
	rep := reportOf(d, res, c.Out)
	if rep.Bytes, err = writeEdits(c.Out, c.File, c.Force, c.Renumber, d.src, res.Edits); err != nil {
		return err
	}
	return c.tell(beside(c.Out), rep)
}

// tell says what was done: as JSON where it was asked for, else in words.
func (c *applyCmd) tell(to io.Writer, rep *editReport) error {
	if c.JSON {
		return printJSON(to, rep)
	}
	for _, e := range rep.Ears {
		fmt.Fprintf(os.Stderr, "%s: %d lines in front of line %d, before layer %d (%.2f mm)\n", e.ID, e.OutLines[1]-e.OutLines[0]+1, e.Before, e.Layer, e.Z)
	}
	for _, f := range rep.Findings {
		fmt.Fprintf(os.Stderr, "%s: %s\n", f.Level, f.Message)
	}
	return nil
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
func optionsOf(p *plan.Plan) layer.Options {
	opt := layer.Options{KeepE: p.Printer.G90MovesE != nil && !*p.Printer.G90MovesE}
	for _, w := range p.Printer.Stop {
		opt.StopWords = append(opt.StopWords, w)
	}
	for i := range p.Ears {
		if w := p.Ears[i].Stop; w != "" {
			opt.StopWords = append(opt.StopWords, w)
		}
	}
	return opt
}

// lay lays a plan onto a file; one that was made for another file only when that
// is asked for. What stands against writing it is an error.
func lay(d *document, p *plan.Plan, reanchor bool) (*routine.Result, error) {
	var marks *landmark.Report
	var err error
	if insert.Wanted(p) || slices.ContainsFunc(p.Ears, func(e plan.Ear) bool { return e.Seen != nil }) {
		if marks, err = lookAt(d); err != nil {
			return nil, refuse("unreadable", err)
		}
	}
	var moved []layer.Finding
	if p.File != nil && p.File.SHA256 != "" {
		sum, err := digest(d.src)
		if err != nil {
			return nil, refuse("unreadable", err)
		}
		if sum != p.File.SHA256 {
			if !reanchor {
				return nil, refuse("other-file", errors.New("the plan was made for another file; say --reanchor to lay it on this one by height"))
			}
			if moved, err = routine.Reanchor(d.src, d.ix, p, marks); err != nil {
				return nil, refuse("unreadable", err)
			}
		}
	}
	var pockets []landmark.Pocket
	if marks != nil {
		pockets = marks.Pockets
	}
	res, err := routine.Apply(d.src, d.ix, p, pockets)
	if err != nil {
		return nil, refuse("plan", err)
	}
	res.Findings = append(moved, res.Findings...)
	for _, f := range res.Findings {
		if f.Level == layer.Grave {
			return nil, &refusal{Code: f.Code, Line: f.Line, Err: errors.New(f.Message)}
		}
	}
	edit.Sort(res.Edits)
	return res, nil
}

func reportOf(d *document, res *routine.Result, out string) *editReport {
	rep := &editReport{Format: "dogear-edit/1", Out: out, Ears: []earReport{}, Rewritten: append([]routine.Rewritten{}, res.Rewritten...), Findings: append([]layer.Finding{}, res.Findings...)}
	for i, b := range res.Blocks {
		rep.Ears = append(rep.Ears, earReport{b.Ear.ID, b.Fold.Line, res.OutLines(i), b.Fold.Layer, d.ix.Layers[b.Fold.Layer-1].Z.Millimetres(), b.Fold.Last(), b.Fold.Seconds})
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

// writeEdits writes a file with edits, and returns how many bytes it has.
func writeEdits(out, file string, force, renumber bool, src layer.Source, edits []edit.Edit) (int64, error) {
	n := int64(0)
	err := create(out, file, force, func(w io.Writer) error {
		count := &counted{w: w}
		defer func() { n = count.n }()
		if !renumber {
			_, err := edit.Write(count, src, edits)
			return err
		}
		r := &edit.Renumber{W: count}
		if _, err := edit.Write(r, src, edits); err != nil {
			return err
		}
		return r.Close()
	})
	return n, err
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
