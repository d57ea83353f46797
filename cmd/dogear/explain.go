package main

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"

	"dogear/core/explain"
	"dogear/core/gcode"
	"dogear/core/layer"
)

type explainCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	Line int64 `help:"Explain this line only, with the machine's state there." placeholder:"N"`
	JSON bool  `help:"Print dogear-explain/1."`
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
	if err := c.explain(w, d); err != nil {
		return err
	}
	if err := w.Flush(); err != nil {
		return refuse("unwritable", err)
	}
	return nil
}

// explained is a line of dogear-explain/1.
type explained struct {
	Line  int64    `json:"line"`
	Text  string   `json:"text"`
	Words string   `json:"words"`
	State []string `json:"state,omitempty"` // of the machine there
	Layer *int     `json:"layer,omitempty"`
}

func (c *explainCmd) explain(w io.Writer, d *document) error {
	from, end := 0, d.ix.Lines+1
	if c.Line > 0 {
		from, end = d.ix.At(c.Line), c.Line+1
	}
	first := true
	var wrong error
	if c.JSON {
		fmt.Fprint(w, `{"format":"dogear-explain/1","lines":[`)
	}
	err := d.ix.Walk(d.src, from, end, func(line int64, text []byte, cmd *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		if line < c.Line {
			return true
		}
		for len(text) > 0 && (text[len(text)-1] == '\n' || text[len(text)-1] == '\r') {
			text = text[:len(text)-1]
		}
		x := explained{Line: line, Text: string(text), Words: explain.Line(cmd, a, m)}
		if cmd.Empty() && cmd.Comment != nil {
			x.Words = explain.Mark(text, d.ix.Marks, d.ix.At(line), d.ix)
		}
		if c.Line > 0 {
			x.State = explain.State(m)
			if n := d.ix.At(line); n > 0 {
				x.Layer = &n
			}
		}
		if !c.JSON {
			x.print(w, len(d.ix.Layers))
			return true
		}
		if !first {
			fmt.Fprint(w, ",")
		}
		first = false
		wrong = printJSON(w, x)
		return wrong == nil
	})
	if c.JSON {
		fmt.Fprintln(w, "]}")
	}
	return errors.Join(err, wrong)
}

// print writes a line for people; layers is how many the file has.
func (x *explained) print(w io.Writer, layers int) {
	fmt.Fprintf(w, "%8d  %-44s  %s\n", x.Line, x.Text, x.Words)
	if x.State == nil {
		return
	}
	fmt.Fprintln(w)
	for _, s := range x.State {
		fmt.Fprintf(w, "          %s\n", s)
	}
	if x.Layer != nil {
		fmt.Fprintf(w, "          in layer %d of %d\n", *x.Layer, layers)
	}
}
