package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"

	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/layer"
	"dogear/core/pickup"
)

type pickupCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	evidence
	Flow     float64  `help:"${pickup_flow}" placeholder:"PERCENT"`
	Nozzle   float64  `help:"Nozzle, °C, instead of the file's." placeholder:"CELSIUS"`
	Bed      float64  `help:"Bed, °C, instead of the file's." placeholder:"CELSIUS"`
	Ease     string   `help:"First layers slower and hotter." placeholder:"LAYERS,SPEED%,+T"`
	Prime    string   `help:"How much is primed, and where." placeholder:"MM@X,Y"`
	OwnLine  []string `name:"own-line" help:"${pickup_own}" placeholder:"LINE" sep:"none"`
	Wait     bool     `name:"prime-wait" help:"Stop where it primes, to take the string off."`
	LooseTop bool     `help:"Print the rest by itself, on the bed, to be glued on."`
	Gentle   bool     `help:"${pickup_gentle}"`
	Along    float64  `help:"${pickup_along}" placeholder:"PERCENT"`
	Brim     float64  `help:"${pickup_brim}" placeholder:"MM"`
	Out      string   `short:"o" required:"" help:"${out}" placeholder:"OUT"`
	JSON     bool     `help:"Print dogear-pickup/1."`
	Force    bool     `help:"Write over an existing OUT."`
	Renumber bool     `help:"Give all lines new N numbers and checksums."`
	Accept   []string `help:"${accept}" placeholder:"CODE@LINE" sep:"none"`
}

type touchCmd struct {
	File string `arg:"" help:"G-code file, plain, .gz or an archive; - for standard input."`
	plated
	evidence
	Out   string `short:"o" required:"" help:"${out}" placeholder:"OUT"`
	JSON  bool   `help:"Print dogear-touch/1."`
	Force bool   `help:"Write over an existing OUT."`
}

type candidate struct {
	Layer  int     `json:"layer"` // last good layer
	Line   int64   `json:"line"`
	Z      float64 `json:"z"`
	Weight float64 `json:"weight"`
}

// ambiguous is the refusal when evidence allows more than one place.
type ambiguous struct {
	why        string
	candidates []candidate
}

func (a *ambiguous) Error() string { return a.why }

// choice works out where to start.
func (v *evidence) choice(d *document) (pickup.Choice, *pickup.Belief, []candidate, error) {
	c := pickup.Choice{Start: v.Start, Z: v.Z, Feeler: v.Feeler, DX: v.DX, DY: v.DY, DZ: v.DZ,
		Clearance: v.Clearance}
	if v.HomeAt != "" {
		p, err := numbers(v.HomeAt, 2)
		if err != nil {
			return c, nil, nil, refuse("usage", fmt.Errorf("--home-at is written X,Y: %w", err))
		}
		c.HomeAt = &[2]float64{p[0], p[1]}
	}
	all, err := v.pieces()
	if err != nil {
		return c, nil, nil, refuse("usage", err)
	}
	b, err := pickup.Weigh(d.src, d.ix, pickup.Felt(all, v.Feeler))
	if err != nil {
		return c, nil, nil, refuse("evidence", err)
	}
	cand := candidates(d.ix, b)
	switch {
	case v.Layer != nil || v.Line != nil:
	case len(cand) == 0:
		return c, b, cand, &refusal{Code: "contradiction",
			Err: errors.New(strings.Join(append([]string{"these do not fit together."},
				b.Contradicts...), " "))}
	case !b.One:
		return c, b, cand, &refusal{Code: "not-one-place",
			Err: &ambiguous{fmt.Sprintf("what is known allows %d places, layers %d to %d; add a touch, or "+
				"decide with --layer N", len(cand), b.Low, b.High), cand}}
	}
	c.Layer, c.Line, c.Measured = b.Best, b.Line, b.ByHeight()
	if v.Layer != nil {
		c.Layer = *v.Layer
	}
	if v.Line != nil {
		c.Line = *v.Line
		if c.Start == "" {
			c.Start = pickup.Mid
		}
	}
	if c.Start == "" {
		c.Start = pickup.Next
	}
	if c.Start == pickup.Mid && c.Line == 0 {
		return c, b, cand, &refusal{Code: "not-one-place",
			Err: errors.New("for a start inside a layer, say the line: --line L")}
	}
	return c, b, cand, nil
}

