package bench

import (
	"encoding/json"

	"dogear/core/apply"
	"dogear/core/plan"
	"dogear/web/book"
)

// marginData is the margin as the scripts know it.
type marginData struct {
	Ears    []earData    `json:"ears"`
	Bands   []book.Band  `json:"bands"`
	Mutes   []plan.Span  `json:"mutes"`
	Changes []changeData `json:"changes"`
	Overs   []overData   `json:"overs"`
	Sits    []sitData    `json:"sits"`
	Found   []foundView  `json:"found"`
}

// data is what the scripts get of a margin; res is nil when the marks cannot be laid on.
func (v *marginView) data(b *book.Book, m *book.Marked, res *apply.Result) (string, error) {
	d := marginData{[]earData{}, m.Bands(b.Ix), append([]plan.Span{}, m.Plan.Mutes...), []changeData{},
		[]overData{}, []sitData{}, append([]foundView{}, v.Found...)}
	for i := range v.Ears {
		e := &v.Ears[i]
		d.Ears = append(d.Ears, earData{e.ID, e.Before, e.Line, e.Kind, e.Colour, e.Title})
	}
	for _, ch := range v.Changes {
		d.Changes = append(d.Changes, changeData{ch.From, ch.Until, ch.Words})
	}
	if res != nil {
		d.Overs, d.Sits = liftsOf(res), sits(b, res)
	}
	j, err := json.Marshal(d)
	return string(j), err
}

// earData is an ear as the scripts know it.
type earData struct {
	ID     string `json:"id"`
	Before int    `json:"before"`
	Line   int64  `json:"line"` // 0, or the line in front of which it stands inside the layer
	Kind   string `json:"kind"`
	Colour string `json:"colour"`
	Name   string `json:"name"`
}

// overData is a way that is lifted over what stands proud: its layer, its first
// line, and where it begins and ends, mm.
type overData struct {
	Layer int        `json:"layer"`
	Line  int64      `json:"line"`
	Way   [4]float64 `json:"way"`
	High  float64    `json:"high"`
}

// sitData is something that lies in a pocket: from above a circle, or a shape
// with as many corners, mm.
type sitData struct {
	X      float64 `json:"x"`
	Y      float64 `json:"y"`
	Across float64 `json:"across"`
	Long   float64 `json:"long"`
	Shape  string  `json:"shape"`
	Turn   float64 `json:"turn"`
	From   int     `json:"from"`  // it lies there from the fold before this layer on
	Until  int     `json:"until"` // the layer that covers it
	Rest   float64 `json:"rest"`
	Top    float64 `json:"top"`
}

// maxOvers bounds how many lifted travel moves are drawn.
const maxOvers = 5000

func liftsOf(res *apply.Result) []overData {
	out := []overData{}
	for _, o := range res.Overs[:min(len(res.Overs), maxOvers)] {
		out = append(out, overData{o.Layer, o.From, [4]float64{o.Begin[0].Millimetres(),
			o.Begin[1].Millimetres(), o.End[0].Millimetres(), o.End[1].Millimetres()}, o.High.Millimetres()})
	}
	return out
}

func sits(b *book.Book, res *apply.Result) []sitData {
	out := []sitData{}
	for i := range res.Blocks {
		for _, f := range res.Blocks[i].Fits {
			if !f.GoesIn() {
				continue
			}
			d := sitData{X: f.Pocket.Centre[0], Y: f.Pocket.Centre[1], Across: f.Part.Across,
				Long: max(f.Part.Length, f.Part.Across), Shape: f.Part.Shape, Turn: f.Pocket.Turn,
				From: res.Blocks[i].Fold.Layer, Until: len(b.Ix.Layers) + 1, Rest: f.Rest, Top: f.Top}
			if f.Pocket.Shape == "rect" && f.Pocket.Size[0] < f.Pocket.Size[1] {
				d.Turn += 90
			}
			if f.Pocket.Closes != nil {
				d.Until = *f.Pocket.Closes
			}
			out = append(out, d)
		}
	}
	return out
}
