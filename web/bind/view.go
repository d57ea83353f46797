package bind

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"dogear/core/bind"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/store"
	"dogear/web/fields"
	"dogear/web/say"
)

// boundPiece is a piece as it is shown.
type boundPiece struct {
	ID           int64
	Title        string
	From, To     int
	Low, High    string
	Each         string
	Layers       int
	K            int
	Below, Above bool // it has a neighbour there
}

// boundJoint is the joint that is looked at.
type boundJoint struct {
	jointChoice
	K            int
	Z            string
	Below, Above string // titles
	Last, First  int
	Shared       []sharedHeight
	Fits         bool   // it lies at one of them
	Up, Down     string // heights of the next joints; empty at an end
	Lines        []routine.Line
	Takes        float64
}

type sharedHeight struct {
	Z float64 `json:"z"`
	A int     `json:"a"`
	B int     `json:"b"`
}

type boundState struct {
	Pieces []boundRun     `json:"pieces"`
	At     int            `json:"at"`
	Shared []sharedHeight `json:"shared"`
}

type boundRun struct {
	ID   int64 `json:"id"`
	From int   `json:"from"`
	To   int   `json:"to"`
}

type boundView struct {
	Address  string
	Out      string // address of the file
	State    string
	Query    string      // the same, of what is put on the shelf
	Hidden   [][2]string // what the form carries along
	Besides  [][2]string // of the joints below the one that is looked at
	After    [][2]string // and above it
	Pieces   []boundPiece
	Joint    boundJoint
	Joints   []boundTab
	Others   []bindChoice // that may be put on top
	Routines []string
	Spools   [][2]string
	Findings []boundFinding
	Blocked  bool
	Seconds  float64
	Name     string
}

// boundFinding is a finding with the address at which it is taken upon oneself.
type boundFinding struct {
	finding.Finding
	Accept string
}

type boundTab struct {
	K  int
	Z  string
	At bool
}

// boundView works out everything the page shows.
func (s *pages) boundView(ctx context.Context, b *binding) (*boundView, error) {
	r, err := s.joined(ctx, b)
	if err != nil {
		return nil, err
	}
	made := r.Bound()
	v := &boundView{Address: b.address("/bind"), Out: b.address("/bind/file"), Name: boundName(b),
		Blocked: r.Stopped() != nil}
	for _, f := range r.Findings() {
		x := boundFinding{Finding: f}
		if f.Level == finding.Stop {
			with := *b
			with.accept = append(slices.Clone(b.accept), f.Name())
			x.Accept = with.address("/bind")
		}
		v.Findings = append(v.Findings, x)
	}
	for _, name := range b.accept {
		v.Hidden = append(v.Hidden, [2]string{"ok", name})
	}
	st := boundState{At: b.at, Shared: []sharedHeight{}}
	v.takePieces(b, made, &st)
	v.Query = b.address("")
	for i, c := range b.joints {
		f := [][2]string{{"j", c.Kind}, {"n", fields.NumberOrBlank(c.Nozzle)}, {"f", c.Filament},
			{"r", c.Routine},
			{"dz", fields.NumberOrBlank(c.DZ)}, {"h", fields.NumberOrBlank(c.Minutes)}}
		if i < b.at {
			v.Besides = append(v.Besides, f...)
		} else if i > b.at {
			v.After = append(v.After, f...)
		}
	}
	v.takeJoint(b, made, &st)
	for i, j := range made.Joints {
		v.Joints = append(v.Joints, boundTab{i, say.Millimetres(j.Z), i == b.at})
	}
	js, err := json.Marshal(st)
	if err != nil {
		return nil, err
	}
	v.State = string(js)
	v.Routines = append(slices.Clone(b.kit.Keys[plan.Routines]),
		missing(plan.BuiltinNames(), b.kit.Keys[plan.Routines])...)
	for _, k := range b.kit.Keys[plan.Filaments] {
		v.Spools = append(v.Spools, [2]string{k, b.kit.Filaments[k].Name})
	}
	if v.Others, err = s.othersToBind(ctx, b); err != nil {
		return nil, err
	}
	return v, nil
}

// takePieces shows the pieces, from the lowest to the highest.
func (v *boundView) takePieces(b *binding, made *bind.Bound, st *boundState) {
	for i, p := range made.Pieces {
		low := gcode.Nano(0)
		if p.From > 1 {
			low = p.Ix.Layers[p.From-2].Z
		}
		v.Pieces = append(v.Pieces, boundPiece{b.books[i].Print.ID, p.Name, p.From, p.To,
			say.Trimmed(low),
			say.Trimmed(p.Ix.Layers[p.To-1].Z), say.Trimmed(store.UsualHeight(p.Ix)), p.To - p.From + 1, i,
			i > 0,
			i+1 < len(made.Pieces)})
		st.Pieces = append(st.Pieces, boundRun{b.books[i].Print.ID, p.From, p.To})
		for n := p.From; n <= p.To; n++ {
			v.Seconds += p.Ix.Layers[n-1].Seconds
		}
		v.Hidden = append(v.Hidden,
			[2]string{"p", fmt.Sprintf("%d:%d-%d", b.books[i].Print.ID, p.From, p.To)})
	}
	v.Seconds += made.Pieces[0].Ix.Layers[0].Begin
}

// takeJoint shows the joint that is looked at, and the heights it could lie at.
func (v *boundView) takeJoint(b *binding, made *bind.Bound, st *boundState) {
	j := made.Joints[b.at]
	below, above := made.Pieces[j.Below], made.Pieces[j.Above]
	v.Joint = boundJoint{jointChoice: b.joints[b.at], K: b.at, Z: say.Millimetres(j.Z),
		Below: below.Name,
		Above: above.Name, Last: below.To, First: above.From, Lines: j.Lines}
	for _, l := range j.Lines {
		v.Joint.Takes += l.Seconds
	}
	for _, h := range bind.Shared(below.Ix, above.Ix) {
		if h.A < below.From || h.B >= above.To {
			continue
		}
		st.Shared = append(st.Shared, sharedHeight{h.Z.Millimetres(), h.A, h.B})
		v.Joint.Fits = v.Joint.Fits || h.A == below.To && h.B+1 == above.From
		switch {
		case h.Z < j.Z:
			v.Joint.Down = h.Z.String()
		case h.Z > j.Z && v.Joint.Up == "":
			v.Joint.Up = h.Z.String()
		}
	}
	v.Joint.Shared = st.Shared
}

// othersToBind are the prints that could go on top.
func (s *pages) othersToBind(ctx context.Context, b *binding) ([]bindChoice, error) {
	if len(b.pieces) >= MaxBound {
		return nil, nil
	}
	var out []bindChoice
	all, err := s.Store.Faces(ctx, maxOffered)
	if err != nil {
		return nil, err
	}
	me := slices.IndexFunc(all, func(p store.Stand) bool { return p.ID == b.books[0].Print.ID })
	for i := range all {
		if me >= 0 && (i == me || all[me].Akin(&all[i])) {
			out = append(out, bindChoice{all[i].ID, all[i].Title, say.OneDecimal(all[i].Step) +
				" mm each"})
		}
	}
	return out, nil
}

// missing returns what of all is not in have.
func missing(all, have []string) []string {
	var out []string
	for _, a := range all {
		if !slices.Contains(have, a) {
			out = append(out, a)
		}
	}
	return out
}
