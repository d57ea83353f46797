package web

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/store"
)

// takeOver makes an ear of a stop that was in the file, or of all of them: its line is muted
// and the printer is stopped by a routine instead.
func (s *Server) takeOver(c fiber.Ctx) error {
	kit, err := s.cfg.Store.Kit(c.Context())
	if err != nil {
		return err
	}
	return s.change(c, func(b *book, p *plan.Plan) (string, error) {
		if c.FormValue("all") != "" {
			return takeAll(b, p, kit)
		}
		m, err := span(b, c.FormValue("from"), c.FormValue("to"))
		if err != nil {
			return "", err
		}
		k := slices.IndexFunc(b.ix.Stops,
			func(st layer.Stop) bool { return st.Line == m.From && st.Before > 0 })
		if k < 0 {
			return "", sentence(fiber.StatusNotFound, "there is no stop on this line")
		}
		e, err := takeStop(b, p, kit, &b.ix.Stops[k])
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("Taken over: the stop of line %s is an ear now, %s.", group(m.From),
			where(*e)), nil
	})
}

// takeAll takes over every stop of the file that is not left out.
func takeAll(b *book, p *plan.Plan, kit *store.Kit) (string, error) {
	n := 0
	for i := range b.ix.Stops {
		st := &b.ix.Stops[i]
		if st.Ear != "" || st.Before == 0 || muted(p, st.Line) {
			continue
		}
		if _, err := takeStop(b, p, kit, st); err != nil {
			return "", err
		}
		n++
	}
	if n == 0 {
		return "", sentence(fiber.StatusConflict, "no stop of the file is left to take over")
	}
	return fmt.Sprintf("Taken over: %d stops of the file are ears now.", n), nil
}

func muted(p *plan.Plan, line int64) bool {
	return slices.ContainsFunc(p.Mutes,
		func(m plan.Span) bool { return m.From <= line && line <= m.To })
}

// takeStop adds an ear for a stop of the file, of the kind that its words ask for.
func takeStop(b *book, p *plan.Plan, kit *store.Kit, st *layer.Stop) (*plan.Ear, error) {
	if muted(p, st.Line) {
		return nil, sentence(fiber.StatusConflict, "this stop is left out already")
	}
	e := plan.Ear{ID: freeID(p), Kind: plan.Insert, Stop: st.Word, BeforeLine: st.Line}
	place := fmt.Sprintf("line %d", st.Line)
	n, inside := routine.Place(b.ix, &e)
	if inside == 0 {
		place = fmt.Sprintf("layer %d", n)
	}
	if err := locateEar(b, p, &e, place); err != nil {
		return nil, err
	}
	text, err := saidBefore(b, st.Line)
	if err != nil {
		return nil, err
	}
	e.Kind = kindSaid(text, st.Word)
	switch e.Kind {
	case plan.Colour:
		e.Filament = filamentSaid(text, kit)
		if e.Filament == "" {
			if e.Filament = another(b, p, &e, kit.Keys[plan.Filaments]); e.Filament == "" {
				e.Kind = plan.Insert
			}
		}
	case plan.Insert:
		e.Note = clip(text)
	}
	if err := fitsIn(b, p, &e); err != nil {
		return nil, err
	}
	p.Ears = append(p.Ears, e)
	p.Mutes = append(p.Mutes, plan.Span{From: st.Line, To: st.Line})
	return &p.Ears[len(p.Ears)-1], nil
}

// saidWithin is how many lines in front of a stop its message may stand.
const saidWithin = 8

// message finds what a line says to a person: on the display, or behind a stop.
var message = regexp.MustCompile(`(?i)^\s*M(?:117|0|1)\s+([^;]*[a-z]{2}[^;]*)`)

// saidBefore is the message of a stop: its own text, or the last one in front of it.
func saidBefore(b *book, line int64) (string, error) {
	from := max(line-saidWithin, 1)
	off, err := b.ix.OffsetOf(b.src, from)
	if err != nil {
		return "", err
	}
	end, err := b.ix.OffsetOf(b.src, line+1)
	if err != nil {
		return "", err
	}
	text := make([]byte, min(end-off, 1<<16))
	if _, err := b.src.ReadAt(text, off); err != nil && len(text) == 0 {
		return "", err
	}
	said := ""
	for _, l := range bytes.Split(text, []byte{'\n'}) {
		if m := message.FindSubmatch(l); m != nil {
			said = strings.TrimSpace(string(m[1]))
		}
	}
	return said, nil
}

// Words by which somebody says what is to be done at a stop.
var (
	colourSaid = regexp.MustCompile(`(?i)colou?r|filament|change|load|swap|spool`)
	insertSaid = regexp.MustCompile(
		`(?i)\b(nuts?|magnets?|put|insert|screw|bearing|washer|balls?|pin)\b`)
)

// kindSaid is the kind of ear that a message asks for; where it says nothing, a word that
// makes the printer do it all changes the colour.
func kindSaid(text, word string) string {
	switch {
	case insertSaid.MatchString(text):
		return plan.Insert
	case colourSaid.MatchString(text), plan.DoesItAll(word):
		return plan.Colour
	}
	return plan.Insert
}

// filamentSaid is the filament of the Kit that a message names; "" when it names none.
func filamentSaid(text string, kit *store.Kit) string {
	low := strings.ToLower(text)
	for _, key := range kit.Keys[plan.Filaments] {
		if name := strings.ToLower(kit.Filaments[key].Name); name != "" && strings.Contains(low, name) {
			return key
		}
	}
	return ""
}
