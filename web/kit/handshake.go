package kit

import (
	"fmt"
	"html/template"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/gate"
	"dogear/core/handshake"
	"dogear/core/plan"
	"dogear/core/printer"
	"dogear/store"
	"dogear/web/arrive"
	"dogear/web/fields"
	"dogear/web/say"
	"dogear/web/site"
)

// handshakeRoutes are those of the page on which a printer is asked how it stops.
func (s *pages) handshakeRoutes(r site.Router) {
	r.Get("/kit/printers/handshake", s.handshakePage)
	r.Get("/kit/printers/handshake/file", s.handshakeFile)
	r.Post("/kit/printers/handshake", s.handshakeAnswers)
	r.Post("/kit/printers/handshake/simulated", s.handshakeSimulated)
}

// handshakeView is the page: a printer, the words that are tried, and what can be answered.
type handshakeView struct {
	Key, Name, Asked string
	Print            int64           // to go back to; 0 for the Kit
	Query            template.URL    // of the file: the printer and the words
	Words            []fields.Choice // that can be tried
	Tries            []tryView
	Minutes          string
	Kinds            []fields.Choice // of simulated printers
	Did, On          []fields.Choice // what can be answered of a word
	Asks             []askView
}

type tryView struct {
	N       int
	Word    string
	Strokes []int // where each is drawn
	Wide    int
}

// askView is a question with yes and no.
type askView struct{ Name, Text, Yes, No string }

// AskedPrinter is what a request is about: a printer of the Kit and the words to try.
type AskedPrinter struct {
	kit   *store.Kit
	Key   string
	pr    plan.Printer
	words []string
	Print int64
}

// printerAsked reads which printer is asked, and for which words: those that are ticked, and one
// that somebody has written.
func (s *pages) printerAsked(c fiber.Ctx) (a AskedPrinter, err error) {
	if a.kit, err = s.Store.Kit(c.Context()); err != nil {
		return a, err
	}
	form := fields.Of(c)
	a.Key = form.Value("key")
	pr, ok := a.kit.Printers[a.Key]
	if !ok {
		return a, say.Sentence(fiber.StatusNotFound, "this printer is not in the Kit any more")
	}
	a.pr = pr
	a.Print, _ = strconv.ParseInt(form.Value("print"), 10, 64)
	for _, w := range form.All("word") {
		if t := fields.Clip(w); t != "" && !slices.Contains(a.words, t) {
			a.words = append(a.words, t)
		}
	}
	if len(a.words) == 0 {
		a.words = handshake.Usual
	}
	return a, nil
}

// Query names the printer and the words in an address.
func (a *AskedPrinter) Query() string {
	v := url.Values{"key": {a.Key}, "word": a.words}
	if a.Print > 0 {
		v.Set("print", fmt.Sprint(a.Print))
	}
	return v.Encode()
}

func (s *pages) handshakePage(c fiber.Ctx) error {
	a, err := s.printerAsked(c)
	if err != nil {
		return err
	}
	v, err := a.view()
	if err != nil {
		return err
	}
	return s.Page(c, "handshake", fiber.Map{"Title": "Handshake with " + v.Name, "At": "kit", "V": v})
}

