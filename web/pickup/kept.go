package pickup

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/book"
	"dogear/web/say"
)

// madePickup is what was made of a pick-up when it was written. It never changes again: the
// file is the original with these edits, as they were examined then.
type madePickup struct {
	Name string `json:"name"`
	gate.Kept
	Touch    string       `json:"touch,omitempty"` // the touch check file; "" when there is none
	TouchSum string       `json:"touch_sha256,omitempty"`
	TouchAs  string       `json:"touch_as,omitempty"`
	Places   [3][2]string `json:"places,omitzero"` // of the touch check, X and Y, mm
	Drawing  drawnWall    `json:"drawing,omitzero"`
	Sheet    []string     `json:"sheet"`
	Warnings []string     `json:"warnings,omitempty"`
	Height   string       `json:"height"` // on the bed, mm
	Loose    bool         `json:"loose,omitempty"`
}

// make keeps what was examined.
func (s *pages) makeKept(ctx context.Context, b *book.Book, m *book.Marked, r *gate.Release,
	c *pickup.Choice) ([]byte, error) {
	k := madePickup{Name: pickupName(b, r, c), Loose: c.LooseTop,
		Height: say.Millimetres(r.Pickup().Start.Lies)}
	var err error
	if k.Kept, err = r.Keep(); err != nil {
		return nil, err
	}
	for _, f := range r.Findings() {
		if f.Level != finding.Note {
			k.Warnings = append(k.Warnings, f.Message)
		}
	}
	if c.LooseTop {
		if k.Drawing, err = drawFaces(b, &r.Pickup().Start); err != nil {
			return nil, err
		}
	} else {
		t, places, err := gate.Touch(ctx, b.Src, b.Ix, m.Plan.Printer, *c, gate.Asked{})
		if err == nil && t.Stopped() == nil {
			touch, err := t.Keep()
			if err != nil {
				return nil, err
			}
			k.Touch, k.TouchSum, k.TouchAs = string(touch.Edits[0].Text), touch.SHA256, plainWith(b,
				fmt.Sprintf("_touch-check-%d",
					places.Start.Kept))
			for i, at := range places.At {
				if i < len(k.Places) {
					k.Places[i] = [2]string{fmt.Sprintf("%.1f", at[0]), fmt.Sprintf("%.1f", at[1])}
				}
			}
			if k.Drawing, err = drawWall(b, places.Start, places.At); err != nil {
				return nil, err
			}
		}
	}
	k.Sheet = atThePrinter(m, b, r, c, &k)
	return json.Marshal(k)
}

// pickupName names the file of a pick-up.
func pickupName(b *book.Book, r *gate.Release, c *pickup.Choice) string {
	what := "pick-up-from"
	if c.LooseTop {
		what = "loose-top-from"
	}
	return nameWith(b, fmt.Sprintf("_%s-%d", what, r.Pickup().Start.Layer))
}

// kept returns a pick-up that was written, with what was made of it; that is nil of one that
// an older Dogear wrote.
func (s *pages) kept(c fiber.Ctx) (*book.Book, store.Pickup, *madePickup, error) {
	var d store.Pickup
	b, err := s.Open(c)
	if err != nil {
		return nil, d, nil, err
	}
	id, err := strconv.ParseInt(c.Params("pickup"), 10, 64)
	if err != nil {
		return nil, d, nil, store.ErrNone
	}
	if d, err = s.Store.Pickup(c.Context(), b.Print.ID, id); err != nil {
		return nil, d, nil, err
	}
	raw, err := s.Store.MadeOf(c.Context(), b.Print.ID, id)
	if err != nil || raw == nil {
		return b, d, nil, err
	}
	k := &madePickup{}
	return b, d, k, json.Unmarshal(raw, k)
}

// keptPage is the page of a pick-up that was written: its files, its sheet, what came of it.
func (s *pages) keptPage(c fiber.Ctx) error {
	b, d, k, err := s.kept(c)
	if err != nil {
		return err
	}
	if k == nil {
		return c.Redirect().Status(fiber.StatusSeeOther).To(fmt.Sprintf("/prints/%d/pickup",
			b.Print.ID))
	}
	var knows []pieceView
	for i := range d.Doc.Evidence {
		e := &d.Doc.Evidence[i]
		knows = append(knows, pieceView{Name: kindWords[e.Kind].card, Value: valueOf(e)})
	}
	return s.Page(c, "kept", fiber.Map{"Title": "Pick-up of " + b.Print.Title, "At": "pickup",
		"Print": b.Print, "D": d, "K": k, "Knows": knows,
		"When": d.Written.Local().Format("2 January 2006, 15:04"), "Take": c.Query("take") != ""})
}

