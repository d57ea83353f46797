package bench

import (
	"errors"
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/foreign"
	"dogear/core/plan"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// margin is the margin of a print as it is now.
func (s *pages) margin(c fiber.Ctx, b *book.Book) (*marginView, error) {
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return nil, err
	}
	p := m.Plan
	v := &marginView{ID: b.Print.ID, Undo: m.Undo, Redo: m.Redo, Version: m.Version,
		Changes: changeViews(b, p), Layers: len(b.Ix.Layers), printerCard: newPrinterCard(b, m)}
	v.First, v.FirstName, v.Filaments = p.First, p.FilamentName(p.First), swatches(m, p.First)
	v.Ours = b.Ix.Ours
	if v.Written, err = s.Written(c.Context(), b.Print.ID, m); err != nil {
		return nil, err
	}
	if v.Versions, v.Carried, err = s.versions(c.Context(), b); err != nil {
		return nil, err
	}
	if err := v.leftOut(b, p); err != nil {
		return nil, err
	}
	res, err := apply.Plan(b.Src, b.Ix, p, b.Found())
	if err != nil {
		v.Problem, res = say.Upper(err.Error()), nil
	} else if v.Totals, err = totals(m, b, res); err != nil {
		return nil, err
	}
	v.ears(b, m, res, c.Get("X-Open"))
	v.Data, err = v.data(b, m, res)
	return v, err
}

func newPrinterCard(b *book.Book, m *book.Marked) printerCard {
	p := m.Plan
	v := printerCard{Printer: p.Printer.Name}
	if p.Printer.Assumed && len(p.Ears)+len(p.Changes) > 0 {
		a := acquaint(b.Ix, p.Printer)
		v.Acquaint = &a
	}
	for _, key := range m.Kit.Keys[plan.Printers] {
		v.Printers = append(v.Printers, fields.Choose(key, m.Kit.Printers[key].Name,
			key == p.Uses.Printer))
	}
	return v
}

// ears adds the cards of the ears; res is nil when they cannot be laid on, and open is the ear
// whose card is open.
func (v *marginView) ears(b *book.Book, m *book.Marked, res *apply.Result, open string) {
	made := map[string]*apply.Block{}
	if res != nil {
		for i := range res.Blocks {
			made[res.Blocks[i].Ear.ID] = &res.Blocks[i]
		}
	}
	all := apply.Ears(m.Plan, b.Ix)
	for i := range all {
		e := &all[i]
		x := newEarView(m, b, e)
		x.Lean = len(all) > maxCards && e.ID != open
		if bl := made[e.ID]; bl != nil {
			x.Steps = nil // of several at one fold they are shared out
			for _, st := range bl.Steps {
				x.Steps = append(x.Steps, st.Words(m.Plan, &bl.Ear))
			}
			for _, f := range bl.Findings {
				if f.Level == finding.Stop || f.Level != finding.Note && !strings.HasPrefix(f.Code, "insert-") {
					x.Findings = append(x.Findings, f)
				}
			}
		}
		v.Ears = append(v.Ears, x)
	}
	v.stops()
}

// leftOut lists what is muted, and the stops of the file that are not.
func (v *marginView) leftOut(b *book.Book, p *plan.Plan) error {
	for _, mu := range p.Mutes {
		v.Mutes = append(v.Mutes, muteView{mu.From, mu.To, max(b.Ix.At(mu.From), 1)})
	}
	found, err := b.Foreign()
	if err != nil {
		return err
	}
	for i := range found {
		switch st := &found[i]; {
		case !left(b, p, st):
		case len(v.Found) < maxFound:
			v.Found = append(v.Found, foundOf(st))
		default:
			v.MoreFound++
		}
	}
	return nil
}

// maxFound bounds how many stops of a file are listed.
const maxFound = 40

// foundOf shows a stop that was in the file before Dogear.
func foundOf(st *foreign.Stop) foundView {
	does := map[string]string{plan.Colour: "colour change", plan.Insert: "something to put in",
		plan.Nozzle: "nozzle swap"}[st.Kind]
	switch {
	case st.Seconds > 0:
		does = fmt.Sprintf("waits %s, then goes on by itself", figures.Hours(st.Seconds))
	case !st.Sure:
		does = "a " + does + ", if your printer stops there"
		if st.Kind == plan.Insert {
			does = "a stop, if your printer knows it"
		}
	}
	v := foundView{Line: st.Stop.Line, Before: st.Layer, Title: st.Text, Word: say.Or(st.Line,
		st.Word),
		Does: does, Stays: st.Own.From == 0}
	if st.Inside {
		v.Inside = v.Line
	}
	if v.Title == "" {
		v.Title, v.Does = say.Upper(does), ""
	}
	return v
}

// stops numbers the ears that lie at one fold.
func (v *marginView) stops() {
	for i := 0; i < len(v.Ears); {
		k := i + 1
		for k < len(v.Ears) && v.Ears[k].Before == v.Ears[i].Before && v.Ears[k].Line == v.Ears[i].Line {
			k++
		}
		for n := i; n < k; n++ {
			v.Ears[n].Nth, v.Ears[n].Of = n-i+1, k-i
		}
		i = k
	}
}

// maxCards is up to how many ears all cards are sent whole. Of more, only the one that is
// open travels with each change.
const maxCards = 24

// earCard sends the inside of an ear's card.
func (s *pages) earCard(c fiber.Ctx) error {
	b, err := s.Open(c)
	if err != nil {
		return err
	}
	v, err := s.margin(c, b)
	if err != nil {
		return err
	}
	for i := range v.Ears {
		if v.Ears[i].ID == c.Params("ear") {
			return c.Render("_ear", map[string]any{"ID": b.Print.ID, "Ear": v.Ears[i]})
		}
	}
	return say.Sentence(fiber.StatusNotFound, errGone.Error())
}

// sendMargin answers a change with the margin as it is now.
func (s *pages) sendMargin(c fiber.Ctx, b *book.Book, said string,
	report ...finding.Finding) error {
	v, err := s.margin(c, b)
	if err != nil {
		return err
	}
	v.Said, v.Report = said, report
	return c.Render("_margin", v)
}

func swatches(m *book.Marked, chosen string) []swatch {
	var out []swatch
	for _, key := range m.Spools {
		f := m.Plan.Filaments[key]
		out = append(out, swatch{key, f.Name, f.Colour, key == chosen})
	}
	return out
}

// totals are shown when there is more than one filament, or something purged.
func totals(m *book.Marked, b *book.Book, res *apply.Result) ([]totalView, error) {
	all, err := res.Totals(b.Src, b.Ix, m.Plan)
	if err != nil {
		return nil, err
	}
	var out []totalView
	for _, t := range all {
		f := m.Plan.Filaments[t.Filament]
		v := totalView{Name: m.Plan.FilamentName(t.Filament), Colour: f.Colour, Laid: say.Metres(t.Laid),
			Grams: fmt.Sprintf("%.1f g", t.Grams)}
		if t.Purged > 0 {
			v.Purged = fmt.Sprintf("%.0f mm purged", t.Purged)
		}
		if t.Bands > 1 {
			v.Bands = fmt.Sprintf("%d bands", t.Bands)
		}
		out = append(out, v)
	}
	return out, nil
}

// errGone is said when an ear was removed in another window.
var errGone = errors.New("this ear is not there any more")
