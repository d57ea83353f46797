package pickup

import (
	"context"
	"fmt"
	"math"
	"slices"

	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/raster"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/draw"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// fill says where the print goes on as far as it is chosen or proposed.
func (v *placeCard) fill(b *book.Book, doc *store.PickupDoc, c *pickup.Choice,
	belief *pickup.Belief) {
	last := c.Layer
	if c.Start == pickup.Mid && c.Line > 0 {
		last = max(b.Ix.At(c.Line), 1) - 1
	}
	v.Last, v.First, v.TouchOf = last, last+1, c.Layer
	if c.Start == pickup.Redo {
		v.First = last
	}
	v.Proposed = !doc.Taken && doc.Choice.Layer == 0 && doc.Choice.Line == 0 && last > 0
	v.Reopened, v.Says = reopened(b, doc, belief)
}

// found takes what was worked out of the place.
func (v *placeCard) found(b *book.Book, c *pickup.Choice, st *pickup.Start) (err error) {
	v.First, v.Line, v.Inside = st.Layer, st.Line, st.Inside
	if !st.Inside && c.Start == pickup.Mid {
		v.Last = st.Kept
	}
	v.Height = say.Millimetres(st.Lies)
	l := &b.Ix.Layers[st.Layer-1]
	if l.HasNumber && l.Number != int64(st.Layer) {
		v.FileFirst = fmt.Sprintf("%d in the file", l.Number)
	}
	v.Look, err = onTop(b, st)
	return err
}

// fill says what can be chosen behind the last good layer.
func (v *choiceCard) fill(c *pickup.Choice, last int) {
	redo := "the last layer again"
	if last > 0 {
		redo = fmt.Sprintf("layer %d again", last)
	}
	v.Starts = []fields.Choice{fields.Choose(pickup.Next, "the next layer", c.Start == pickup.Next),
		fields.Choose(pickup.Redo, redo, c.Start == pickup.Redo),
		fields.Choose(pickup.Mid, "a point inside", c.Start == pickup.Mid)}
	v.Zs = []fields.Choice{fields.Choose(pickup.ByTouch, "touch the part", c.Z == pickup.ByTouch),
		fields.Choose(pickup.ByKept, "motors held", c.Z == pickup.ByKept),
		fields.Choose(pickup.ByClear, "home clear of the part", c.Z == pickup.ByClear)}
	pair := func(p *[2]float64) string {
		if p == nil {
			return ""
		}
		return fmt.Sprintf("%g, %g", p[0], p[1])
	}
	v.HomeAt, v.PrimeAt = pair(c.HomeAt), pair(c.PrimeAt)
	if c.Ease.Layers > 0 {
		e := c.Eased()
		v.EaseSpeed, v.EaseHo = say.Or(fields.NumberOrBlank(e.Speed), "100"), fmt.Sprint(e.Hotter)
	}
}

// make writes the pick-up and says what is in it.
func (v *pickupView) make(ctx context.Context, s *pages, b *book.Book, m *book.Marked,
	c pickup.Choice, data map[string]any) error {
	q, err := s.Picked(b, m, 0, c)
	if err != nil {
		return err
	}
	ready, err := q.Within(ctx, site.Patience)
	if err != nil {
		return site.Asked(err)
	}
	if !ready {
		v.Examining, v.Examined = true, int(100*q.Progress())
		return nil
	}
	if err := v.placeCard.found(b, &c, &q.Out().Pickup().Start); err != nil {
		return err
	}
	v.madeCard.fill(b, m, &c, q.Out())
	data["look"] = v.Look
	toDraw(b, m, &c, q.Out().Pickup(), data)
	return nil
}

// fill says what is in the file.
func (v *madeCard) fill(b *book.Book, m *book.Marked, c *pickup.Choice, r *gate.Release) {
	for _, e := range r.Pickup().Opening {
		v.Opening = append(v.Opening, entryView{Entry: e, Flips: e.Line > 0 && !c.LooseTop,
			On: e.Verdict == pickup.Kept})
	}
	for _, f := range r.Findings() {
		name := f.Name()
		v.Findings = append(v.Findings, findingView{f, name, slices.Contains(c.Accept, name)})
		v.Blocked = v.Blocked || f.Level == finding.Stop
	}
	if hit := r.Pickup().Refused; hit != nil {
		x := draw.NewBedPlan(m.Plan.Printer, 220)
		x.Part(m.Plan.Printer, b.Ix.Box, 220)
		x.Hit(m.Plan.Printer, c.HomeAt, hit, 220)
		v.Refused = &x
	}
	if res := r.Result(); res != nil {
		for i := range res.Blocks {
			if res.Blocks[i].Fold.Offset >= r.Pickup().Start.Offset {
				v.Ears++
			}
		}
	}
	v.Steps = atThePrinter(m, b, r, c, nil)
	v.Seal = r.Seal()
}

// toDraw gives the scripts what they draw of it.
func toDraw(b *book.Book, m *book.Marked, c *pickup.Choice, p *pickup.Pickup,
	data map[string]any) {
	data["landing"], data["spot"] = p.Landing, p.Spot
	if rest := p.Start.Rest; rest != nil {
		data["rest"] = map[string]any{"line": rest.Line, "at": c.Along / 100}
	}
	if !c.LooseTop {
		if _, pins, _, err := pickup.TouchCheck(b.Src, b.Ix, m.Plan.Printer, *c); err == nil {
			data["pins"] = pins
		}
		return
	}
	data["loose"] = true
	if len(p.Brim) > 0 {
		data["brim"] = drawnBrim(p)
	}
}

// onTop says what one can check on the part by eye: how many islands and
// openings its top has, and what was laid last.
func onTop(b *book.Book, st *pickup.Start) (string, error) {
	n := max(st.Kept, 1)
	if st.Inside {
		n = st.Layer
	}
	moves, err := b.Ix.Decode(b.Src, n)
	if err != nil {
		return "", err
	}
	if st.Inside {
		moves = moves[:slices.IndexFunc(append(moves, layer.Move{Line: math.MaxInt64}),
			func(m layer.Move) bool { return m.Line >= st.Line })]
	}
	last := ""
	for _, p := range slices.Backward(layer.Paths(moves)) {
		if p.Class != layer.Travel {
			last = "laid last: " + p.Class.String()
			break
		}
	}
	if st.Inside { // of a layer that is laid in part, islands and openings say nothing
		return last, nil
	}
	sec := raster.NewSection(raster.FrameOf(b.Ix), b.Ix, n, moves)
	count := func(n int, one, many string) string {
		switch n {
		case 0:
			return "no " + many
		case 1:
			return "one " + one
		}
		return fmt.Sprintf("%d %s", n, many)
	}
	return count(sec.Pieces, "island", "islands") + ", " + count(len(sec.Open.Pieces()), "opening",
		"openings") + "; " + last, nil
}
