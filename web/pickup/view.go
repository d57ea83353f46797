package pickup

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/raster"
	"dogear/core/release"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/draw"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// pickupView is the page on which a failed print is finished.
type pickupView struct {
	ID          int64
	Pieces      []pieceView
	Contradicts []string
	Problem     string // why there is no file yet
	Doc         store.PickupDoc
	Undo, Redo  bool
	Said        string

	Height            string // on the bed, mm
	Last, First       int    // last good layer, and the one the file begins with
	TouchOf           int    // the layer that the touch check is for
	Reopened          string // what came to be known speaks against the chosen place,
	Says              int    // for this layer
	Measured          bool   // what was measured can stand alone
	FileFirst         string // its number in the file, when that is another
	Line              int64
	Low, High         int
	Proposed          bool // a place is proposed, but nobody has taken it
	Inside            bool
	Starts, Zs        []fields.Choice
	HomeAt, PrimeAt   string
	Opening           []entryView
	Findings          []findingView
	Steps             []string
	Blocked           bool
	Examining         bool // it takes long; Examined percent are done
	Examined          int
	Seal              string
	Earlier           []earlierView
	Density           string // of its filament, g/cm³
	Refused           *draw.BedPlan
	Ears              int
	Look              string // what one can check on the part by eye
	Data              string // for the scripts, as JSON
	EaseSpeed, EaseHo string
}

type pieceView struct {
	Index             int
	Name, Value, Says string
	Off               bool // it contradicts
}

type entryView struct {
	pickup.Entry
	Flips bool // it can be turned
	On    bool // it runs as it is
}

type findingView struct {
	layer.Finding
	Name     string // by which it is accepted
	Accepted bool
}

type earlierView struct {
	ID    int64
	When  string
	What  string
	Knows string
	Came  string // of it
}

// pickupView works everything out anew.
func (s *pages) pickupView(c fiber.Ctx, b *book.Book) (*pickupView, error) {
	d, err := s.pickupDoc(c.Context(), b.Print.ID)
	if err != nil {
		return nil, err
	}
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return nil, err
	}
	v := &pickupView{ID: b.Print.ID, Doc: d.Doc, Undo: d.Undo, Redo: d.Redo}
	belief, err := v.believe(b, &d.Doc)
	if err != nil {
		return nil, err
	}
	ch := settled(&d.Doc, belief)
	v.choices(b, &d.Doc, &ch, belief)
	v.TouchOf = ch.Layer
	v.Reopened, v.Says = reopened(b, &d.Doc, belief)
	measures := func(e pickup.Evidence) bool { return pickup.Measures(e.Kind) }
	v.Measured = len(v.Contradicts) > 0 && slices.ContainsFunc(d.Doc.Evidence, measures) &&
		slices.ContainsFunc(d.Doc.Evidence, func(e pickup.Evidence) bool { return !measures(e) })
	if v.Earlier, err = s.earlier(c.Context(), b.Print.ID); err != nil {
		return nil, err
	}
	v.Density = densityOf(m.Plan)
	data := map[string]any{"layers": len(b.Ix.Layers), "photo": d.Doc.Photo}
	if belief != nil && len(belief.Pieces) > 0 {
		data["bars"] = bars(belief)
	}
	switch {
	case belief == nil || len(belief.Pieces) == 0 && d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0:
		v.Problem = "Say what you know about where it stopped: one thing is enough to begin, two are " +
			"better."
	case ch.Layer == 0 && ch.Start != pickup.Mid && len(belief.Contradicts) > 0:
		v.Problem = "These do not fit together. Take away what you trust least."
	default:
		if err := v.make(c.Context(), s, b, m, ch, data); err != nil {
			v.Problem = say.Upper(err.Error())
		}
	}
	data["last"], data["first"], data["inside"], data["line"] = v.Last, v.First, v.Inside, v.Line
	data["mid"] = ch.Start == pickup.Mid
	j, err := json.Marshal(data)
	v.Data = string(j)
	return v, err
}

// believe weighs the evidence and fills in the cards.
func (v *pickupView) believe(b *book.Book, doc *store.PickupDoc) (*pickup.Belief, error) {
	belief, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(doc.Evidence, doc.Choice.Feeler))
	if err != nil {
		return nil, err
	}
	for i := range belief.Pieces {
		p := &belief.Pieces[i]
		x := pieceView{Index: i, Name: pieceNames[p.Kind], Value: valueOf(&p.Evidence), Says: says(p)}
		x.Off = len(belief.Contradicts) > 0 && (p.High < belief.Best || p.Low > belief.Best)
		v.Pieces = append(v.Pieces, x)
	}
	v.Contradicts = belief.Contradicts
	v.Low, v.High = belief.Low, belief.High
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
	short := map[string]string{pickup.Touch: "touch", pickup.Caliper: "calipers",
		pickup.Counted: "count", pickup.Layer: "layer", pickup.FileNumber: "number",
		pickup.Display: "display", pickup.Minutes: "clock", pickup.Percent: "percent",
		pickup.Line: "line", pickup.Byte: "bytes", pickup.Extruded: "E", pickup.Weight: "weight",
		pickup.Spool: "spool", pickup.Used: "used", pickup.Picture: "picture"}
	for _, p := range b.Pieces {
		out = append(out, map[string]any{"name": short[p.Kind], "low": p.Low, "high": p.High})
	}
	return out
}

