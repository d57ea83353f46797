package pickup

import (
	"fmt"
	"slices"

	"dogear/core/figures"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
)

// fill weighs the evidence.
func (v *knownCard) fill(b *book.Book, p *plan.Plan, doc *store.PickupDoc) (*pickup.Belief,
	error) {
	belief, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(doc.Evidence, doc.Choice.Feeler))
	if err != nil {
		return nil, err
	}
	for i := range belief.Pieces {
		p := &belief.Pieces[i]
		x := pieceView{Index: i, Name: kindWords[p.Kind].card, Value: valueOf(&p.Evidence), Says: says(p)}
		x.Off = len(belief.Contradicts) > 0 && (p.High < belief.Best || p.Low > belief.Best)
		v.Pieces = append(v.Pieces, x)
	}
	v.Contradicts, v.Low, v.High = belief.Contradicts, belief.Low, belief.High
	v.Density = densityOf(p)
	measures := func(e pickup.Evidence) bool { return pickup.Measures(e.Kind) }
	v.Measured = len(v.Contradicts) > 0 && slices.ContainsFunc(doc.Evidence, measures) &&
		slices.ContainsFunc(doc.Evidence, func(e pickup.Evidence) bool { return !measures(e) })
	return belief, nil
}

// densityOf is how dense the filaments of a print are, g/cm³, when all are known to be alike;
// else nothing.
func densityOf(p *plan.Plan) string {
	d := p.Filaments[p.First].Density
	for _, e := range p.Ears {
		if e.Filament != "" && p.Filaments[e.Filament].Density != d {
			return ""
		}
	}
	return fields.NumberOrBlank(d)
}

// valueOf writes what was read off.
func valueOf(e *pickup.Evidence) string {
	switch e.Kind {
	case pickup.Touch:
		if e.Under > 0 {
			return fmt.Sprintf("%.2f mm on %g mm of paper", e.Value, e.Under)
		}
		return fmt.Sprintf("%.2f mm", e.Value)
	case pickup.Extruded:
		return fmt.Sprintf("%.2f mm", e.Value)
	case pickup.Weight, pickup.Spool:
		return fmt.Sprintf("%g g of %g g/cm³", e.Value, e.Density)
	case pickup.Used:
		return fmt.Sprintf("%g m", e.Value)
	case pickup.Picture:
		return fmt.Sprintf("%.1f mm, roughly", e.Value)
	case pickup.Caliper:
		return fmt.Sprintf("%.2f ± 0.1 mm", e.Value)
	case pickup.Counted:
		return fmt.Sprintf("%.0f above layer %d", e.Value, e.From)
	case pickup.Display:
		return fmt.Sprintf("X%g Y%g Z%g", e.At[0], e.At[1], e.At[2])
	case pickup.Minutes:
		return figures.Hours(e.Value * 60)
	case pickup.Percent:
		return fmt.Sprintf("%g %%", e.Value)
	}
	return figures.Count(int64(e.Value))
}

func says(p *pickup.Piece) string {
	if p.Low == p.High {
		if p.Kind == pickup.Touch {
			return fmt.Sprintf("layer %d, off by %.2f", p.Best, p.Off)
		}
		return fmt.Sprintf("layer %d", p.Best)
	}
	if len(p.Lines) == 1 {
		return fmt.Sprintf("in layer %d, line %s", p.Low+1, figures.Count(p.Lines[0]))
	}
	if len(p.Lines) > 1 {
		return fmt.Sprintf("%d places, layers %d–%d", len(p.Lines), p.Low, p.High)
	}
	if p.High > p.Low+2 {
		return fmt.Sprintf("layers %d–%d, likeliest %d", p.Low, p.High, p.Best)
	}
	return fmt.Sprintf("layers %d–%d", p.Low, p.High)
}

// bars are the ranges on the spine, by last good layer.
func bars(b *pickup.Belief) []map[string]any {
	out := []map[string]any{}
	for _, p := range b.Pieces {
		out = append(out, map[string]any{"name": kindWords[p.Kind].short, "low": p.Low, "high": p.High})
	}
	return out
}
