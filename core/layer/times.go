package layer

import (
	"math"

	"dogear/core/gcode"
)

// Times returns when each move of layer n begins, in seconds from the start of
// the print. moves are those that Decode returned. The planner starts from rest
// at the fold; the sum is stretched to the time the whole reading gave.
func (ix *Index) Times(src Source, n int, moves []Move) ([]float64, error) {
	l := &ix.Layers[n-1]
	before, err := ix.Before(src, n)
	if err != nil {
		return nil, err
	}
	p := planner{limits: usual}
	var c gcode.Command
	for _, s := range before.Settings() {
		c.Parse([]byte(s.Line))
		if c.Letter == 'M' {
			p.take(&c)
		}
	}
	factor := before.Speed()
	for i := range moves {
		m := &moves[i]
		p.open()
		p.fold()
		speed := max(m.Feed.Millimetres()/60*factor, 0.1)
		acc := p.travel
		if m.Kind == gcode.Lay {
			acc = p.print
		}
		d := [3]float64{}
		for k := range d {
			d[k] = (m.To[k] - m.From[k]).Millimetres()
		}
		length := m.Length()
		switch {
		case length > 0 && m.Arc == nil:
			p.move(length, d[0]/length, d[1]/length, d[2]/length, speed, acc)
		case length > 0:
			s0, c0 := math.Sincos(m.Arc.A0)
			sign := math.Copysign(1, m.Arc.Turn)
			p.move(length, -s0*sign, c0*sign, 0, speed, acc)
			s1, c1 := math.Sincos(m.Arc.A0 + m.Arc.Turn)
			p.ux, p.uy = -s1*sign, c1*sign
		case m.DE != 0:
			p.move(math.Abs(m.DE.Millimetres()), 0, 0, 0, speed, 3*acc)
		}
	}
	p.finish()
	k := 1.0
	if p.clock > 0 {
		k = l.Seconds / p.clock
	}
	begins := p.begins.list()
	for i := range begins {
		begins[i] = l.Begin + begins[i]*k
	}
	return begins, nil
}