// keptFile sends the file of a pick-up, the very bytes that were written first.
func (s *pages) keptFile(c fiber.Ctx) error {
	b, d, k, err := s.kept(c)
	if err != nil {
		return err
	}
	if k != nil && k.SHA256 != "" {
		r, err := k.Release(b.Src)
		if err != nil {
			return err
		}
		return arrive.SendBack(s.Site, c, b, k.Name, r)
	}
	r, ch, err := s.checked(c, b, d.ID, &d.Doc) // an older Dogear did not keep what was examined
	if err != nil {
		return err
	}
	return arrive.SendBack(s.Site, c, b, pickupName(b, r, ch), r)
}

// keptTouch sends the touch check of a pick-up.
func (s *pages) keptTouch(c fiber.Ctx) error {
	b, d, k, err := s.kept(c)
	if err != nil {
		return err
	}
	if k == nil || k.Touch == "" {
		return say.Sentence(fiber.StatusNotFound, "this pick-up has no touch check")
	}
	if k.TouchSum == "" { // an older Dogear did not keep what was examined
		belief, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(d.Doc.Evidence, d.Doc.Choice.Feeler))
		if err != nil {
			return say.Sentence(fiber.StatusConflict, err.Error())
		}
		return s.sendTouch(c, b, settled(&d.Doc, belief))
	}
	kept := gate.Kept{Edits: []edit.Edit{{Text: []byte(k.Touch)}}, Seal: "touch check",
		SHA256: k.TouchSum}
	r, err := kept.Release(bytes.NewReader(nil))
	if err != nil {
		return err
	}
	return arrive.Send(c, k.TouchAs, r)
}

// outcome notes what came of a pick-up. After one that failed the next one begins.
func (s *pages) outcome(c fiber.Ctx) error {
	b, d, _, err := s.kept(c)
	if err != nil {
		return err
	}
	o := c.FormValue("outcome")
	if o != store.Worked && o != store.Failed && o != "" {
		return say.Sentence(fiber.StatusUnprocessableEntity, "say whether it worked or failed")
	}
	if err := s.Store.SaveOutcome(c.Context(), b.Print.ID, d.ID, o); err != nil {
		return err
	}
	if o != "" {
		s.Note(c.Context(), b.Print.ID, store.NotePickup, "the one from layer %d %s", d.Doc.Layer, o)
	}
	to := fmt.Sprintf("/prints/%d/pickups/%d", b.Print.ID, d.ID)
	if o == store.Failed {
		to = fmt.Sprintf("/prints/%d/pickup", b.Print.ID)
	}
	c.Set("HX-Redirect", to)
	return c.SendStatus(fiber.StatusOK)
}