func (a *AskedPrinter) view() (*handshakeView, error) {
	f, err := handshake.Make(&a.pr, a.words)
	if err != nil {
		return nil, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	took := 0.0
	for i := range f.Lines {
		took += f.Lines[i].Seconds
	}
	v := &handshakeView{Key: a.Key, Name: a.pr.Called(), Print: a.Print,
		Query:   template.URL(a.Query()),
		Minutes: figures.Hours(took), Asked: dayIn(a.pr.Asked)}
	for _, w := range handshake.Usual {
		v.Words = append(v.Words, fields.Choice{Key: w, Name: w, Chosen: slices.Contains(a.words, w)})
	}
	for _, w := range a.words {
		if !slices.Contains(handshake.Usual, w) {
			v.Words = append(v.Words, fields.Choice{Key: w, Name: w, Chosen: true})
		}
	}
	for _, t := range f.Tries {
		y := tryView{N: t.N, Word: t.Word, Wide: 6*len(f.Tries) + 4}
		for k := range t.N {
			y.Strokes = append(y.Strokes, 5+6*k)
		}
		v.Tries = append(v.Tries, y)
	}
	for _, k := range printer.Kinds() {
		v.Kinds = append(v.Kinds, fields.Choice{Key: k.Key, Name: k.Name})
	}
	v.Did = []fields.Choice{{Key: handshake.WentOn, Name: "went straight on"},
		{Key: handshake.Waited, Name: "stood still"},
		{Key: handshake.Late, Name: "wagged, then stood still"},
		{Key: handshake.Parked, Name: "moved aside and waited"}}
	v.On = []fields.Choice{{Key: handshake.ByKnob, Name: "knob"}, {Key: handshake.OnDisplay,
		Name: "display"},
		{Key: handshake.OnPage, Name: "its page"}, {Key: handshake.Itself, Name: "by itself"},
		{Key: handshake.Never, Name: "nothing helped"}}
	v.Asks = []askView{
		{"messages", "At the start it shows “Put a coin under the nozzle”.", "I could read it",
			"nothing there"},
		{"tones", "Then one long tone, and at each try as many short ones as its number.",
			"I heard them", "not a sound"},
		{"held", "Where it first stands still, let it wait two minutes, then push the head gently.",
			"it holds", "it gives way"},
		{"back", "At the end it comes down to the coin once more.", "over the coin", "beside it"},
	}
	return v, nil
}

// dayIn says a day of the form 2006-01-02 in words; "" when it is none.
func dayIn(day string) string {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return ""
	}
	return t.Format("2 January 2006")
}

// handshakeFile hands the file out.
func (s *pages) handshakeFile(c fiber.Ctx) error {
	a, err := s.printerAsked(c)
	if err != nil {
		return err
	}
	r, _, err := gate.Handshake(c.Context(), &a.pr, a.words)
	if err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	if f := r.Stopped(); f != nil {
		return say.Sentence(fiber.StatusConflict, f.Message)
	}
	return arrive.Send(c, "handshake_"+strings.ReplaceAll(a.pr.Name, " ", "-")+".gcode", r)
}

// handshakeAnswers makes a printer's entry of what somebody saw.
func (s *pages) handshakeAnswers(c fiber.Ctx) error {
	a, err := s.printerAsked(c)
	if err != nil {
		return err
	}
	answers := handshake.Answers{}
	for i, w := range a.words {
		answers.Each = append(answers.Each, handshake.Answer{Word: w,
			Did: c.FormValue(fmt.Sprintf("did_%d", i+1)), On: c.FormValue(fmt.Sprintf("on_%d", i+1))})
	}
	for name, to := range map[string]**bool{"messages": &answers.Messages, "tones": &answers.Tones,
		"held": &answers.Held, "back": &answers.Back} {
		if v := c.FormValue(name); v != "" {
			yes := v == "yes"
			*to = &yes
		}
	}
	pr, said, err := handshake.Learn(a.pr, &answers, time.Now().Format(time.DateOnly))
	if err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	if err := s.putItem(c, plan.Printers, a.Key,
		plan.Item{Drawer: plan.Printers, Key: a.Key, Doc: pr}); err != nil {
		return err
	}
	return c.Render("_handshaken", fiber.Map{"Said": said, "Key": a.Key, "Print": a.Print,
		"Name": pr.Name})
}

// handshakeSimulated lets a simulated printer of some kind run the file, and tells what one
// would see and hear.
func (s *pages) handshakeSimulated(c fiber.Ctx) error {
	a, err := s.printerAsked(c)
	if err != nil {
		return err
	}
	kind, ok := printer.KindOf(c.FormValue("kind"))
	if !ok {
		return say.Sentence(fiber.StatusUnprocessableEntity, "there is no such simulated printer")
	}
	f, err := handshake.Make(&a.pr, a.words)
	if err != nil {
		return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return c.JSON(handshake.Happen(f, &a.pr, kind.Habits))
}
