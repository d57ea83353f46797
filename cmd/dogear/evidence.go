package main

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"dogear/core/pickup"
)

// evidence are the flags that say where a print failed and how the printer
// finds its place again.
type evidence struct {
	Touch      []float64 `help:"${pickup_touch}" sep:"none" placeholder:"Z"`
	Caliper    []float64 `help:"Height of the part by calipers, mm." sep:"none" placeholder:"H"`
	Picture    []float64 `help:"${pickup_picture}" sep:"none" placeholder:"H"`
	Layer      *int      `help:"Last good layer; decides." placeholder:"N"`
	FileNumber *int64    `help:"Last good layer as the file counts." placeholder:"N"`
	Counted    string    `help:"${pickup_counted}" placeholder:"FROM+K"`
	Display    string    `help:"Position shown when it stopped, mm." placeholder:"X,Y,Z"`
	Line       *int64    `help:"Line to begin with; decides." placeholder:"L"`
	Byte       *int64    `help:"Bytes sent or read." placeholder:"B"`
	Percent    *float64  `help:"Percent of the file." placeholder:"P"`
	Minutes    *float64  `help:"Minutes printed." placeholder:"T"`
	E          *float64  `name:"e" help:"E shown when it stopped, mm." placeholder:"E"`
	Weight     *float64  `help:"${pickup_weight}" placeholder:"G"`
	Spool      *float64  `help:"What the spool has lost, g." placeholder:"G"`
	Used       *float64  `help:"Filament used since the start, m." placeholder:"M"`
	Density    float64   `help:"Of the filament, g/cm³, for a weight." placeholder:"D"`
	Diameter   float64   `help:"Of the filament, mm." default:"1.75" placeholder:"MM"`

	Start     string  `help:"redo, next or mid." default:"" placeholder:"next"`
	Z         string  `name:"z" help:"${pickup_z}" enum:"kept,touch,clear" default:"touch"`
	HomeAt    string  `help:"Where Z is homed, clear of the part." placeholder:"X,Y"`
	Feeler    float64 `help:"What lay between nozzle and part at the touch, mm." placeholder:"MM"`
	DZ        float64 `name:"dz" help:"Moves everything up by so much, mm." placeholder:"MM"`
	DX        float64 `name:"dx" help:"Moves everything in X, mm." placeholder:"MM"`
	DY        float64 `name:"dy" help:"Moves everything in Y, mm." placeholder:"MM"`
	Clearance float64 `help:"${evidence_clearance}" default:"10" placeholder:"MM"`
}

// pieces returns the evidence that was given.
func (v *evidence) pieces() ([]pickup.Evidence, error) {
	var out []pickup.Evidence
	add := func(kind string, value float64) {
		out = append(out, pickup.Evidence{Kind: kind,
			Value: value})
	}
	for _, z := range v.Touch {
		add(pickup.Touch, z)
	}
	for _, h := range v.Caliper {
		add(pickup.Caliper, h)
	}
	for _, h := range v.Picture {
		add(pickup.Picture, h)
	}
	if v.Layer != nil {
		add(pickup.Layer, float64(*v.Layer))
	}
	if v.FileNumber != nil {
		add(pickup.FileNumber, float64(*v.FileNumber))
	}
	if v.Counted != "" {
		from, k, ok := strings.Cut(v.Counted, "+")
		a, err1 := strconv.Atoi(from)
		b, err2 := strconv.Atoi(k)
		if !ok || err1 != nil || err2 != nil {
			return nil, errors.New("--counted is written FROM_LAYER+K, as in 30+12")
		}
		out = append(out, pickup.Evidence{Kind: pickup.Counted, From: a, Value: float64(b)})
	}
	if v.Display != "" {
		p, err := numbers(v.Display, 3)
		if err != nil {
			return nil, fmt.Errorf("--display is written X,Y,Z: %w", err)
		}
		out = append(out, pickup.Evidence{Kind: pickup.Display, At: [3]float64{p[0], p[1], p[2]}})
	}
	if v.Line != nil {
		add(pickup.Line, float64(*v.Line))
	}
	if v.Byte != nil {
		add(pickup.Byte, float64(*v.Byte))
	}
	if v.Percent != nil {
		add(pickup.Percent, *v.Percent)
	}
	if v.Minutes != nil {
		add(pickup.Minutes, *v.Minutes)
	}
	if v.E != nil {
		add(pickup.Extruded, *v.E)
	}
	for _, w := range []struct {
		kind  string
		value *float64
	}{{pickup.Weight, v.Weight}, {pickup.Spool, v.Spool}, {pickup.Used, v.Used}} {
		if w.value != nil {
			out = append(out, pickup.Evidence{Kind: w.kind, Value: *w.value, Density: v.Density,
				Diameter: v.Diameter})
		}
	}
	if len(out) == 0 {
		return nil, errors.New("say what is known about where it failed: --touch, --layer, --percent …")
	}
	return out, nil
}

func numbers(s string, n int) ([]float64, error) {
	var out []float64
	for _, t := range strings.Split(s, ",") {
		v, err := strconv.ParseFloat(strings.TrimSpace(t), 64)
		if err != nil {
			return nil, fmt.Errorf("%q is no number", t)
		}
		out = append(out, v)
	}
	if len(out) != n {
		return nil, fmt.Errorf("%d numbers are wanted, separated by commas", n)
	}
	return out, nil
}
