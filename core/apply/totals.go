package apply

import (
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Total is what a print takes of one filament. Lengths are mm of filament.
type Total struct {
	Filament string  // key in the plan
	Laid     float64 // in the layers, bond passes included
	Purged   float64 // pushed through and wiped off
	Grams    float64 // of both
	Bands    int     // how often it comes
}

// Totals sums up what each filament is used for, in the order in which they are
// first laid. What primes the nozzle before layer 1 is not counted: the file
// tells it from the part, but not from the spool that was loaded before.
func (r *Result) Totals(src layer.Source, ix *layer.Index, p *plan.Plan) ([]Total, error) {
	var out []Total
	find := func(key string) *Total {
		for i := range out {
			if out[i].Filament == key {
				return &out[i]
			}
		}
		out = append(out, Total{Filament: key})
		return &out[len(out)-1]
	}
	now := p.First
	find(now).Bands++
	at, part := 1, 0.0 // booked up to layer at, and of that one so much
	book := func(to int, upTo float64) {
		sum := upTo - part
		for ; at < to; at++ {
			sum += ix.Layers[at-1].Filament.Millimetres()
		}
		part = upTo
		find(now).Laid += sum
	}
	for i := range r.Blocks {
		b := &r.Blocks[i]
		if b.Ear.Kind == plan.Colour && b.Ear.Filament != "" && b.Ear.Filament != now {
			upTo := 0.0
			if b.Fold.Inside {
				var err error
				if upTo, err = laidBefore(src, ix, &b.Fold); err != nil {
					return nil, err
				}
			}
			book(b.Fold.Layer, upTo)
			if len(out) == 1 && out[0].Laid == 0 {
				out = nil // it begins in another filament after all
			}
			now = b.Ear.Filament
			find(now).Bands++
		}
		for k := range b.Lines {
			find(now).add(&b.Lines[k], b)
		}
	}
	book(len(ix.Layers)+1, 0)
	for i := range out {
		f := p.Filaments[out[i].Filament]
		out[i].Grams = f.Grams(out[i].Laid + out[i].Purged)
	}
	return out, nil
}

// add books what a line of a block pushes out.
func (t *Total) add(l *routine.Line, b *Block) {
	if l.Step < 0 || l.Step >= len(b.Steps) {
		return
	}
	var c gcode.Command
	c.Parse([]byte(l.Text))
	if c.Letter != 'G' || c.Code > 3 || l.Filament <= 0 {
		return
	}
	e := l.Filament.Millimetres()
	switch do := b.Steps[l.Step].Do; {
	case l.Purge:
		t.Purged += e
	case c.Has('X') && (do == "bond" || do == "return" && b.Ear.BondPass != nil):
		t.Laid += e
	}
}

// laidBefore returns how much of the layer is laid in front of a fold inside
// it, mm of filament.
func laidBefore(src layer.Source, ix *layer.Index, f *routine.Fold) (float64, error) {
	moves, err := ix.Decode(src, f.Layer)
	if err != nil {
		return 0, err
	}
	sum := gcode.Nano(0)
	for i := range moves {
		if moves[i].Line < f.Line {
			sum += moves[i].Laid
		}
	}
	return sum.Millimetres(), nil
}

// Takes is when a moment of the file's own time comes, s, with the plan's changes of
// speed: what is laid at half its speed takes twice as long.
func (r *Result) Takes(seconds float64) float64 {
	out := seconds
	for i := range r.Changes {
		c := &r.Changes[i]
		if c.Change.Speed <= 0 {
			continue
		}
		if span := min(seconds, c.Until.Seconds) - c.From.Seconds; span > 0 {
			out += span * (100/c.Change.Speed - 1)
		}
	}
	return out
}
