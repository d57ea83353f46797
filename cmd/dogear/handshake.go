package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"dogear/core/figures"
	"dogear/core/gate"
	"dogear/core/handshake"
	"dogear/core/plan"
	"dogear/core/printer"
)

type handshakeCmd struct {
	Out      string   `short:"o" help:"File to write; - for standard output." placeholder:"OUT"`
	Plan     string   `help:"${handshake_plan}" placeholder:"FILE"`
	Word     []string `help:"${handshake_word}" placeholder:"WORD" sep:"none"`
	Simulate string   `help:"${handshake_simulate}" placeholder:"KIND"`
	Force    bool     `help:"Write over an existing OUT."`
	JSON     bool     `help:"Print dogear-handshake/1."`
}

type handshakeReport struct {
	Format string                `json:"format"`
	Out    string                `json:"out,omitempty"`
	Bytes  int64                 `json:"bytes,omitempty"`
	Tries  []handshakeTry        `json:"tries"`
	Seen   []handshake.Happening `json:"seen,omitempty"` // with --simulate
}

type handshakeTry struct {
	Try  int    `json:"try"`
	Word string `json:"word"`
	Line int64  `json:"line"`
}

func (c *handshakeCmd) Run() error {
	if (c.Out == "") == (c.Simulate == "") {
		return refuse("usage", errors.New("say where the file goes: -o OUT; or which simulated "+
			"printer runs it: --simulate KIND"))
	}
	pr := plan.Generic()
	read := []string{}
	if c.Plan != "" {
		p, err := readPlan(c.Plan)
		if err != nil {
			return err
		}
		pr, read = p.Printer, append(read, c.Plan)
	}
	r, f, err := gate.Handshake(context.Background(), pr, c.Word)
	if err != nil {
		return refuse("handshake", err)
	}
	if err := stopped(r); err != nil {
		return err
	}
	rep := handshakeReport{Format: "dogear-handshake/1", Out: c.Out}
	for _, t := range f.Tries {
		rep.Tries = append(rep.Tries, handshakeTry{t.N, t.Word, t.Stop})
	}
	if c.Simulate != "" {
		return c.simulate(pr, f, &rep)
	}
	if rep.Bytes, err = writeRelease(c.Out, read, c.Force, false, nil, r); err != nil {
		return err
	}
	w := beside(c.Out)
	if c.JSON {
		return printJSON(w, rep)
	}
	_, err = fmt.Fprintf(w, "tries %d stop words on a cold printer with an empty bed\n",
		len(rep.Tries))
	return err
}

// simulate lets a simulated printer run the file, and says what one would see.
func (c *handshakeCmd) simulate(pr *plan.Printer, f *handshake.File, rep *handshakeReport) error {
	kind, ok := printer.KindOf(c.Simulate)
	if !ok {
		var keys []string
		for _, k := range printer.Kinds() {
			keys = append(keys, k.Key)
		}
		return refuse("usage", fmt.Errorf("there is no simulated printer %q; there are %s", c.Simulate,
			strings.Join(keys, ", ")))
	}
	rep.Seen = handshake.Happen(f, pr, kind.Habits)
	if c.JSON {
		return printJSON(os.Stdout, rep)
	}
	for _, h := range rep.Seen {
		word := ""
		if h.Try > 0 {
			word = f.Tries[h.Try-1].Word
		}
		if _, err := fmt.Printf("%s  %-8s  %s\n", figures.Clock(h.Time), word, h.What); err != nil {
			return err
		}
	}
	return nil
}
