package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"sync"

	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/proof"
)

type proofCmd struct {
	Original string `arg:"" help:"The file as it was."`
	Edited   string `arg:"" help:"The file as it is now; the same file twice examines it as it is."`
	plated
	JSON bool `help:"Print dogear-proof/1."`
}

func (c *proofCmd) Run() error {
	var a, b *document
	var err, errB error
	var side sync.WaitGroup
	if c.Edited != c.Original {
		side.Go(func() { b, errB = c.open(c.Edited, layer.Options{}) })
	}
	if a, err = c.open(c.Original, layer.Options{}); err != nil {
		return err
	}
	if side.Wait(); errB != nil {
		return errB
	}
	if b == nil {
		b = a
	}
	r, err := proof.Prove(context.Background(), a.src, b.src, a.ix, b.ix, nil)
	if err != nil {
		return refuse("proof", err)
	}
	stop := false
	for _, f := range r.Findings {
		stop = stop || f.Level == finding.Stop
	}
	if c.JSON {
		if err := printJSON(os.Stdout, r); err != nil {
			return err
		}
	} else {
		show(r)
	}
	if stop {
		return errSilent
	}
	return nil
}

// errSilent ends with status 1 when everything has been said already.
var errSilent = errors.New("something must be fixed first")

// show says in words what a proof found.
func show(r *proof.Report) {
	if r.Same && r.Muted > 0 {
		fmt.Printf("Same plastic, less what is muted: %d lines are muted, all other %d laying moves "+
			"are as they were.\n", r.Muted, r.Moves)
	} else if r.Same {
		fmt.Printf("Same plastic: all %d laying moves are as they were.\n", r.Moves)
	} else if r.First == nil {
		fmt.Printf("Not the same plastic.\n")
	} else {
		fmt.Printf("Not the same plastic: after %d equal moves %s.\n  original, line %d: %s\n"+
			"  edited, line %d:   %s\n", r.Moves, r.First.What, r.First.Original.Line, r.First.Original.Text,
			r.First.Edited.Line, r.First.Edited.Text)
	}
	fmt.Printf("%d lines inserted, %d removed, %d rewritten.\n", r.Inserted, r.Removed,
		len(r.Rewritten))
	for _, w := range r.Rewritten {
		fmt.Printf("  line %d: %s -> %s\n", w.Line, w.Was, w.Now)
	}
	for _, s := range r.Stops {
		where := "behind the last layer"
		switch {
		case s.Inside > 0:
			where = fmt.Sprintf("inside layer %d", s.Inside)
		case s.Before != nil && *s.Before > 0:
			where = fmt.Sprintf("before layer %d", *s.Before)
		}
		fmt.Printf("stops on line %d (%s) %s, %.2f mm above the part, at X%.2f Y%.2f\n", s.Line, s.Word,
			where, s.Lift, s.X, s.Y)
	}
	for _, f := range r.Findings {
		fmt.Printf("%s, line %d, %s: %s\n", f.Level, f.Line, f.Code, f.Message)
	}
	if len(r.Findings) == 0 {
		fmt.Println("Nothing stands out.")
	}
}
