package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"dogear/core/bind"
	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/plan"
)

type bindCmd struct {
	Piece   []string  `arg:"" help:"FILE:FROM-TO, layers of a slicing; FILE:FROM- goes to its end."`
	Out     string    `short:"o" required:"" help:"${out}" placeholder:"OUT"`
	JSON    bool      `help:"Print dogear-bind/1."`
	Joint   []string  `help:"${bind_joint}" placeholder:"KIND" sep:","`
	Nozzle  []float64 `help:"${bind_nozzle}" sep:"," placeholder:"MM"`
	DZ      []float64 `name:"dz" help:"${bind_dz}" sep:","`
	HeadsUp float64   `name:"heads-up" help:"${bind_heads_up}" placeholder:"MIN"`
	Routine string    `help:"${bind_routine}" placeholder:"NAME"`
	Plan    string    `help:"${bind_plan}" placeholder:"FILE"`
	Force   bool      `help:"Write over an existing OUT."`
	Number  bool      `name:"renumber" help:"Give all lines new N numbers and checksums."`
	Accept  []string  `help:"${accept}" placeholder:"CODE@LINE" sep:"none"`
}

type bindReport struct {
	Format   string            `json:"format"`
	Out      string            `json:"out"`
	Bytes    int64             `json:"bytes"`
	Pieces   []pieceReport     `json:"pieces"`
	Joints   []jointReport     `json:"joints"`
	Findings []finding.Finding `json:"findings"`
}

type pieceReport struct {
	File     string   `json:"file"`
	From     int      `json:"from"`
	To       int      `json:"to"`
	FromZ    float64  `json:"from_z"`
	ToZ      float64  `json:"to_z"`
	OutLines [2]int64 `json:"out_lines"`
}

type jointReport struct {
	Z        float64           `json:"z"`
	Below    int               `json:"below_layer"`
	Above    int               `json:"above_layer"`
	OutLines [2]int64          `json:"out_lines"`
	Shared   []sharedReport    `json:"shared"`
	Findings []finding.Finding `json:"findings"`
}

type sharedReport struct {
	Z     float64 `json:"z"`
	Below int     `json:"below_layer"` // that ends there
	Above int     `json:"above_layer"` // that begins there
}

var pieceForm = regexp.MustCompile(`^(.+):(\d+)-(\d*)$`)

func (c *bindCmd) Run() error {
	p := &plan.Plan{Printer: plan.Generic()}
	if c.Plan != "" {
		f, err := os.Open(c.Plan)
		if err != nil {
			return refuse("unreadable", err)
		}
		defer f.Close()
		if p, err = plan.Parse(f); err != nil {
			return refuse("plan", err)
		}
	}
	pieces, files, err := c.pieces(p)
	if err != nil {
		return err
	}
	joints, err := c.joints(len(pieces) - 1)
	if err != nil {
		return err
	}
	ask, err := asked(c.Accept)
	if err != nil {
		return err
	}
	r, err := gate.Bind(context.Background(), pieces, joints, p, ask)
	if err != nil {
		return refuse("pieces", err)
	}
	b := r.Bound()
	if err := stopped(r); err != nil {
		return err
	}
	for _, f := range files {
		if c.Out != "-" && same(c.Out, f) {
			return refuse("same-file", fmt.Errorf("%s is one of the pieces; the originals are never "+
				"written to", c.Out))
		}
	}
	rep := bindReport{Format: "dogear-bind/1", Out: c.Out, Findings: r.Findings()}
	for i, q := range b.Pieces {
		from := 0.0
		if q.From > 1 {
			from = q.Ix.Layers[q.From-2].Z.Millimetres()
		}
		rep.Pieces = append(rep.Pieces, pieceReport{q.Name, q.From, q.To, from,
			q.Ix.Layers[q.To-1].Z.Millimetres(), b.OutLines[i]})
	}
	for _, j := range b.Joints {
		below, above := b.Pieces[j.Below], b.Pieces[j.Above]
		jr := jointReport{Z: j.Z.Millimetres(), Below: below.To, Above: above.From,
			OutLines: [2]int64{j.OutLine,
				j.OutLine + int64(len(j.Lines)) - 1}, Shared: []sharedReport{}, Findings: j.Findings}
		for _, h := range bind.Shared(below.Ix, above.Ix) {
			jr.Shared = append(jr.Shared, sharedReport{h.Z.Millimetres(), h.A, h.B + 1})
		}
		rep.Joints = append(rep.Joints, jr)
	}
	if rep.Bytes, err = writeRelease(c.Out, append(slices.Clone(files), c.Plan), c.Force, c.Number,
		nil, r); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(beside(c.Out), rep)
	}
	for i, q := range rep.Pieces {
		fmt.Fprintf(os.Stderr, "%s, layers %d to %d: %.2f to %.2f mm, lines %d to %d\n", q.File,
			q.From, q.To, q.FromZ, q.ToZ, q.OutLines[0], q.OutLines[1])
		if i < len(rep.Joints) {
			j := rep.Joints[i]
			fmt.Fprintf(os.Stderr, "joint at %.2f mm, lines %d to %d\n", j.Z, j.OutLines[0], j.OutLines[1])
		}
	}
	say(r.Findings())
	return nil
}

