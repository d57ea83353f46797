package main

import (
	"fmt"
	"os"

	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/printer"
)

type rehearseCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	Fault []string `help:"${rehearse_fault}" placeholder:"FAULT"`
	Until string   `help:"Where to end: line:N, layer:N or minute:T." placeholder:"PLACE"`
	Stay  bool     `help:"Do not resume at stops."`
	JSON  bool     `help:"Print dogear-rehearsal/1."`
}

type rehearsal struct {
	Format   string            `json:"format"`
	Seen     printer.Seen      `json:"seen"`
	Events   []printer.Event   `json:"events"`
	Evidence []pickup.Evidence `json:"evidence"`
}

func (c *rehearseCmd) Run() error {
	d, err := c.open(c.File, layer.Options{})
	if err != nil {
		return err
	}
	p := printer.New(d.src, d.ix, nil, nil)
	for _, f := range c.Fault {
		fault, err := printer.ParseFault(f)
		if err != nil {
			return refuse("usage", err)
		}
		p.Throw(fault)
	}
	if c.Until != "" { // ends by somebody pressing stop
		f, err := printer.ParseFault("stop@" + c.Until)
		if err != nil {
			return refuse("usage", fmt.Errorf("--until is written line:N, layer:N or minute:T"))
		}
		p.Throw(f)
	}
	for p.Run(1e15) || p.State == printer.Waiting {
		if c.Stay && p.State == printer.Waiting {
			break
		}
		p.Resume()
	}
	r := rehearsal{Format: "dogear-rehearsal/1", Seen: p.See(), Events: append([]printer.Event{},
		p.Take()...), Evidence: append([]pickup.Evidence{}, p.Evidence()...)}
	if c.JSON {
		return printJSON(os.Stdout, r)
	}
	for _, e := range r.Events {
		fmt.Printf("%s  line %8d  %-8s %s\n", figures.Clock(e.Time), e.Line, e.Kind, e.Text)
	}
	s := r.Seen
	fmt.Printf("%s after %s: layer %d, %.2f mm on the bed, %d moves laid\n", s.State,
		figures.Clock(s.Time), s.Layer, s.Top, s.Laid)
	return nil
}
