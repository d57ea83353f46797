package pickup

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/pickup"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// decide keeps what a form says about the place, the height and the beginning.
func (s *pages) decide(c fiber.Ctx) error {
	return s.changePickup(c, func(b *book.Book, d *store.PickupDoc) (string, error) {
		ch := &d.Choice
		said := "Kept."
		if v := c.FormValue("layer"); v != "" {
			n, err := strconv.Atoi(v)
			if err != nil || n < 1 || n > len(b.Ix.Layers) {
				return "", say.Sentence(fiber.StatusUnprocessableEntity,
					fmt.Sprintf("there is no layer %s; this print has %s", fields.Clip(v),
						say.LayersWord(len(b.Ix.Layers))))
			}
			ch.Layer, ch.Line, ch.Along, d.Taken = n, 0, 0, true
			if ch.Start == pickup.Mid {
				ch.Start = pickup.Next
			}
			said = fmt.Sprintf("Layer %d is the last good one.", n)
		}
		if v := c.FormValue("line"); v != "" {
			var err error
			if said, err = insideAt(b, ch, v, c.FormValue("along")); err != nil {
				return "", err
			}
			d.Taken = true
		}
		switch v := c.FormValue("start"); v {
		case "":
		case pickup.Next, pickup.Redo, pickup.Mid:
			if ch.Layer == 0 && ch.Line > 0 {
				ch.Layer = max(b.Ix.At(ch.Line), 1) - 1
			}
			ch.Start = v
			if v == pickup.Mid && ch.Line == 0 { // the middle of the layer, until a place is shown
				last := ch.Layer
				if last == 0 {
					if bl, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(d.Evidence, d.Choice.Feeler)); err == nil {
						last = bl.Best
						ch.Line = bl.Line
					}
				}
				if n := last + 1; ch.Line == 0 && n <= len(b.Ix.Layers) {
					l := &b.Ix.Layers[n-1]
					ch.Line = (l.First + l.Last) / 2
				}
				d.Taken = true
				said = "Show on the thread, or on a page, where the good plastic ends."
			}
		default:
			return "", say.Sentence(fiber.StatusUnprocessableEntity,
				"it can start with the next layer, the last one again, or a point inside")
		}
		switch v := c.FormValue("z"); v {
		case "":
		case pickup.ByTouch, pickup.ByKept, pickup.ByClear:
			ch.Z = v
		default:
			return "", say.Sentence(fiber.StatusUnprocessableEntity,
				"the height is kept, touched, or homed clear of the part")
		}
		if v := c.FormValue("loose"); v != "" {
			ch.LooseTop = v == "1"
			ch.Gentle = ch.LooseTop // it has nothing to lie on but the bed
			ch.Brim = 0
		}
		if v := c.FormValue("gentle"); v != "" {
			ch.Gentle = v == "1"
		}
		if c.FormValue("all") != "" {
			if err := amounts(fields.Of(c), ch); err != nil {
				return "", err
			}
			d.GoesOn = c.FormValue("prime_wait") == ""
			if ch.Lines = fields.Lines(c.FormValue("own")); len(ch.Lines) > 20 {
				return "", say.Sentence(fiber.StatusUnprocessableEntity,
					"these are more lines than a start-up "+
						"sets")
			}
		}
		return said, nil
	})
}

// insideAt takes a line to go on with, and how much of its move is laid already, percent.
func insideAt(b *book.Book, ch *pickup.Choice, line, along string) (string, error) {
	n, err := strconv.ParseInt(line, 10, 64)
	if err != nil || n < 1 || n > b.Ix.Lines {
		return "", say.Sentence(fiber.StatusUnprocessableEntity, "there is no such line")
	}
	ch.Start, ch.Line, ch.Along = pickup.Mid, n, 0
	if along == "" {
		return fmt.Sprintf("It goes on in front of line %s.", figures.Count(n)), nil
	}
	if ch.Along, err = strconv.ParseFloat(strings.ReplaceAll(along, ",", "."), 64); err != nil {
		return "", say.Sentence(fiber.StatusUnprocessableEntity, "a move is cut at a percentage")
	}
	if _, err := pickup.Find(b.Src, b.Ix, ch); err != nil {
		return "", say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return fmt.Sprintf("It goes on inside the move of line %s.", figures.Count(n)), nil
}

// amounts reads the numbers of a pick-up.
func amounts(form fields.Form, ch *pickup.Choice) error {
	for i := range pickup.Bounds {
		b := &pickup.Bounds[i]
		text := strings.ReplaceAll(strings.TrimSpace(form.Value(b.Name)), ",", ".")
		to := b.Of(ch)
		if text == "" {
			*to = 0
			continue
		}
		v, err := strconv.ParseFloat(text, 64)
		if err != nil || b.Check(v) != nil {
			return say.Sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("“%s” must be a number from "+
				"%g to %g", fields.Clip(text), b.Low, b.High))
		}
		*to = v
	}
	k, err := form.Number("ease_layers", 0, 50)
	if err != nil {
		return err
	}
	ch.Ease.Layers = int(k)
	for _, p := range []struct {
		name string
		to   **[2]float64
	}{{"home_at", &ch.HomeAt}, {"prime_at", &ch.PrimeAt}} {
		text := strings.TrimSpace(form.Value(p.name))
		if text == "" {
			*p.to = nil
			continue
		}
		var xy [2]float64
		w := strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' || r == ';' })
		ok := len(w) == 2
		for i := 0; ok && i < 2; i++ {
			xy[i], err = strconv.ParseFloat(strings.TrimLeft(w[i], "XYxy"), 64)
			ok = err == nil && math.Abs(xy[i]) < 2000
		}
		if !ok {
			return say.Sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("“%s” is no place; write X "+
				"and "+
				"Y: 5, 5", fields.Clip(text)))
		}
		*p.to = &xy
	}
	return nil
}

// flip turns a line of the start-up on or off.
func (s *pages) flip(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book.Book, d *store.PickupDoc) (string, error) {
		line, err := strconv.ParseInt(c.FormValue("line"), 10, 64)
		if err != nil {
			return "", say.Sentence(fiber.StatusUnprocessableEntity, "there is no such line")
		}
		if d.Choice.Flip == nil {
			d.Choice.Flip = map[int64]bool{}
		}
		if _, ok := d.Choice.Flip[line]; ok {
			delete(d.Choice.Flip, line)
			return "As it was proposed.", nil
		}
		on := c.FormValue("on") == "1"
		d.Choice.Flip[line] = on
		if on {
			return fmt.Sprintf("Line %s is kept.", figures.Count(line)), nil
		}
		return fmt.Sprintf("Line %s is left out.", figures.Count(line)), nil
	})
}

// accept takes a finding upon oneself; it must be said in words.
func (s *pages) accept(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book.Book, d *store.PickupDoc) (string, error) {
		name := c.FormValue("name")
		if c.FormValue("back") != "" {
			d.Choice.Accept = slices.DeleteFunc(d.Choice.Accept, func(s string) bool { return s == name })
			return "It stops the file again.", nil
		}
		if strings.ToLower(strings.Trim(strings.TrimSpace(c.FormValue("words")), ".!")) != acceptWords {
			return "", say.Sentence(fiber.StatusUnprocessableEntity,
				"to accept the risk, write: "+acceptWords)
		}
		if err := finding.CheckName(name); err != nil {
			return "", say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
		}
		if !slices.Contains(d.Choice.Accept, name) {
			d.Choice.Accept = append(d.Choice.Accept, name)
		}
		return "Accepted; the file will name it.", nil
	})
}