// candidates are the places that evidence allows, the likeliest first.
func candidates(ix *layer.Index, b *pickup.Belief) []candidate {
	out := []candidate{}
	away := func(k int) int { return max(k-b.Best, b.Best-k) }
	for k, w := range b.Weight {
		if w <= 0 {
			continue
		}
		c := candidate{Layer: k, Weight: w}
		if k > 0 {
			c.Z = ix.Layers[k-1].Z.Millimetres()
		}
		if k < len(ix.Layers) {
			c.Line = ix.Layers[k].Fold
		}
		at := len(out)
		for at > 0 && (out[at-1].Weight < w || out[at-1].Weight == w &&
			away(out[at-1].Layer) > away(k)) { // of those that are as likely, the middle
			at--
		}
		out = append(out[:at], append([]candidate{c}, out[at:]...)...)
	}
	if len(out) > 200 {
		out = out[:200]
	}
	return out
}

type pickupReport struct {
	Format string `json:"format"`
	Out    string `json:"out"`
	Bytes  int64  `json:"bytes"`
	Start  struct {
		Layer int     `json:"layer"`
		Line  int64   `json:"line"`
		Z     float64 `json:"z"`
		X     float64 `json:"x"`
		Y     float64 `json:"y"`
		E     float64 `json:"e"`
	} `json:"start"`
	LastKept struct {
		Layer int     `json:"layer"`
		Z     float64 `json:"z"`
	} `json:"last_kept"`
	Opening    []pickup.Entry    `json:"opening"`
	Candidates []candidate       `json:"candidates"`
	Findings   []finding.Finding `json:"findings"`
	Seal       string            `json:"seal,omitempty"` // what the examination has measured
}

func (c *pickupCmd) Run() error {
	d, err := c.open(c.File, layer.Options{})
	if err != nil {
		return err
	}
	ch, belief, cand, err := c.choice(d)
	if err != nil {
		var many *ambiguous
		if errors.As(err, &many) {
			c.show(many.candidates)
		}
		return err
	}
	ch.Flow, ch.Nozzle, ch.Bed, ch.LooseTop = c.Flow, c.Nozzle, c.Bed, c.LooseTop
	ch.Gentle, ch.Brim, ch.Along = c.Gentle, c.Brim, c.Along
	if ch.Along != 0 && ch.Start != pickup.Mid {
		return refuse("usage", errors.New("--along is a place inside a move: it needs --line"))
	}
	if err := c.amounts(&ch); err != nil {
		return refuse("usage", err)
	}
	ask, err := asked(c.Accept)
	if err != nil {
		return err
	}
	for _, t := range belief.Contradicts {
		same := ch
		at, err := pickup.Find(d.src, d.ix, &same)
		if err != nil {
			return refuse("pickup", err)
		}
		ask.Last = append(ask.Last, finding.Finding{Level: finding.Care, Code: "contradiction",
			Line: at.Line, Message: t})
	}
	r, err := gate.Pickup(context.Background(), d.src, d.ix, nil, nil, ch, ask)
	if err != nil {
		return refuse("pickup", err)
	}
	p := r.Pickup()
	if err := stopped(r); err != nil {
		return err
	}
	rep := pickupReport{Format: "dogear-pickup/1", Out: c.Out,
		Opening: append([]pickup.Entry{},
			p.Opening...), Candidates: cand, Findings: r.Findings(), Seal: r.Seal()}
	s := &p.Start
	rep.Start.Layer, rep.Start.Line = s.Layer, s.Line
	rep.Start.X, rep.Start.Y, rep.Start.Z, rep.Start.E = s.At.Pos[0].Millimetres(),
		s.At.Pos[1].Millimetres(), s.At.Pos[2].Millimetres(), s.At.LogicalE().Millimetres()
	rep.LastKept.Layer = s.Kept
	if s.Kept > 0 {
		rep.LastKept.Z = d.ix.Layers[s.Kept-1].Z.Millimetres()
	}
	if rep.Bytes, err = writeRelease(c.Out, []string{c.File}, c.Force, c.Renumber, d, r); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(beside(c.Out), rep)
	}
	fmt.Fprintf(os.Stderr, "goes on with layer %d, line %d; %d lines of opening\n", s.Layer, s.Line,
		p.Length)
	if rep.Seal != "" {
		fmt.Fprintln(os.Stderr, rep.Seal)
	}
	say(r.Findings())
	return nil
}

