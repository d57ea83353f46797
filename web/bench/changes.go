package bench

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// changeView is a change of speed, flow, fan or heat in the margin.
type changeView struct {
	ID, Words, Place string
	From, Until      int
	Line             int64
}

// changeData is a change as the scripts know it: its layers.
type changeData struct {
	From  int    `json:"from"`
	Until int    `json:"until"`
	Words string `json:"words"`
}

// changeViews lists the changes of a plan for the margin.
func changeViews(b *book.Book, p *plan.Plan) []changeView {
	var out []changeView
	for i := range p.Changes {
		c := &p.Changes[i]
		from, line := apply.Place(b.Ix, &plan.Ear{BeforeLayer: c.BeforeLayer, BeforeLine: c.BeforeLine})
		v := changeView{ID: c.ID, Words: c.Words(), From: from, Line: line}
		v.Place = fmt.Sprintf("from layer %d", from)
		if line > 0 {
			v.Place = fmt.Sprintf("from inside layer %d", from)
		}
		switch n := len(b.Ix.Layers); {
		case c.UntilLayer > n:
			v.Until = n + 1
			v.Place += " to the end"
		default:
			until, inside := apply.Place(b.Ix, &plan.Ear{BeforeLayer: c.UntilLayer,
				BeforeLine: c.UntilLine})
			v.Until = until
			if inside > 0 {
				v.Place += fmt.Sprintf(" to inside layer %d", until)
			} else {
				v.Place += fmt.Sprintf(" to %d", until-1)
			}
		}
		out = append(out, v)
	}
	return out
}

// addChange lays what lies between two folds otherwise.
func (s *pages) addChange(c fiber.Ctx) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		ch := plan.Change{ID: freeChange(p)}
		var err error
		if ch.BeforeLayer, ch.BeforeLine, err = begins(b, c.FormValue("from"),
			c.FormValue("from_line")); err != nil {
			return "", err
		}
		until, line, err := placeOf(b, c.FormValue("to"))
		if err != nil {
			return "", err
		}
		if line > 0 {
			return "", say.Sentence(fiber.StatusUnprocessableEntity,
				fmt.Sprintf("say up to which layer: 1 to %d", len(b.Ix.Layers)))
		}
		ch.UntilLayer = until + 1
		for _, f := range []struct {
			name string
			to   *float64
			may  [2]float64
		}{{"speed", &ch.Speed, plan.Speeds}, {"flow", &ch.Flow, plan.Flows},
			{"nozzle", &ch.Nozzle, plan.Nozzles}} {
			if t := c.FormValue(f.name); strings.TrimSpace(t) != "" {
				if *f.to, err = fields.Amount(t, f.may[0], f.may[1]); err != nil {
					return "", err
				}
			}
		}
		if t := c.FormValue("fan"); strings.TrimSpace(t) != "" {
			v, err := fields.Amount(t, plan.Fans[0], plan.Fans[1])
			if err != nil {
				return "", err
			}
			ch.Fan = &v
		}
		p.Changes = append(p.Changes, ch)
		if err := laysOn(b, p, kit); err != nil {
			return "", err
		}
		v := changeViews(b, p)
		return fmt.Sprintf("Other settings %s: %s.", v[len(v)-1].Place, ch.Words()), nil
	})
}

// begins reads where a change begins: at a place as people name it, or, where the fold lies
// inside a layer, in front of a line.
func begins(b *book.Book, from, line string) (before int, at int64, err error) {
	if l, err := strconv.ParseInt(line, 10, 64); err == nil && l > 0 {
		from = "line " + line
	}
	return placeOf(b, from)
}

func (s *pages) removeChange(c fiber.Ctx) error {
	return s.change(c, func(b *book.Book, p *plan.Plan) (string, error) {
		for i := range p.Changes {
			if p.Changes[i].ID == c.Params("change") {
				words := p.Changes[i].Words()
				p.Changes = append(p.Changes[:i], p.Changes[i+1:]...)
				return "As the file has it again: " + words + " is gone.", nil
			}
		}
		return "", say.Sentence(fiber.StatusNotFound, "there is no such change any more")
	})
}

// freeChange is an id that no change has.
func freeChange(p *plan.Plan) string {
	for k := 1; ; k++ {
		id := fmt.Sprintf("c%d", k)
		used := false
		for i := range p.Changes {
			used = used || p.Changes[i].ID == id
		}
		if !used {
			return id
		}
	}
}