// choices fills in what can be chosen.
func (v *pickupView) choices(b *book.Book, doc *store.PickupDoc, c *pickup.Choice,
	belief *pickup.Belief) {
	last := c.Layer
	if c.Start == pickup.Mid && c.Line > 0 {
		last = max(b.Ix.At(c.Line), 1) - 1
	}
	v.Last, v.First = last, last+1
	if c.Start == pickup.Redo {
		v.First = last
	}
	v.Proposed = !doc.Taken && doc.Choice.Layer == 0 && doc.Choice.Line == 0 && last > 0
	redo := "the last layer again"
	if last > 0 {
		redo = fmt.Sprintf("layer %d again", last)
	}
	v.Starts = []fields.Choice{fields.Choose(pickup.Next, "the next layer", c.Start == pickup.Next),
		fields.Choose(pickup.Redo, redo, c.Start == pickup.Redo), fields.Choose(pickup.Mid,
			"a point inside",
			c.Start == pickup.Mid)}
	v.Zs = []fields.Choice{fields.Choose(pickup.ByTouch, "touch the part", c.Z == pickup.ByTouch),
		fields.Choose(pickup.ByKept, "motors held", c.Z == pickup.ByKept), fields.Choose(pickup.ByClear,
			"home clear of the part", c.Z == pickup.ByClear)}
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
	c pickup.Choice,
	data map[string]any) error {
	q, err := s.Picked(b, m, 0, c)
	if err != nil {
		return err
	}
	ready, err := q.Within(ctx, site.Patience)
	if err != nil {
		return site.Asked(err)
	}
	if !ready {
		v.Examining, v.Examined = true, int(100*s.Gate.Progress(q))
		return nil
	}
	r := q.Out
	p, res := r.Pickup, r.Result
	st := &p.Start
	v.First, v.Line, v.Inside = st.Layer, st.Line, st.Inside
	if !st.Inside && c.Start == pickup.Mid {
		v.Last = st.Kept
	}
	v.Height = say.Millimetres(st.Lies)
	l := &b.Ix.Layers[st.Layer-1]
	if l.HasNumber && l.Number != int64(st.Layer) {
		v.FileFirst = fmt.Sprintf("%d in the file", l.Number)
	}
	for _, e := range p.Opening {
		v.Opening = append(v.Opening, entryView{Entry: e, Flips: e.Line > 0 && !c.LooseTop,
			On: e.Verdict == pickup.Kept})
	}
	for _, f := range r.Findings {
		name := release.Name(&f)
		v.Findings = append(v.Findings, findingView{f, name, slices.Contains(c.Accept, name)})
		v.Blocked = v.Blocked || f.Level == layer.Grave
	}
	if p.Refused != nil {
		x := draw.NewBedPlan(m.Plan.Printer, 220)
		x.Part(m.Plan.Printer, b.Ix.Box, 220)
		x.Hit(m.Plan.Printer, c.HomeAt, p.Refused, 220)
		v.Refused = &x
	}
	if res != nil {
		for i := range res.Blocks {
			if res.Blocks[i].Fold.Offset >= st.Offset {
				v.Ears++
			}
		}
	}
	if v.Look, err = onTop(b, st); err != nil {
		return err
	}
	v.Steps = atThePrinter(m, b, r, &c, nil)
	v.Seal = r.Seal()
	data["landing"], data["spot"], data["look"] = p.Landing, p.Spot, v.Look
	if st.Rest != nil {
		data["rest"] = map[string]any{"line": st.Rest.Line, "at": c.Along / 100}
	}
	if !c.LooseTop {
		if _, pins, _, err := pickup.TouchCheck(b.Src, b.Ix, m.Plan.Printer, c); err == nil {
			data["pins"] = pins
		}
	} else {
		data["loose"] = true
		if len(p.Brim) > 0 {
			data["brim"] = drawnBrim(p)
		}
	}
	return nil
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
		if p.Class != layer.Way {
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

// earlier are the pick-ups that were written for a print.
func (s *pages) earlier(ctx context.Context, id int64) ([]earlierView, error) {
	all, err := s.Store.Pickups(ctx, id)
	if err != nil {
		return nil, err
	}
	var out []earlierView
	for _, p := range all {
		if p.Written.IsZero() {
			continue
		}
		var knows []string
		for i := range p.Doc.Evidence {
			e := &p.Doc.Evidence[i]
			knows = append(knows, pieceNames[e.Kind]+" "+valueOf(e))
		}
		out = append(out, earlierView{p.ID, p.Written.Local().Format("2 Jan 2006, 15:04"),
			fmt.Sprintf("from layer %d, line %s", p.Doc.Layer, figures.Count(p.Doc.Line)),
			strings.Join(knows, " · "), p.Outcome})
	}
	return out, nil
}
