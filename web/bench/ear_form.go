package bench

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// where says in words where an ear stands.
func where(e plan.Ear) string {
	switch {
	case e.BeforeLine > 0:
		return fmt.Sprintf("in front of line %d", e.BeforeLine)
	case e.AtHeight != nil:
		return fmt.Sprintf("at %g mm", *e.AtHeight)
	case e.FileNumber != nil:
		return fmt.Sprintf("before the layer that the file calls %d", *e.FileNumber)
	}
	return fmt.Sprintf("before layer %d", e.BeforeLayer)
}

// locateEar sets where an ear stands, from what a person wrote: a layer ("38",
// "layer 38"), a height ("7.4 mm"), the file's own number ("file 37") or a line
// ("line 8466").
func locateEar(b *book.Book, p *plan.Plan, e *plan.Ear, text string) error {
	if text != whereWords(b.Ix, e) { // else it stays where it is, by number or by height
		n, line, err := placeOf(b, text)
		if err != nil {
			return err
		}
		e.BeforeLayer, e.BeforeLine, e.AtHeight, e.FileNumber, e.Z, e.Near = n, line, nil, nil, nil, nil
	}
	if _, err := apply.Locate(b.Src, b.Ix, e); err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return nil
}

// fitsIn refuses an ear that wants what another one at its fold does already: a fold takes
// one colour, one nozzle, and one thing a pocket.
func fitsIn(b *book.Book, p *plan.Plan, e *plan.Ear) error {
	if e.BeforeLayer == 0 && e.BeforeLine == 0 && e.AtHeight == nil && e.FileNumber == nil {
		return nil // it has no place yet
	}
	f, err := apply.Locate(b.Src, b.Ix, e)
	if err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	for _, o := range p.Ears {
		if o.ID == e.ID || o.Kind != e.Kind {
			continue
		}
		if g, err := apply.Locate(b.Src, b.Ix, &o); err != nil || g.Line != f.Line {
			continue
		}
		what := ""
		switch {
		case e.Kind == plan.Colour:
			what = "a colour change"
		case e.Kind == plan.Nozzle:
			what = "a nozzle swap"
		case slices.ContainsFunc(e.At, func(at [2]float64) bool { return slices.Contains(o.At, at) }):
			what = "something for this pocket"
		}
		if what != "" {
			return say.Sentence(fiber.StatusConflict, fmt.Sprintf("there is %s %s already", what, where(o)))
		}
	}
	return nil
}

// whereWords writes where an ear lies, as somebody could have typed it; "" when it has no
// place yet.
func whereWords(ix *layer.Index, e *plan.Ear) string {
	n, line := apply.Place(ix, e)
	switch {
	case e.BeforeLayer == 0 && e.BeforeLine == 0 && e.AtHeight == nil && e.FileNumber == nil:
		return ""
	case line > 0:
		return fmt.Sprintf("line %d", line)
	case e.AtHeight != nil:
		return fmt.Sprintf("%g mm", *e.AtHeight)
	case e.FileNumber != nil:
		return fmt.Sprintf("file %d", *e.FileNumber)
	}
	return strconv.Itoa(n)
}

// readEar reads and checks what a form says about an ear. Only what is there is
// changed; a form that carries "all" says everything but place, kind and
// filament.
func readEar(form fields.Form, b *book.Book, p *plan.Plan, e *plan.Ear, kit *store.Kit) error {
	place := form.Value("where")
	if v := form.Value("before"); v != "" {
		place = "layer " + v
	}
	if v := form.Value("line"); v != "" && v != "0" {
		place = "line " + v
	}
	if place != "" {
		if err := locateEar(b, p, e, place); err != nil {
			return err
		}
	}
	if err := earKindForm(form, b, p, e, kit); err != nil {
		return err
	}
	if err := fitsIn(b, p, e); err != nil {
		return err
	}
	if form.Value("all") == "" {
		if e.Kind == plan.Own && len(e.Lines) == 0 {
			e.Lines = []string{fields.Placeholder} // the card has the box to write them in
		} else if e.Kind != plan.Own {
			e.Lines = nil
		}
		return nil
	}
	e.Note, e.Stop = fields.Clip(form.Value("note")), fields.Clip(form.Value("stop"))
	e.Lines = ownLines(e, form.Value("lines"))
	e.Land = form.Value("land")
	switch v := form.Value("routine"); v {
	case "=": // steps of its own stay
	case "":
		e.Routine = nil
	default:
		e.Routine, _ = json.Marshal(v)
	}
	if err := earInsertForm(form, e, kit); err != nil {
		return err
	}
	return earExtrasForm(form, e)
}

