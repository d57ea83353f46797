package bench

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"dogear/core/finding"
	"dogear/core/plan"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

type swatch struct {
	Slug, Name, Colour string
	Chosen             bool
}

// earView is the card of an ear.
type earView struct {
	book.EarHead
	Lean     bool   // its inside is fetched when it is opened
	Sign     string // of its present state
	Nth, Of  int    // of the ears at its fold: one stop
	Where    string
	Note     string
	Kinds    []fields.Choice
	Swatches []swatch // of a colour change
	Nozzle   string   // of a nozzle swap, mm
	Lines    string   // of own lines
	Findings []finding.Finding

	insertCard
	stopCard
}

// insertCard is what goes in at an ear, and how it sits.
type insertCard struct {
	Inserts []fields.Choice
	Count   int
	Fits    []fitView // in the pockets that are open there
	Pockets []fields.Choice
	Magnets bool // there are several, so their poles matter
	Pole    string
	Slow    bool // what closes over it is laid slower,
	SlowTo  string
}

// stopCard is how the printer stops at an ear, and goes on.
type stopCard struct {
	Routines    []fields.Choice
	Steps       []string
	Stop        string // the word it stops with
	OwnStop     string // set when it is not the printer's
	Resume      string // how the printer is told to go on
	Lands       []fields.Choice
	HeadsUp     string
	HeadsUpUnit string
	Bond        bool
	BondFlow    string
}

func newEarView(m *book.Marked, b *book.Book, e *plan.Ear) earView {
	v := earView{EarHead: m.HeadOf(b, e), Sign: m.Signs[e.ID], Where: whereWords(b.Ix, e),
		Note: e.Note, Lines: strings.Join(e.Lines, "\n"), insertCard: newInsertCard(m, b, e),
		stopCard: newStopCard(m, e)}
	for _, k := range plan.Kinds {
		v.Kinds = append(v.Kinds, fields.Choose(k, say.KindWords[k], k == e.Kind))
	}
	switch {
	case e.Kind == plan.Colour:
		v.Swatches = swatches(m, e.Filament)
	case e.Kind == plan.Nozzle && e.Nozzle > 0:
		v.Nozzle = fmt.Sprint(e.Nozzle)
	}
	return v
}

func newInsertCard(m *book.Marked, b *book.Book, e *plan.Ear) insertCard {
	sits := fits(b, e)
	v := insertCard{Inserts: insertChoices(m, e), Count: max(e.Count, 1), Fits: fitWords(b, e, sits),
		Pockets: pocketChoices(b, e, sits), Pole: e.Pole, SlowTo: "60",
		Magnets: e.Insert != nil && e.Insert.Magnet && e.Count > 1}
	if e.Bridge != nil {
		v.Slow, v.SlowTo = true, fmt.Sprintf("%.0f", e.Bridge.Speed)
	}
	return v
}

func newStopCard(m *book.Marked, e *plan.Ear) stopCard {
	p := m.Plan
	v := stopCard{Routines: routines(m, e), Stop: p.StopOf(e), OwnStop: e.Stop,
		Resume: p.Printer.Resume, HeadsUpUnit: "minutes", Bond: e.BondPass != nil, BondFlow: "30"}
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
	if r, err := p.RoutineOf(e); err == nil {
		for _, st := range r {
			v.Steps = append(v.Steps, st.Words(p, e))
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
