package routine

import (
	"encoding/json"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Example is a routine at a made-up fold: before layer 38 at 7.40 mm of a block
// in the middle of the printer's bed, on a file that counts everything from the
// start.
type Example struct {
	Lines    []Line
	Findings []finding.Finding
	Box      [4]gcode.Nano // of the block
	At       gcode.State
	Took     []float64 // s by step; what a person needs is not counted
}

// NewExample runs steps on the example as an ear of a kind would. The plan's
// printer and filaments are used; before the fold its first filament is laid.
func NewExample(p *plan.Plan, kind, filament string, steps plan.Routine) (*Example, error) {
	raw, err := json.Marshal(steps)
	if err != nil {
		return nil, err
	}
	q := *p
	e := plan.Ear{ID: "x", BeforeLayer: 38, Kind: kind, Routine: raw, From: p.First}
	if kind == plan.Colour {
		e.Filament = filament
	}
	if kind == plan.Own {
		e.Lines = []string{"M0 look at it"}
	}
	q.Ears = []plan.Ear{e}
	if err := q.Check(); err != nil {
		return nil, err
	}
	bed := q.Printer.Bed
	cx, cy := gcode.FromMM((bed[0]+bed[2])/2), gcode.FromMM((bed[1]+bed[3])/2)
	w, h := gcode.FromMM((bed[2]-bed[0])/8), gcode.FromMM((bed[3]-bed[1])/10)
	z := gcode.FromMM(7.4)
	at := gcode.State{Pos: [3]gcode.Nano{cx + w, cy - h/2, z}, Top: z, Feed: 1800 * gcode.MM,
		Fan: 127e6, Known: gcode.KnowX | gcode.KnowY | gcode.KnowZ, ESet: true, E: gcode.FromMM(1234.5),
		Debt: gcode.FromMM(0.8)}
	at = at.WithNozzle(210e6)
	x := &Example{Box: [4]gcode.Nano{cx - w, cy - h, cx + w, cy + h}, At: at}
	f := Fold{Layer: 38, At: at, Next: [2]gcode.Nano{cx - w, cy + h/2}, HasNext: true, Before: p.First,
		Again: ring(x.Box, z)}
	if x.Lines, x.Findings, err = Compile(f, x.Box, &q, &q.Ears[0], Style{}); err != nil {
		return nil, err
	}
	// A printer that does it all leaves steps out; those take no time.
	run, err := q.RoutineOf(&q.Ears[0])
	if err != nil {
		return nil, err
	}
	place := placesOf(steps, run)
	x.Took = make([]float64, len(steps))
	for i := range x.Lines {
		if l := &x.Lines[i]; l.Step >= 0 {
			l.Step = place[l.Step]
			x.Took[l.Step] += l.Seconds
		}
	}
	return x, nil
}

// placesOf says where each step that runs stands among all steps.
func placesOf(all, run plan.Routine) []int {
	var out []int
	k := 0
	for i := range all {
		if k < len(run) && all[i].Do == run[k].Do {
			out = append(out, i)
			k++
		}
	}
	return out
}

// ring is the layer below the example's fold: one turn along its edge.
func ring(b [4]gcode.Nano, z gcode.Nano) []layer.Move {
	at := [][3]gcode.Nano{{b[0], b[1], z}, {b[2], b[1], z}, {b[2], b[3], z}, {b[0], b[3], z},
		{b[0], b[1], z}}
	var out []layer.Move
	for i := 1; i < len(at); i++ {
		out = append(out, layer.Move{Kind: gcode.Lay, From: at[i-1], To: at[i], Laid: gcode.MM,
			DE: gcode.MM, Feed: 1800 * gcode.MM})
	}
	return out
}
