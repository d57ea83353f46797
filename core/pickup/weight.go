package pickup

import (
	"errors"
	"fmt"

	"dogear/core/layer"
	"dogear/core/plan"
)

// What a weight may be off: half a gram, since kitchen scales show whole ones, and the share by
// which filament is thinner, lighter or fed otherwise than the file says. A spool is heavy, and
// its scale coarser; a length is read off less well.
const (
	scaleStep  = 0.5 // g
	spoolStep  = 1   // g
	lengthStep = 0.1 // m
	feedShare  = 0.02
)

// plastic compares how much was laid with what each layer takes. What the spool has lost also
// went into the prime line; what a part weighs does not.
func (p *Piece) plastic(ix *layer.Index) error {
	if !(p.Value > 0) {
		return errors.New("it must weigh more than nothing")
	}
	if !(p.Density > 0) && p.Kind != Used {
		return errors.New("say how dense the filament is, in g/cm³; its spool or its maker says " +
			"so. PLA has about 1.24, PETG 1.27, ABS 1.04")
	}
	f := plan.Filament{Diameter: p.Diameter, Density: p.Density}
	if f.Diameter == 0 && len(ix.Layers) > 0 {
		f.Diameter = ix.Layers[0].Diameter // as the file says, where it counts volumes
	}
	if err := f.Check(); err != nil {
		return err
	}
	unit, step, of := "g", scaleStep, f.Grams
	laid := 0.0 // mm of filament
	switch p.Kind {
	case Spool:
		step = spoolStep
	case Used:
		unit, step, of = "m", lengthStep, func(mm float64) float64 { return mm / 1000 }
	}
	if p.Kind != Weight && len(ix.States) > 0 {
		laid = ix.States[0].State.Laid.Millimetres()
	}
	tol := max(step, p.Value*feedShare)
	if all := of(ix.Filament.Millimetres() + laid); p.Value > all+3*tol {
		return fmt.Errorf("%g %s is more than the whole print takes, %.1f %s", p.Value, unit, all, unit)
	}
	below := of(laid)
	for k := range p.weight { // layer k is whole, and the next one under way
		next := below
		if k < len(ix.Layers) {
			next = of(laid + ix.Layers[k].Filament.Millimetres())
			laid += ix.Layers[k].Filament.Millimetres()
		}
		off := max(below-p.Value, p.Value-next, 0)
		p.weight[k] = trapezoid(off, tol)
		below = next
	}
	p.bounds()
	p.Text = fmt.Sprintf("%.4g %s, give or take %.2g: layer %d", p.Value, unit, tol, p.Best)
	return nil
}
