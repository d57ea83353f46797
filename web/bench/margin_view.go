package bench

import (
	"encoding/json"
	"fmt"
	"html/template"
	"maps"
	"slices"
	"strings"

	"dogear/core/apply"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// marginView is the column of notes beside the book.
type marginView struct {
	ID         int64
	Ears       []earView
	First      string
	FirstName  string
	Filaments  []swatch
	Printer    string // its name
	Printers   []fields.Choice
	Acquaint   *acquaintView // nobody has said which printer this is for
	Totals     []totalView
	Undo, Redo bool
	Data       string // the ears and bands for the scripts, as JSON
	Said       string // what was done, for the live region
	Report     []layer.Finding
	Version    string          // of what is marked
	Picture    template.URL    // of the print that the plan was made for
	PlanOf     string          // its file
	OtherWhy   string          // why a plan is not laid on: it was made for another model
	OtherPlan  string          // that plan
	Carried    []layer.Finding // what became of the marks of the version before, until it is read
	Versions   []versionView
	Problem    string // why the marks cannot be laid onto the file as they are
	Mutes      []muteView
	Changes    []changeView
	Layers     int
	Found      []foundView
	MoreFound  int // that are not listed
	Written    site.WrittenView
	Ours       int
}

// muteView is a run of muted lines in the margin.
type muteView struct {
	From, To int64
	Layer    int
}

// foundView is a stop that was in the file before Dogear.
type foundView struct {
	Line   int64  `json:"line"`
	Before int    `json:"before"`
	Inside int64  `json:"inside"` // its line, when it stands inside that layer
	Title  string `json:"title"`  // what it says, else what it is there for
	Word   string `json:"-"`
	Does   string `json:"-"`
	Stays  bool   `json:"-"` // its line cannot be left out
}

type swatch struct {
	Slug, Name, Colour string
	Chosen             bool
}

// totalView is what the print takes of one filament.
type totalView struct {
	Name, Colour               string
	Laid, Purged, Grams, Bands string
}

type earView struct {
	book.EarHead
	Lean                            bool   // its card is fetched when it is opened
	Sign                            string // of its present state
	Nth, Of                         int    // of the ears at its fold: one stop
	Where                           string
	Note                            string
	Steps                           []string
	Stop                            string // the word it stops with
	Resume                          string // how the printer is told to go on
	OwnStop                         string // set when it is not the printer's
	Swatches                        []swatch
	Kinds, Routines, Inserts, Lands []fields.Choice
	Count                           int
	Nozzle                          string
	Lines                           string
	HeadsUp                         string
	HeadsUpUnit                     string
	Bond                            bool
	BondFlow                        string
	Findings                        []layer.Finding
	// how what goes in sits in the pockets that are open there
	Fits    []fitView
	Pockets []fields.Choice
	Magnets bool // there are several, so their poles matter
	Pole    string
	Slow    bool
	SlowTo  string
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

// mostOvers bounds how many lifted ways are drawn.
const mostOvers = 5000

func liftsOf(res *apply.Result) []overData {
	out := []overData{}
	for _, o := range res.Overs[:min(len(res.Overs), mostOvers)] {
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

func newEarView(m *book.Marked, b *book.Book, e plan.Ear) earView {
	p := m.Plan
	v := earView{EarHead: m.HeadOf(b, &e), Sign: m.Signs[e.ID], Note: e.Note, Stop: p.StopOf(&e),
		OwnStop: e.Stop, Resume: p.Printer.Resume, Where: whereWords(b.Ix, &e),
		Count: max(e.Count, 1), Lines: strings.Join(e.Lines, "\n"), HeadsUpUnit: "minutes",
		Bond: e.BondPass != nil, BondFlow: "30"}
	switch {
	case e.Kind == plan.Colour:
		v.Swatches = swatches(m, e.Filament)
	case e.Kind == plan.Nozzle && e.Nozzle > 0:
		v.Nozzle = fmt.Sprint(e.Nozzle)
	}
	for _, k := range plan.Kinds {
		v.Kinds = append(v.Kinds, fields.Choose(k, say.KindWords[k], k == e.Kind))
	}
	if h := e.HeadsUp; h != nil {
		v.HeadsUp = fmt.Sprint(h.Minutes)
		if h.Layers > 0 {
			v.HeadsUp, v.HeadsUpUnit = fmt.Sprint(h.Layers), "layers"
		}
	}
	if e.BondPass != nil {
		v.BondFlow = fmt.Sprintf("%.0f", e.BondPass.Flow*100)
	}
	v.Lands = []fields.Choice{fields.Choose("", "where it suits best", e.Land == ""),
		fields.Choose(plan.NextStart, "where the next path begins", e.Land == plan.NextStart),
		fields.Choose(plan.WhereItWas, "where it was", e.Land == plan.WhereItWas)}
	v.Inserts = insertChoices(m, &e)
	sits := fits(b, &e)
	v.Fits, v.Pockets = fitWords(b, &e, sits), pocketChoices(b, &e, sits)
	v.Magnets, v.Pole = e.Insert != nil && e.Insert.Magnet && e.Count > 1, e.Pole
	v.SlowTo = "60"
	if e.Bridge != nil {
		v.Slow, v.SlowTo = true, fmt.Sprintf("%.0f", e.Bridge.Speed)
	}
	v.Routines = routines(m, &e)
	if r, err := p.RoutineOf(&e); err == nil {
		for _, st := range r {
			v.Steps = append(v.Steps, st.Words(p, &e))
		}
	}
	return v
}

// insertChoices are what can go in at an ear.
func insertChoices(m *book.Marked, e *plan.Ear) []fields.Choice {
	out := []fields.Choice{fields.Choose("", "nothing from the Kit", e.Insert == nil)}
	known := e.Insert == nil
	for _, key := range m.Kit.Keys[plan.Inserts] {
		chosen := e.Insert != nil && *e.Insert == m.Kit.Inserts[key]
		known = known || chosen
		out = append(out, fields.Choose(key, key, chosen))
	}
	if !known {
		out = append(out, fields.Choose("=", strings.TrimSpace(e.Insert.Name+" (this print's "+
			"own)"), true))
	}
	return out
}

// routines are those an ear can run, the one it runs marked.
func routines(m *book.Marked, e *plan.Ear) []fields.Choice {
	p := m.Plan
	var name string
	_ = json.Unmarshal(e.Routine, &name)
	usual := plan.Usual[e.Kind]
	if r := p.Printer.Routine[e.Kind]; r != "" {
		usual = r
	}
	out := []fields.Choice{fields.Choose("", "as usual: "+usual, len(e.Routine) == 0)}
	if len(e.Routine) > 0 && e.Routine[0] == '[' {
		out = append(out, fields.Choose("=", "steps of its own", true))
	}
	names := slices.Collect(maps.Keys(p.Routines))
	for n := range plan.Builtin() {
		if _, ok := p.Routines[n]; !ok {
			names = append(names, n)
		}
	}
	slices.Sort(names)
	for _, n := range names {
		out = append(out, fields.Choose(n, n, n == name))
	}
	return out
}