// show prints the places that what is known allows.
func (c *pickupCmd) show(cand []candidate) {
	if c.JSON {
		rep := pickupReport{Format: "dogear-pickup/1", Opening: []pickup.Entry{}, Candidates: cand,
			Findings: []finding.Finding{}}
		_ = printJSON(os.Stdout, rep)
		return
	}
	fmt.Printf("%8s %10s %10s %8s\n", "layer", "z", "next line", "weight")
	for _, k := range cand {
		fmt.Printf("%8d %10.2f %10d %7.1f%%\n", k.Layer, k.Z, k.Line, 100*k.Weight)
	}
}

// amounts reads the flags that are written in a short form.
func (c *pickupCmd) amounts(ch *pickup.Choice) error {
	ch.PrimeWait, ch.Lines = c.Wait, c.OwnLine
	if c.Ease != "" {
		w := strings.Split(c.Ease, ",")
		n, err := strconv.Atoi(strings.TrimSpace(w[0]))
		if err != nil || n < 1 || len(w) > 3 {
			return errors.New("--ease is written LAYERS,SPEED%,+T, as in 2,80%,+5")
		}
		ch.Ease.Layers = n
		for i, to := range []*float64{&ch.Ease.Speed, &ch.Ease.Hotter} {
			if i+1 >= len(w) {
				break
			}
			v, err := strconv.ParseFloat(strings.Trim(strings.TrimSpace(w[i+1]), "%+"), 64)
			if err != nil {
				return errors.New("--ease is written LAYERS,SPEED%,+T, as in 2,80%,+5")
			}
			*to = v
		}
	}
	if c.Prime != "" {
		mm, at, there := strings.Cut(c.Prime, "@")
		v, err := strconv.ParseFloat(mm, 64)
		if err != nil || v <= 0 {
			return errors.New("--prime is written MM@X,Y, as in 15@5,5")
		}
		ch.Prime = v
		if there {
			p, err := numbers(at, 2)
			if err != nil {
				return fmt.Errorf("--prime is written MM@X,Y: %w", err)
			}
			ch.PrimeAt = &[2]float64{p[0], p[1]}
		}
	}
	return nil
}

func (c *touchCmd) Run() error {
	d, err := c.open(c.File, layer.Options{})
	if err != nil {
		return err
	}
	ch, _, _, err := c.choice(d)
	if err != nil {
		return err
	}
	r, t, err := gate.Touch(context.Background(), d.src, d.ix, nil, ch, gate.Asked{})
	if err != nil {
		return refuse("touch", err)
	}
	if err := stopped(r); err != nil {
		return err
	}
	n, err := writeRelease(c.Out, []string{c.File}, c.Force, false, nil, r)
	if err != nil {
		return err
	}
	if c.JSON {
		return printJSON(beside(c.Out), map[string]any{"format": "dogear-touch/1", "out": c.Out,
			"bytes": n, "layer": max(t.Start.Kept, 1), "at": t.At, "findings": r.Findings})
	}
	fmt.Fprintf(os.Stderr, "touches three places of layer %d\n", max(t.Start.Kept, 1))
	return nil
}
