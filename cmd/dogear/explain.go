package main

import (
	"bufio"
	"fmt"
	"os"

	"dogear/core/explain"
	"dogear/core/gcode"
	"dogear/core/layer"
)

type explainCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	Line int64 `help:"Explain this line only, with the machine's state there."`
}

func (c *explainCmd) Run() error {
	d, err := c.open(c.File, layer.Options{})
	if err != nil {
		return err
	}
	if c.Line != 0 && (c.Line < 1 || c.Line > d.ix.Lines) {
		return refuse("no-line", fmt.Errorf("there is no line %d; the file has %d", c.Line, d.ix.Lines))
	}
	w := bufio.NewWriter(os.Stdout)
	defer w.Flush()
	from, end := 0, d.ix.Lines+1
	if c.Line > 0 {
		from, end = d.ix.At(c.Line), c.Line+1
	}
	return d.ix.Walk(d.src, from, end, func(line int64, text []byte, cmd *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if line < c.Line {
			return true
		}
		for len(text) > 0 && (text[len(text)-1] == '\n' || text[len(text)-1] == '\r') {
			text = text[:len(text)-1]
		}
		words := explain.Line(cmd, a, m)
		if cmd.Empty() && cmd.Comment != nil {
			words = explain.Mark(text, d.ix.Marks, d.ix.At(line), d.ix)
		}
		fmt.Fprintf(w, "%8d  %-44s  %s\n", line, text, words)
		if c.Line > 0 {
			fmt.Fprintln(w)
			for _, s := range explain.State(m) {
				fmt.Fprintf(w, "          %s\n", s)
			}
			if n := d.ix.At(line); n > 0 {
				fmt.Fprintf(w, "          in layer %d of %d\n", n, len(d.ix.Layers))
			}
		}
		return true
	})
}