// pieces opens the files, each once.
func (c *bindCmd) pieces(p *plan.Plan) ([]bind.Piece, []string, error) {
	var out []bind.Piece
	var files []string
	opened := map[string]*document{}
	opt := optionsOf(p)
	for _, arg := range c.Piece {
		m := pieceForm.FindStringSubmatch(arg)
		if m == nil {
			return nil, nil, refuse("usage", fmt.Errorf("a piece is written FILE:FROM-TO, as in "+
				"wall.gcode:1-90; %q is not", arg))
		}
		if m[1] == stdinPiece {
			m[1] = "-"
		}
		d := opened[m[1]]
		if d == nil {
			var err error
			if d, err = (plated{}).open(m[1], opt); err != nil {
				return nil, nil, err
			}
			opened[m[1]] = d
		}
		q := bind.Piece{Name: d.name, Src: d.src, Ix: d.ix}
		var err, errTo error
		q.From, err = strconv.Atoi(m[2])
		if m[3] != "" {
			q.To, errTo = strconv.Atoi(m[3])
		}
		if err != nil || errTo != nil || m[3] != "" && q.To < 1 {
			return nil, nil, refuse("usage", fmt.Errorf("%q names no layers", arg))
		}
		out, files = append(out, q), append(files, m[1])
	}
	return out, files, nil
}

// each is what is given for joint i: one for all, or one for each.
func each[T any](all []T, i int) (v T) {
	switch {
	case len(all) == 1:
		return all[0]
	case len(all) > 1:
		return all[i]
	}
	return v
}

// joints says what is done at each joint.
func (c *bindCmd) joints(n int) ([]bind.Joint, error) {
	out := make([]bind.Joint, max(n, 0))
	for what, k := range map[string]int{"joints are described": len(c.Joint),
		"heights are given": len(c.DZ), "nozzles are given": len(c.Nozzle)} {
		if k > 1 && k != n {
			return nil, refuse("usage", fmt.Errorf("%d %s, but there are %d joints", k, what, n))
		}
	}
	for i := range out {
		kind, nozzle := strings.TrimSpace(each(c.Joint, i)), each(c.Nozzle, i)
		switch kind {
		case "nozzle":
			out[i].Ear = plan.Ear{Kind: plan.Nozzle, Nozzle: nozzle}
		case "colour":
			out[i].Ear = plan.Ear{Kind: plan.Colour}
		case "", "nothing":
			if nozzle > 0 && kind == "" {
				out[i].Ear = plan.Ear{Kind: plan.Nozzle, Nozzle: nozzle}
			}
		default:
			return nil, refuse("usage", fmt.Errorf("a joint is nothing, nozzle or colour, not %q", kind))
		}
		if c.Routine != "" && out[i].Ear.Kind != "" {
			out[i].Ear.Routine, _ = json.Marshal(c.Routine)
		}
		if c.HeadsUp > 0 && out[i].Ear.Kind != "" {
			out[i].Ear.HeadsUp = &plan.HeadsUp{Minutes: c.HeadsUp}
		}
		out[i].DZ = each(c.DZ, i)
	}
	return out, nil
}
