package main

import (
	"bufio"
	"context"
	"fmt"
	"os"

	"dogear/core/landmark"
	"dogear/core/layer"
)

type landmarksCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	JSON bool `help:"Print dogear-landmarks/1."`
}

func (c *landmarksCmd) Run() error {
	d, err := c.open(c.File, layer.Options{})
	if err != nil {
		return err
	}
	r, err := lookAt(d)
	if err != nil {
		return err
	}
	if c.JSON {
		return printJSON(os.Stdout, r)
	}
	w := bufio.NewWriter(os.Stdout)
	for _, m := range r.Landmarks {
		where := ""
		if m.BeforeLayer != nil {
			where = fmt.Sprintf("before layer %d", *m.BeforeLayer)
		} else {
			where = fmt.Sprintf("before line %d", *m.BeforeLine)
		}
		fmt.Fprintf(w, "%-20s %-15s %3.0f %%  %s\n", where, m.Kind, m.Certainty*100, m.Reason)
	}
	for _, p := range r.Pockets {
		more := ""
		if p.Side {
			more += ", open at the side"
		}
		if p.Support > 0 {
			more += fmt.Sprintf(", support in it up to layer %d", p.Support)
		}
		fmt.Fprintf(w, "pocket: %s, %.2f mm across at X%.2f Y%.2f, %.2f mm deep, layers %d to %d%s\n",
			p.Shape, p.Across, p.Centre[0], p.Centre[1], p.Depth, p.FirstOpen, p.LastOpen, more)
	}
	if err := w.Flush(); err != nil {
		return refuse("unwritable", err)
	}
	return nil
}

// lookAt looks at every layer of a file.
func lookAt(d *document) (*landmark.Report, error) {
	var bar func(float64)
	if isTerminal(os.Stderr) && d.src.Size() > 20<<20 {
		bar = progress("looking at " + d.name)
	}
	r, err := landmark.Find(context.Background(), d.src, d.ix, bar)
	if err == nil {
		terminal.done("looking at " + d.name)
	}
	return r, err
}
