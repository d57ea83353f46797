package bench

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/figures"
	"dogear/core/foreign"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// takeOver makes an ear of a stop that was in the file, or of all of them: its lines are muted
// and the printer is stopped by a routine instead.
func (s *pages) takeOver(c fiber.Ctx) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		found, err := b.Foreign()
		if err != nil {
			return "", err
		}
		if c.FormValue("all") != "" {
			return takeAll(b, p, kit, found)
		}
		m, err := span(b, c.FormValue("from"), c.FormValue("to"))
		if err != nil {
			return "", err
		}
		k := slices.IndexFunc(found,
			func(st foreign.Stop) bool { return st.Stop.Line == m.From })
		if k < 0 {
			return "", say.Sentence(fiber.StatusNotFound, "there is no stop on this line")
		}
		if _, err = takeStop(b, p, kit, &found[k]); err != nil {
			return "", err
		}
		return "Taken over: " + alsoTaken(&found[k]), nil
	})
}

// takeAll takes over every stop of the file that is left.
func takeAll(b *book.Book, p *plan.Plan, kit *store.Kit, found []foreign.Stop) (string, error) {
	n := 0
	for i := range found {
		if !left(b, p, &found[i]) {
			continue
		}
		if _, err := takeStop(b, p, kit, &found[i]); err != nil {
			return "", err
		}
		n++
	}
	if n == 0 {
		return "", say.Sentence(fiber.StatusConflict, "no stop of the file is left to take over")
	}
	if n == 1 {
		return "Taken over: 1 stop of the file is an ear now.", nil
	}
	return fmt.Sprintf("Taken over: %d stops of the file are ears now.", n), nil
}

// left reports whether a stop that a file came with is there still: neither left out nor taken
// over. A line that has to stay is taken over when the printer stops at its fold.
func left(b *book.Book, p *plan.Plan, st *foreign.Stop) bool {
	if st.Own.From == 0 && slices.ContainsFunc(p.Ears, func(e plan.Ear) bool {
		n, inside := apply.Place(b.Ix, &e)
		return n == st.Layer && inside == 0
	}) {
		return false
	}
	return !muted(p, st.Stop.Line)
}

func muted(p *plan.Plan, line int64) bool {
	return slices.ContainsFunc(p.Mutes,
		func(m plan.Span) bool { return m.From <= line && line <= m.To })
}

// alsoTaken says what became of the lines round a stop that was taken over.
func alsoTaken(st *foreign.Stop) string {
	said := fmt.Sprintf("the stop of line %s is an ear now.", figures.Count(st.Stop.Line))
	lines := func(s plan.Span) string {
		return fmt.Sprintf("lines %s to %s", figures.Count(s.From), figures.Count(s.To))
	}
	switch {
	case st.Own.From == 0:
		said += fmt.Sprintf(" %s stays in the file; if your printer changes the filament at it, remove "+
			"the ear again.", st.Word)
	case st.Moves.From > 0:
		said += " L" + lines(st.Moves)[1:] + " move the head for it as well. They stay, since what " +
			"comes behind them needs it; look at them under Lines."
	case st.Own.To > st.Own.From:
		said += " L" + lines(st.Own)[1:] + ", written for it, are left out with it."
	}
	return said
}

// takeStop adds an ear for a stop of the file, of the kind that it asks for.
func takeStop(b *book.Book, p *plan.Plan, kit *store.Kit, st *foreign.Stop) (*plan.Ear, error) {
	at := st.Stop.Line
	if muted(p, at) {
		return nil, say.Sentence(fiber.StatusConflict, "this stop is left out already")
	}
	e := plan.Ear{ID: p.FreeID(), Kind: st.Kind, Stop: fields.Clip(st.Line), BeforeLine: at}
	place := fmt.Sprintf("line %d", at)
	n, inside := apply.Place(b.Ix, &e)
	if inside == 0 {
		place = fmt.Sprintf("layer %d", n)
	}
	if err := locateEar(b, p, &e, place); err != nil {
		return nil, err
	}
	switch e.Kind {
	case plan.Colour:
		e.Filament = filamentSaid(st.Text, kit)
		if e.Filament == "" {
			if e.Filament = another(b, p, &e, kit.Keys[plan.Filaments]); e.Filament == "" {
				e.Kind = plan.Insert
			}
		}
	case plan.Insert:
		e.Note = fields.Clip(st.Text)
	}
	if err := fitsIn(b, p, &e); err != nil {
		return nil, err
	}
	p.Ears = append(p.Ears, e)
	own := st.Own
	if slices.ContainsFunc(p.Mutes,
		func(m plan.Span) bool { return m.From <= own.To && own.From <= m.To }) {
		own = plan.Span{From: at, To: at}
	}
	if own.From > 0 {
		p.Mutes = append(p.Mutes, own)
	}
	return &p.Ears[len(p.Ears)-1], nil
}

// filamentSaid is the filament of the Kit that a message names, whole or by a word of its name
// that no other one has; "" when it names none.
func filamentSaid(text string, kit *store.Kit) string {
	low := strings.ToLower(text)
	words := strings.FieldsFunc(low, func(r rune) bool { return !unicode.IsLetter(r) })
	owner := map[string]string{}
	for _, key := range kit.Keys[plan.Filaments] {
		name := strings.ToLower(kit.Filaments[key].Name)
		if name != "" && strings.Contains(low, name) {
			return key
		}
		for _, w := range strings.Fields(name) {
			if _, twice := owner[w]; twice {
				key = ""
			}
			owner[w] = key
		}
	}
	for _, w := range words {
		if key := owner[w]; key != "" {
			return key
		}
	}
	return ""
}
