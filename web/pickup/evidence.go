package pickup

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/pickup"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// addEvidence takes down one more thing that is known.
func (s *pages) addEvidence(c fiber.Ctx) error {
	return s.changePickup(c, func(b *book.Book, d *store.PickupDoc) (string, error) {
		e, err := s.readEvidence(c, b)
		if err != nil {
			return "", err
		}
		if len(d.Evidence) >= maxPieces {
			return "", say.Sentence(fiber.StatusUnprocessableEntity,
				"that is enough to know; take something away first")
		}
		if _, err := pickup.Weigh(b.Src, b.Ix, []pickup.Evidence{*e}); err != nil {
			return "", say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
		}
		d.Evidence = append(d.Evidence, *e)
		d.Taken = false
		return "Taken down: " + kindWords[e.Kind].card + ", " + valueOf(e) + ".", nil
	})
}

func (s *pages) readEvidence(c fiber.Ctx, b *book.Book) (*pickup.Evidence, error) {
	e := &pickup.Evidence{Kind: c.FormValue("kind")}
	text := strings.ReplaceAll(strings.TrimSpace(c.FormValue("value")), ",", ".")
	bad := func(what string) (*pickup.Evidence, error) {
		return nil, say.Sentence(fiber.StatusUnprocessableEntity, what)
	}
	one := func(t string) (float64, bool) {
		v, err := strconv.ParseFloat(strings.TrimSpace(t), 64)
		return v, err == nil && !math.IsNaN(v) && math.Abs(v) < 1e12
	}
	switch e.Kind {
	case pickup.Display:
		for i, name := range []string{"x", "y", "z"} {
			v, ok := one(strings.ReplaceAll(c.FormValue(name), ",", "."))
			if !ok {
				return bad("write down X, Y and Z as the display shows them")
			}
			e.At[i] = v
		}
		return e, nil
	case pickup.Minutes:
		h, min, clock := strings.Cut(strings.NewReplacer("h", ":", "min", "", " ", "").Replace(text), ":")
		a, ok := one(h)
		if clock {
			m := 0.0
			if min != "" {
				if m, ok = one(min); !ok {
					return bad("write the time as minutes, or as 3:12")
				}
			}
			a = 60*a + m
		}
		if !ok || a <= 0 {
			return bad("write the time as minutes, or as 3:12")
		}
		e.Value = a
		return e, nil
	case pickup.Counted:
		n, err := strconv.Atoi(c.FormValue("from"))
		if err != nil {
			return bad("say from which layer you counted; click it on the spine")
		}
		e.From = n
	case pickup.Weight, pickup.Spool:
		if err := weighed(fields.Of(c), e); err != nil {
			return nil, err
		}
	case pickup.Touch, pickup.Caliper, pickup.Layer, pickup.FileNumber, pickup.Percent, pickup.Line,
		pickup.Byte, pickup.Extruded, pickup.Used, pickup.Picture:
	default:
		return bad("choose what you know")
	}
	v, ok := one(text)
	if !ok {
		return bad(fmt.Sprintf("“%s” is no number", fields.Clip(text)))
	}
	e.Value += v
	// Lines and bytes may have been counted in an earlier pick-up's file.
	if of := c.FormValue("of"); of != "" && (e.Kind == pickup.Line || e.Kind == pickup.Byte ||
		e.Kind == pickup.Percent) {
		id, err := strconv.ParseInt(of, 10, 64)
		if err != nil {
			return bad("there is no such pick-up")
		}
		old, err := s.Store.Pickup(c.Context(), b.Print.ID, id)
		if err != nil {
			return bad("there is no such pick-up")
		}
		if err := counted(b, &old.Doc, e); err != nil {
			return nil, err
		}
	}
	return e, nil
}

// weighed reads what belongs to a weight: how dense the filament is, and what was cut off the
// part.
func weighed(form fields.Form, e *pickup.Evidence) (err error) {
	if e.Density, err = form.Needed("density", "how dense the filament is, in g/cm³", 0.2,
		20); err == nil && e.Kind == pickup.Weight {
		e.Value, err = form.Number("cut", 0, 1e5)
	}
	return err
}

// counted turns a line, byte or share of an earlier pick-up's file into a line
// of the original.
func counted(b *book.Book, d *store.PickupDoc, e *pickup.Evidence) error {
	out := e.Value
	if e.Kind != pickup.Line {
		off, err := b.Ix.OffsetOf(b.Src, d.Line)
		if err != nil {
			return err
		}
		// The opening is small beside the rest; bytes of it are taken for none.
		at := out + float64(off)
		if e.Kind == pickup.Percent {
			at = float64(off) + out/100*float64(b.Ix.Bytes-off)
		}
		e.Kind, e.Value = pickup.Byte, math.Round(at)
		return nil
	}
	if out <= float64(d.Length) {
		return say.Sentence(fiber.StatusUnprocessableEntity,
			fmt.Sprintf("line %.0f lies in the opening of "+
				"that file; nothing was laid by then", out))
	}
	e.Value = out - float64(d.Length) + float64(d.Line) - 1
	return nil
}

// dropEvidence takes something away that was known.
func (s *pages) dropEvidence(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book.Book, d *store.PickupDoc) (string, error) {
		i, err := strconv.Atoi(c.FormValue("index"))
		if err != nil || i < 0 || i >= len(d.Evidence) {
			return "", say.Sentence(fiber.StatusNotFound, "this is not there any more")
		}
		gone := d.Evidence[i]
		d.Evidence = slices.Delete(d.Evidence, i, i+1)
		return "Taken away: " + kindWords[gone.Kind].card + ".", nil
	})
}

// onlyMeasured takes away what the printer said, and keeps what was measured on the part.
func (s *pages) onlyMeasured(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book.Book, d *store.PickupDoc) (string, error) {
		d.Evidence = slices.DeleteFunc(d.Evidence,
			func(e pickup.Evidence) bool { return !pickup.Measures(e.Kind) })
		d.Taken = false
		return "Only what was measured on the part counts.", nil
	})
}

// reopened says which evidence that came after a place was chosen speaks against it; "" when
// none does, with the layer that it speaks for.
func reopened(b *book.Book, doc *store.PickupDoc, belief *pickup.Belief) (why string, says int) {
	c := &doc.Choice
	if doc.Taken || c.Layer == 0 && c.Line == 0 || belief == nil {
		return "", 0
	}
	last, room := c.Layer, 0
	if c.Start == pickup.Mid && c.Line > 0 {
		last, room = max(b.Ix.At(c.Line), 1)-1, 1 // a layer that is laid in part is either
	}
	for i := range belief.Pieces {
		p := &belief.Pieces[i]
		if last < p.Low-room || last > p.High+room {
			return fmt.Sprintf("“%s” speaks for layer %d, and you chose layer %d.", kindWords[p.Kind].card,
				p.Best, last), p.Best
		}
	}
	return "", 0
}