// atThePrinter is what a person does, step by step, in the order in which it is done.
func atThePrinter(m *book.Marked, b *book.Book, r *gate.Release, c *pickup.Choice,
	k *madePickup) []string {
	s, p := &r.Pickup().Start, r.Pickup()
	var out []string
	add := func(format string, a ...any) { out = append(out, fmt.Sprintf(format, a...)) }
	if name := laidAt(m, b, s); name != "" {
		add("Load %s: it was laid when the print failed.", name)
	}
	if c.LooseTop {
		add("Take everything off the bed and clean it.")
		add("Start the file: it begins as the original did.")
		if len(p.Brim) > 0 {
			add("Cut the brim off when it has cooled.")
		}
		add("Glue the top on when it has cooled; the drawing below shows where.")
		return out
	}
	warm := ""
	if bed := s.At.Bed(); bed > 0 {
		warm = fmt.Sprintf(" Warm the bed to %g °C by hand first, so that it holds.", float64(bed)/1e6)
	}
	add("Leave the part on the bed.%s", warm)
	add("Cut off what hangs from the nozzle and from the top of the part.")
	down(c, m, b, s, add)
	if k == nil || k.Touch != "" {
		gap := c.Feeler
		if gap <= 0 {
			gap = pickup.Paper
		}
		add("Run the touch check file: it goes to three places of the wall that was laid last, cold. "+
			"At each of them %g mm of paper just fit under the nozzle.", gap)
		add("If it is off to a side, write by how much at “X by” and “Y by” of the pick-up; if " +
			"it is too high or too low, at “Higher by”. Then write the pick-up again.")
	}
	if c.Z == pickup.ByTouch || c.Z == "" {
		add("Bring the nozzle down onto the part once more, as before.")
	}
	what := ""
	if class := firstClass(b, s); class != "" {
		what = class + " "
	}
	if c.PrimeWait && p.Spot != [2]float64{} {
		add("Start the pick-up. It pushes filament through beside the part, at X %.0f Y %.0f, and "+
			"waits: take off what hangs, then let it go on.", p.Spot[0], p.Spot[1])
	} else {
		add("Start the pick-up.")
	}
	add("It lays layer %d first: %snear X %.0f Y %.0f.", s.Layer, what,
		p.Landing[0], p.Landing[1])
	add("Stop it at once when the nozzle scrapes over the part, or the first line does not stick.")
	if res := r.Result(); res != nil {
		for i := range res.Blocks {
			f := &res.Blocks[i].Fold
			if f.Offset < s.Offset {
				continue
			}
			add("The next stop comes before layer %d: %s.", f.Layer,
				book.EarWords(m.Plan, &res.Blocks[i].Ear))
			break
		}
	}
	if m.Plan.Printer.Resume != "" {
		add("To go on at a stop: %s", m.Plan.Printer.Resume)
	}
	return out
}

// down says how the nozzle finds the part.
func down(c *pickup.Choice, m *book.Marked, b *book.Book, s *pickup.Start, add func(string,
	...any)) {
	which := "the part"
	if l := &b.Ix.Layers[s.Layer-1]; b.Ix.Kind == layer.Sequential {
		which = fmt.Sprintf("object %d, the one that was being printed", l.Object)
	}
	switch c.Z {
	case pickup.ByKept:
		add("Only if the motors were held all the time and nobody moved the head or the bed: else " +
			"choose “touch the part”. Do not home.")
	case pickup.ByClear:
		add("Make sure that the printer homes Z where the head stands, and that nothing is in the way "+
			"at X %g Y %g. Keep a hand on the switch.", at(c.HomeAt, 0), at(c.HomeAt, 1))
	default:
		where := "anywhere on its flat top"
		if s.Inside {
			where = "on the side that is a layer higher"
		}
		until := "until it just touches"
		if c.Feeler > 0 {
			until = fmt.Sprintf("until %g mm of paper just fit under it", c.Feeler)
		}
		add("Bring the nozzle down by hand onto %s, %s, %s. Do not home Z.", which, where, until)
		if m.Plan.Printer.HomesFirst {
			add("Then take it up by hand by exactly %g mm: this printer moves only after it has homed.",
				clearance(c))
		}
	}
}

// clearance is how far above the part the head crosses, mm.
func clearance(c *pickup.Choice) float64 {
	if c.Clearance > 0 {
		return c.Clearance
	}
	return 10
}

func at(p *[2]float64, k int) float64 {
	if p == nil {
		return 0
	}
	return p[k]
}

// laidAt is the name of the filament that is laid at a start; "" when the plan says nothing.
func laidAt(m *book.Marked, b *book.Book, s *pickup.Start) string {
	name := ""
	for _, x := range m.Bands(b.Ix) {
		if x.From < s.Layer || x.From == s.Layer && (x.Line == 0 || x.Line <= s.Line) {
			name = x.Name
		}
	}
	return name
}

// firstClass names what a start lays first.
func firstClass(b *book.Book, s *pickup.Start) string {
	moves, err := b.Ix.Decode(b.Src, s.Layer)
	if err != nil {
		return ""
	}
	from := s.Line
	if s.Rest != nil {
		from = s.Rest.Line
	}
	for _, p := range layer.Paths(moves) {
		if p.Class != layer.Travel && moves[p.To-1].Kind == gcode.Lay && moves[p.To-1].Line >= from {
			return p.Class.String() + ","
		}
	}
	return ""
}