// earKindForm reads what happens at an ear, and which filament goes on.
func earKindForm(form fields.Form, b *book.Book, p *plan.Plan, e *plan.Ear, kit *store.Kit) error {
	switch kind := form.Value("kind"); {
	case kind == "":
	case kind == "stop":
		e.Kind = plan.Insert
	case slices.Contains(plan.Kinds, kind):
		e.Kind = kind
	default:
		return say.Sentence(fiber.StatusUnprocessableEntity,
			"an ear is a colour change, something to put "+
				"in, a nozzle swap or own lines")
	}
	if v := form.Value("filament"); v != "" {
		_, ours := kit.Filaments[v]
		_, own := p.Filaments[v]
		if !ours && !own {
			return say.Sentence(fiber.StatusUnprocessableEntity, "there is no such filament in the Kit")
		}
		e.Kind, e.Filament = plan.Colour, v
	}
	if e.Kind == plan.Colour && e.Filament == "" {
		if e.Filament = another(b, p, e, kit.Keys[plan.Filaments]); e.Filament == "" {
			return say.Sentence(fiber.StatusUnprocessableEntity, "choose the filament that goes on")
		}
	}
	if e.Kind == "" {
		return say.Sentence(fiber.StatusUnprocessableEntity, "say what happens there")
	}
	if e.Kind != plan.Colour {
		e.Filament = ""
	}
	return nil
}

// ownLines are the lines of a text, for an ear that has some.
func ownLines(e *plan.Ear, text string) []string {
	if e.Kind != plan.Own {
		return nil
	}
	var out []string
	for _, l := range strings.Split(strings.ReplaceAll(text, "\r", ""), "\n") {
		if l = strings.TrimRight(l, " \t"); l != "" {
			out = append(out, l)
		}
	}
	return out
}

// earInsertForm reads what goes in at an ear, and into which pockets.
func earInsertForm(form fields.Form, e *plan.Ear, kit *store.Kit) error {
	switch v := form.Value("insert"); {
	case e.Kind != plan.Insert || v == "":
		e.Insert, e.Count, e.At, e.Pole = nil, 0, nil, ""
	case v != "=":
		i, ok := kit.Inserts[v]
		if !ok {
			return say.Sentence(fiber.StatusUnprocessableEntity, "there is no such insert in the Kit")
		}
		e.Insert = &i
		fallthrough
	default:
		n, err := form.Number("count", 1, 1000)
		if err != nil {
			return err
		}
		e.Count = int(n)
		if err := choosePockets(form, e); err != nil {
			return err
		}
		if e.Pole = form.Value("pole"); e.Pole != "" && e.Pole != plan.Alike && e.Pole != plan.Opposite {
			e.Pole = ""
		}
	}
	return nil
}

// earExtrasForm reads what only some ears have: slow layers over what was put in, another
// nozzle, a heads-up, a bond pass.
func earExtrasForm(form fields.Form, e *plan.Ear) error {
	e.Bridge = nil
	if e.Kind == plan.Insert && form.Value("slow") != "" {
		v, err := form.Number("slow_to", 10, 100)
		if err != nil {
			return err
		}
		e.Bridge = &plan.Bridge{Speed: v}
	}
	e.Nozzle = 0
	if e.Kind == plan.Nozzle {
		v, err := form.Number("nozzle", 0, 5)
		if err != nil {
			return err
		}
		e.Nozzle = v
	}
	e.HeadsUp = nil
	if h, err := form.Number("heads_up", 0, 1000); err != nil {
		return err
	} else if h > 0 {
		e.HeadsUp = &plan.HeadsUp{Minutes: h}
		if form.Value("heads_up_unit") == "layers" {
			e.HeadsUp = &plan.HeadsUp{Layers: max(int(h), 1)}
		}
	}
	e.BondPass = nil
	if form.Value("bond") != "" {
		f, err := form.Number("bond_flow", 1, 100)
		if err != nil {
			return err
		}
		e.BondPass = &plan.BondPass{Flow: f / 100}
	}
	return nil
}

// another is a filament to change to at an ear.
func another(b *book.Book, p *plan.Plan, e *plan.Ear, keys []string) string {
	n, line := apply.Place(b.Ix, e)
	others := *p
	others.Ears = slices.DeleteFunc(slices.Clone(p.Ears),
		func(o plan.Ear) bool { return o.ID == e.ID })
	if others.First == "" && len(keys) > 0 {
		others.First = keys[0]
	}
	return apply.NextFilament(apply.Bands(&others, b.Ix), n, line, keys)
}
