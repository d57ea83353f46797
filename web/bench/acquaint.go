package bench

import (
	"fmt"
	"math"
	"slices"

	"github.com/gofiber/fiber/v3"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/web/fields"
	"dogear/web/kit"
	"dogear/web/say"
	"dogear/web/site"
)

// acquaintView is the card on which somebody says which printer a print is for, filled in
// from the file as far as it tells.
type acquaintView struct {
	Name              string
	Wide, Deep, High  string // mm; "" where the file does not say
	Middle            bool   // the origin is the middle of the bed
	Reach             string // where the file's own moves go
	Corners           []fields.Choice
	Hows              []fields.Choice
	Waits, Alls       []string // stop words to choose from
	Word              string   // the one that the file holds
	WaitWord, AllWord string
}

// Ways in which a printer stops.
const (
	stopsAndWaits = "waits" // it waits for somebody, and does nothing else
	stopsAlone    = "all"   // it parks, changes and comes back by itself
	stopsForTime  = "time"  // it waits for a time
	notKnown      = "ask"   // nobody knows: the printer is asked
)

// Stop words that are offered; the first is taken where the file holds none.
var (
	waitWords = []string{"M0", "M1", "M25", "M226", "M400 U1", "@pause"}
	allWords  = []string{"M600", "M601", "PAUSE"}
)

// timeWord is the stop word of a printer that cannot wait for somebody: two minutes.
const timeWord = "G4 S120"

// acquaint fills the card in from what the file tells of its printer.
func acquaint(ix *layer.Index, pr *plan.Printer) acquaintView {
	v := acquaintView{Name: "my printer", WaitWord: waitWords[0], AllWord: allWords[0]}
	if pr.Name != plan.Generic().Name {
		v.Name = pr.Name
	}
	r := ix.ReachOf()
	v.Middle = r[0] < -5 || r[1] < -5
	v.Reach = fmt.Sprintf("X %.0f to %.0f, Y %.0f to %.0f", r[0], r[2], r[1], r[3])
	if b, ok := ix.NamedBed(); ok {
		v.Wide, v.Deep = fmt.Sprintf("%g", b[2]-b[0]), fmt.Sprintf("%g", b[3]-b[1])
		v.Middle = b[0] < -5
	}
	how := stopsAndWaits
	for _, s := range ix.Stops {
		switch {
		case s.Ear != "" || s.Word == "":
			continue
		case plan.DoesItAll(s.Word):
			how, v.AllWord = stopsAlone, s.Word
		case plan.StopsFor(s.Word) == 0:
			v.WaitWord = s.Word
		}
		v.Word = s.Word
		break
	}
	v.Waits, v.Alls = with(waitWords, v.WaitWord), with(allWords, v.AllWord)
	for _, c := range []fields.Choice{{Key: "back-left", Name: "back, on the left"},
		{Key: "back-right", Name: "back, on the right"}, {Key: "front-left", Name: "front, on the left"},
		{Key: "front-right", Name: "front, on the right"}} {
		c.Chosen = c.Key == "back-left"
		v.Corners = append(v.Corners, c)
	}
	for _, c := range []fields.Choice{{Key: stopsAndWaits, Name: "It waits for me"},
		{Key: stopsAlone, Name: "It does it all itself"},
		{Key: stopsForTime, Name: "It waits two minutes"},
		{Key: notKnown, Name: "I don’t know: let’s ask it"}} {
		c.Chosen = c.Key == how
		v.Hows = append(v.Hows, c)
	}
	return v
}

// with is a list that holds a word.
func with(list []string, word string) []string {
	if slices.Contains(list, word) {
		return list
	}
	return append([]string{word}, list...)
}

// readAcquaintance makes a printer of what the card says.
func readAcquaintance(form fields.Form) (plan.Printer, error) {
	p := plan.Printer{Stop: map[string]string{}, Routine: map[string]string{}}
	no := func(text string) (plan.Printer, error) {
		return p, say.Sentence(fiber.StatusUnprocessableEntity, text)
	}
	if p.Name = fields.Clip(form.Value("name")); p.Name == "" {
		return no("give the printer a name")
	}
	var size [3]float64
	for i, f := range []string{"wide", "deep", "high"} {
		var err error
		size[i], err = form.Needed(f, "how wide, how deep and how high it can print, in mm", 20,
			2000)
		if err != nil {
			return p, err
		}
	}
	p.Bed, p.Top = [4]float64{0, 0, size[0], size[1]}, size[2]
	if form.Value("origin") == "middle" {
		x, y := size[0]/2, size[1]/2
		p.Bed = [4]float64{-x, -y, x, y}
	}
	const in = 5 // how far from the edges the head waits
	left, right := p.Bed[0]+in, p.Bed[2]-in
	front, back := p.Bed[1]+in, p.Bed[3]-in
	switch form.Value("corner") {
	case "back-left":
		p.Park = [2]float64{left, back}
	case "back-right":
		p.Park = [2]float64{right, back}
	case "front-left":
		p.Park = [2]float64{left, front}
	case "front-right":
		p.Park = [2]float64{right, front}
	default:
		return no("say in which corner the head is to wait")
	}
	all := func(word string) {
		for _, k := range plan.Kinds {
			p.Stop[k] = word
		}
	}
	switch form.Value("how") {
	case stopsAndWaits:
		all(fields.Clip(form.Value("wait_word")))
	case stopsAlone:
		all(fields.Clip(form.Value("wait_word")))
		p.Stop[plan.Colour] = fields.Clip(form.Value("all_word"))
		p.Routine[plan.Colour] = "printer does it all"
	case stopsForTime:
		all(timeWord)
		p.Routine[plan.Colour] = "timed window"
	case notKnown:
	default:
		return no("say how the printer stops")
	}
	if err := p.Check(); err != nil {
		return no(err.Error())
	}
	return p, nil
}

// makeAcquaintance keeps the printer that the card describes in the Kit, in the place of the
// assumed one, and uses it for this print.
func (s *pages) makeAcquaintance(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	p, err := readAcquaintance(fields.Of(c))
	if err != nil {
		return err
	}
	p.G90MovesE = m.Plan.Printer.G90MovesE // that may have been said already
	key := m.Plan.Uses.Printer
	if key == "" || !m.Kit.Printers[key].Assumed {
		key = kit.FreeKey(p.Name, m.Kit.Keys[plan.Printers])
	}
	err = s.Store.PutFrom(c.Context(), plan.Printers, key, m.Kit.Signs[plan.Printers+"/"+key],
		plan.Item{Drawer: plan.Printers, Key: key, Doc: p})
	if err != nil {
		return site.ChangedMeanwhile(err)
	}
	err = s.Store.Change(c.Context(), b.Print.ID, func(doc *plan.Plan) error {
		doc.Uses.Printer, doc.Printer = key, nil
		return nil
	})
	if err != nil {
		return err
	}
	if c.FormValue("how") == notKnown {
		a := kit.AskedPrinter{Key: key, Print: b.Print.ID}
		c.Set("HX-Redirect", "/kit/printers/handshake?"+a.Query())
		return c.SendStatus(fiber.StatusOK)
	}
	if b, _, err = s.OpenMarked(c); err != nil { // it may have to be read again for it
		return err
	}
	return s.sendMargin(c, b, fmt.Sprintf("“%s” is in your Kit; this print is for it. "+
		"Bed %g × %g mm.",
		p.Name, math.Round(p.Bed[2]-p.Bed[0]), math.Round(p.Bed[3]-p.Bed[1])))
}
