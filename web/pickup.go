package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/proof"
	"dogear/core/raster"
	"dogear/core/routine"
	"dogear/store"
)

// pickupView is the page on which a failed print is finished.
type pickupView struct {
	ID          int64
	Pieces      []pieceView
	Contradicts []string
	Problem     string // why there is no file yet
	Doc         store.PickupDoc
	Undo, Redo  bool
	Said        string

	Height            string // on the bed, mm
	Last, First       int    // last good layer, and the one the file begins with
	FileFirst         string // its number in the file, when that is another
	Line              int64
	Low, High         int
	Proposed          bool // a place is proposed, but nobody has taken it
	Inside            bool
	Starts, Zs        []choice
	HomeAt, PrimeAt   string
	Opening           []entryView
	Findings          []findingView
	Steps             []string
	Blocked           bool
	Seal              string
	Wrong             string
	Earlier           []earlierView
	Refused           *bedPlan
	Ears              int
	Look              string // what one can check on the part by eye
	Data              string // for the scripts, as JSON
	EaseSpeed, EaseHo string
}

type pieceView struct {
	Index             int
	Name, Value, Says string
	Off               bool // it contradicts
}

type entryView struct {
	pickup.Entry
	Flips bool // it can be turned
	On    bool // it runs as it is
}

type findingView struct {
	layer.Finding
	Accepted bool
}

type earlierView struct {
	ID    int64
	When  string
	What  string
	Knows string
}

// pieceNames are the kinds of evidence as cards are called.
var pieceNames = map[string]string{
	pickup.Touch: "Touched with the nozzle", pickup.Caliper: "Calipers", pickup.Counted: "Layers counted", pickup.Layer: "Last good layer", pickup.FileNumber: "The file's number",
	pickup.Display: "Position on the display", pickup.Minutes: "Clock when it stopped", pickup.Percent: "Percentage", pickup.Line: "Line", pickup.Byte: "Bytes sent", pickup.Extruded: "E on the display",
}

// pickupDoc returns what is known and decided so far.
func (s *Server) pickupDoc(ctx context.Context, id int64) (store.Pickup, error) {
	d, err := s.cfg.Store.Draft(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return store.Pickup{PrintID: id}, nil
	}
	return d, err
}

// plan of a pick-up: the choice with its place filled in from what is known.
func settled(doc *store.PickupDoc, b *pickup.Belief) pickup.Choice {
	c := doc.Choice
	if c.Start == "" {
		c.Start = pickup.Next
	}
	if c.Z == "" {
		c.Z = pickup.ByTouch
	}
	if c.Layer == 0 && b != nil {
		c.Layer = b.Best
	}
	if c.Start == pickup.Mid && c.Line == 0 && b != nil {
		c.Line = b.Line
	}
	return c
}

func (s *Server) pickupPage(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	if len(b.ix.Layers) < 2 {
		return fiber.NewError(fiber.StatusConflict, "This print has no two layers, so there is nothing to pick up.")
	}
	v, err := s.pickupView(c, b)
	if err != nil {
		return err
	}
	return s.page(c, "pickup", fiber.Map{"Title": "Pick-up of " + b.print.Title, "At": "pickup", "Print": b.print, "V": v})
}

func (s *Server) sendPickup(c fiber.Ctx, b *book, said string) error {
	v, err := s.pickupView(c, b)
	if err != nil {
		return err
	}
	v.Said = said
	return c.Render("_pickup", v)
}

// pickupView works everything out anew.
func (s *Server) pickupView(c fiber.Ctx, b *book) (*pickupView, error) {
	d, err := s.pickupDoc(c.Context(), b.print.ID)
	if err != nil {
		return nil, err
	}
	m, err := s.marks(c.Context(), b.print.ID)
	if err != nil {
		return nil, err
	}
	v := &pickupView{ID: b.print.ID, Doc: d.Doc, Undo: d.Undo, Redo: d.Redo}
	belief, err := v.believe(b, &d.Doc)
	if err != nil {
		return nil, err
	}
	ch := settled(&d.Doc, belief)
	v.choices(b, &d.Doc, &ch, belief)
	if v.Earlier, err = s.earlier(c.Context(), b.print.ID); err != nil {
		return nil, err
	}
	data := map[string]any{"layers": len(b.ix.Layers)}
	if belief != nil && len(belief.Pieces) > 0 {
		data["bars"] = bars(belief)
	}
	switch {
	case belief == nil || len(belief.Pieces) == 0 && d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0:
		v.Problem = "Say what you know about where it stopped: one thing is enough to begin, two are better."
	case ch.Layer == 0 && ch.Start != pickup.Mid && len(belief.Contradicts) > 0:
		v.Problem = "What is known does not fit together. Take away what you trust least."
	default:
		if err := v.make(c.Context(), b, m, ch, data); err != nil {
			v.Problem = upper(err.Error())
		}
	}
	data["last"], data["first"], data["inside"], data["line"] = v.Last, v.First, v.Inside, v.Line
	data["mid"] = ch.Start == pickup.Mid
	j, err := json.Marshal(data)
	v.Data = string(j)
	return v, err
}

// believe weighs the evidence and fills in the cards.
func (v *pickupView) believe(b *book, doc *store.PickupDoc) (*pickup.Belief, error) {
	belief, err := pickup.Weigh(b.src, b.ix, doc.Evidence)
	if err != nil {
		return nil, err
	}
	for i := range belief.Pieces {
		p := &belief.Pieces[i]
		x := pieceView{Index: i, Name: pieceNames[p.Kind], Value: valueOf(&p.Evidence), Says: says(p)}
		x.Off = len(belief.Contradicts) > 0 && (p.High < belief.Best || p.Low > belief.Best)
		v.Pieces = append(v.Pieces, x)
	}
	v.Contradicts = belief.Contradicts
	v.Low, v.High = belief.Low, belief.High
	return belief, nil
}

// valueOf writes what was read off.
func valueOf(e *pickup.Evidence) string {
	switch e.Kind {
	case pickup.Touch, pickup.Extruded:
		return fmt.Sprintf("%.2f mm", e.Value)
	case pickup.Caliper:
		return fmt.Sprintf("%.2f ± 0.1 mm", e.Value)
	case pickup.Counted:
		return fmt.Sprintf("%.0f above layer %d", e.Value, e.From)
	case pickup.Display:
		return fmt.Sprintf("X%g Y%g Z%g", e.At[0], e.At[1], e.At[2])
	case pickup.Minutes:
		return hours(e.Value * 60)
	case pickup.Percent:
		return fmt.Sprintf("%g %%", e.Value)
	}
	return group(int64(e.Value))
}

func says(p *pickup.Piece) string {
	if p.Low == p.High {
		if p.Kind == pickup.Touch {
			return fmt.Sprintf("layer %d, off by %.2f", p.Best, p.Off)
		}
		return fmt.Sprintf("layer %d", p.Best)
	}
	if len(p.Lines) == 1 {
		return fmt.Sprintf("in layer %d, line %s", p.Low+1, group(p.Lines[0]))
	}
	if len(p.Lines) > 1 {
		return fmt.Sprintf("%d places, layers %d–%d", len(p.Lines), p.Low, p.High)
	}
	return fmt.Sprintf("layers %d–%d", p.Low, p.High)
}

// bars are the ranges on the spine, by last good layer.
func bars(b *pickup.Belief) []map[string]any {
	out := []map[string]any{}
	short := map[string]string{pickup.Touch: "touch", pickup.Caliper: "calipers", pickup.Counted: "count", pickup.Layer: "layer", pickup.FileNumber: "number", pickup.Display: "display", pickup.Minutes: "clock", pickup.Percent: "percent", pickup.Line: "line", pickup.Byte: "bytes", pickup.Extruded: "E"}
	for _, p := range b.Pieces {
		out = append(out, map[string]any{"name": short[p.Kind], "low": p.Low, "high": p.High})
	}
	return out
}

// choices fills in what can be chosen.
func (v *pickupView) choices(b *book, doc *store.PickupDoc, c *pickup.Choice, belief *pickup.Belief) {
	last := c.Layer
	if c.Start == pickup.Mid && c.Line > 0 {
		last = max(b.ix.At(c.Line), 1) - 1
	}
	v.Last, v.First = last, last+1
	if c.Start == pickup.Redo {
		v.First = last
	}
	v.Proposed = !doc.Taken && doc.Choice.Layer == 0 && doc.Choice.Line == 0 && last > 0
	redo := "the last layer again"
	if last > 0 {
		redo = fmt.Sprintf("layer %d again", last)
	}
	v.Starts = []choice{{pickup.Next, "the next layer", c.Start == pickup.Next}, {pickup.Redo, redo, c.Start == pickup.Redo}, {pickup.Mid, "a point inside", c.Start == pickup.Mid}}
	v.Zs = []choice{{pickup.ByTouch, "touch the part", c.Z == pickup.ByTouch}, {pickup.ByKept, "motors held", c.Z == pickup.ByKept}, {pickup.ByClear, "home clear of the part", c.Z == pickup.ByClear}}
	pair := func(p *[2]float64) string {
		if p == nil {
			return ""
		}
		return fmt.Sprintf("%g, %g", p[0], p[1])
	}
	v.HomeAt, v.PrimeAt = pair(c.HomeAt), pair(c.PrimeAt)
	if c.Ease.Layers > 0 {
		v.EaseSpeed, v.EaseHo = fmt.Sprint(c.Ease.Speed), fmt.Sprint(c.Ease.Hotter)
	}
}

// make writes the pick-up and says what is in it.
func (v *pickupView) make(ctx context.Context, b *book, m *marked, c pickup.Choice, data map[string]any) error {
	p, res, err := made(b, m, c)
	if err != nil {
		return err
	}
	st := &p.Start
	v.First, v.Line, v.Inside = st.Layer, st.Line, st.Inside
	if !st.Inside && c.Start == pickup.Mid {
		v.Last = st.Kept
	}
	v.Height = millimetres(st.Lies)
	l := &b.ix.Layers[st.Layer-1]
	if l.HasNumber && l.Number != int64(st.Layer) {
		v.FileFirst = fmt.Sprintf("%d in the file", l.Number)
	}
	for _, e := range p.Opening {
		v.Opening = append(v.Opening, entryView{Entry: e, Flips: e.Line > 0 && !c.LooseTop, On: e.Verdict == pickup.Kept})
	}
	for _, f := range p.Findings {
		v.Findings = append(v.Findings, findingView{f, slices.Contains(c.Accept, f.Code)})
		v.Blocked = v.Blocked || f.Level == layer.Grave
	}
	if p.Refused != nil {
		x := newBedPlan(m.plan.Printer, 220)
		x.part(m.plan.Printer, b.ix.Box, 220)
		x.hit(m.plan.Printer, c.HomeAt, p.Refused, 220)
		v.Refused = &x
	}
	if res != nil {
		for i := range res.Blocks {
			if res.Blocks[i].Fold.Offset >= st.Offset {
				v.Ears++
			}
		}
	}
	if v.Look, err = onTop(b, st); err != nil {
		return err
	}
	v.Steps = atThePrinter(m, b, st, &c)
	v.Seal, v.Wrong = verdict(ctx, b, m, p, res, &c)
	v.Blocked = v.Blocked || v.Wrong != ""
	data["landing"], data["spot"], data["look"] = p.Landing, p.Spot, v.Look
	if !c.LooseTop {
		if _, pins, _, err := pickup.TouchCheck(b.src, b.ix, c); err == nil {
			data["pins"] = pins
		}
	} else {
		data["loose"] = true
	}
	return nil
}

// made lays the print's marks and a pick-up onto its file.
func made(b *book, m *marked, c pickup.Choice) (*pickup.Pickup, *routine.Result, error) {
	var res *routine.Result
	if len(m.plan.Ears)+len(m.plan.Mutes) > 0 {
		var err error
		if res, err = routine.Apply(b.src, b.ix, m.plan, b.found()); err != nil {
			return nil, nil, err
		}
	}
	p, err := pickup.Make(b.src, b.ix, m.plan.Printer, c, res)
	return p, res, err
}

// mostChecked is the size of a file, in bytes, up to which it is compared on
// every change; larger ones when the file is written.
const mostChecked = 60 << 20

// verdict compares what the pick-up lays with what the original would have laid.
func verdict(ctx context.Context, b *book, m *marked, p *pickup.Pickup, res *routine.Result, c *pickup.Choice) (seal, wrong string) {
	if b.ix.Bytes > mostChecked {
		return "", ""
	}
	v, err := compare(ctx, b, m, p, c)
	if err != nil {
		return "", upper(err.Error())
	}
	if v.First != nil {
		return "", fmt.Sprintf("Not the same plastic: after %s equal moves %s.", group(v.Moves), v.First.What)
	}
	if c.LooseTop {
		return fmt.Sprintf("Same plastic from line %s on, lowered onto the bed", group(p.Start.Line)), ""
	}
	return fmt.Sprintf("Nothing moves below %s mm · same plastic from line %s on", millimetres(p.Start.Lies), group(p.Start.Line)), ""
}

func compare(ctx context.Context, b *book, m *marked, p *pickup.Pickup, c *pickup.Choice) (proof.Verdict, error) {
	opt := proof.Options{Box: b.ix.Box, Muted: muted(m.plan), Start: p.Start.Line, Opening: int64(p.Length), Eased: c.Ease.Layers > 0 || c.Flow > 0,
		Shift: p.Shift}
	if c.LooseTop { // the bed is empty: the start-up may prime where it did
		opt.Box = [4]gcode.Nano{-1, -1, -1, -1}
	}
	return proof.Compare(ctx, io.NewSectionReader(b.src, 0, b.src.Size()), edit.NewReader(b.src, p.Edits), opt)
}

// onTop says what one can check on the part by eye: how many islands and
// openings its top has, and what was laid last.
func onTop(b *book, st *pickup.Start) (string, error) {
	n := max(st.Kept, 1)
	if st.Inside {
		n = st.Layer
	}
	moves, err := b.ix.Decode(b.src, n)
	if err != nil {
		return "", err
	}
	if st.Inside {
		moves = moves[:slices.IndexFunc(append(moves, layer.Move{Line: math.MaxInt64}), func(m layer.Move) bool { return m.Line >= st.Line })]
	}
	last := ""
	for _, p := range slices.Backward(layer.Paths(moves)) {
		if p.Class != layer.Way {
			last = "laid last: " + p.Class.String()
			break
		}
	}
	if st.Inside { // of a layer that is laid in part, islands and openings say nothing
		return last, nil
	}
	sec := raster.NewSection(raster.FrameOf(b.ix), b.ix, n, moves)
	count := func(n int, one, many string) string {
		switch n {
		case 0:
			return "no " + many
		case 1:
			return "one " + one
		}
		return fmt.Sprintf("%d %s", n, many)
	}
	return count(sec.Pieces, "island", "islands") + ", " + count(len(sec.Open.Pieces()), "opening", "openings") + "; " + last, nil
}

// atThePrinter is what a person does, step by step.
func atThePrinter(m *marked, b *book, s *pickup.Start, c *pickup.Choice) []string {
	if c.LooseTop {
		return []string{"Take everything off the bed and clean it.", "Start the file: it begins as the original did.", "Glue the top on when it has cooled."}
	}
	where := "anywhere on its flat top"
	if s.Inside {
		where = "on the side that is a layer higher"
	}
	paper := "until it just touches"
	if c.Feeler > 0 {
		paper = fmt.Sprintf("until a sheet of %g mm just fits under it", c.Feeler)
	}
	var out []string
	switch c.Z {
	case pickup.ByTouch:
		out = []string{
			"Leave the part on the bed. If the bed is cold, warm it first, so that the part holds.",
			"Cut off what hangs from the nozzle and from the top of the part.",
			fmt.Sprintf("Bring the nozzle down by hand onto the part, %s, %s. Do not home Z.", where, paper),
			"Write the touch check file and run it first: it goes to three places of the wall, cold.",
			"Bring the nozzle down once more, then start the pick-up and stay until the first layer is down.",
		}
	case pickup.ByKept:
		out = []string{
			"Only if the motors were never let go and nobody moved the head or the bed: else touch.",
			"Do not home. The file heats, goes up from where the head stands, and comes back.",
			"Write the touch check file and run it first: it goes to three places of the wall, cold.",
			"Start the pick-up and stay until the first layer is down.",
		}
	default:
		out = []string{
			"Leave the part on the bed and warm the bed.",
			"Make sure that the printer homes Z where the head stands, and that nothing is in the way there.",
			"Start the pick-up with your hand on the switch: it goes up, finds the sides, goes beside the part and homes Z there.",
			"Stay until the first layer is down.",
		}
	}
	if m.plan.Printer.Resume != "" {
		out = append(out, "To go on at a stop: "+m.plan.Printer.Resume)
	}
	return out
}

// earlier are the pick-ups that were written for a print.
func (s *Server) earlier(ctx context.Context, id int64) ([]earlierView, error) {
	all, err := s.cfg.Store.Pickups(ctx, id)
	if err != nil {
		return nil, err
	}
	var out []earlierView
	for _, p := range all {
		if p.Written.IsZero() {
			continue
		}
		var knows []string
		for i := range p.Doc.Evidence {
			e := &p.Doc.Evidence[i]
			knows = append(knows, pieceNames[e.Kind]+" "+valueOf(e))
		}
		out = append(out, earlierView{p.ID, p.Written.Local().Format("2 Jan 2006, 15:04"), fmt.Sprintf("from layer %d, line %s", p.Doc.Layer, group(p.Doc.Line)), strings.Join(knows, " · ")})
	}
	return out, nil
}

// changePickup carries out one change of the pick-up being worked on.
func (s *Server) changePickup(c fiber.Ctx, f func(b *book, d *store.PickupDoc) (string, error)) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	said := ""
	err = s.cfg.Store.ChangeDraft(c.Context(), b.print.ID, func(d *store.PickupDoc) error {
		said, err = f(b, d)
		return err
	})
	if err != nil {
		return err
	}
	return s.sendPickup(c, b, said)
}

// mostPieces bounds the evidence of one pick-up.
const mostPieces = 12

// addEvidence takes down one more thing that is known.
func (s *Server) addEvidence(c fiber.Ctx) error {
	return s.changePickup(c, func(b *book, d *store.PickupDoc) (string, error) {
		e, err := s.readEvidence(c, b)
		if err != nil {
			return "", err
		}
		if len(d.Evidence) >= mostPieces {
			return "", sentence(fiber.StatusUnprocessableEntity, "that is enough to know; take something away first")
		}
		if _, err := pickup.Weigh(b.src, b.ix, []pickup.Evidence{*e}); err != nil {
			return "", sentence(fiber.StatusUnprocessableEntity, err.Error())
		}
		d.Evidence = append(d.Evidence, *e)
		d.Taken = false
		return "Taken down: " + pieceNames[e.Kind] + ", " + valueOf(e) + ".", nil
	})
}

func (s *Server) readEvidence(c fiber.Ctx, b *book) (*pickup.Evidence, error) {
	e := &pickup.Evidence{Kind: c.FormValue("kind")}
	text := strings.ReplaceAll(strings.TrimSpace(c.FormValue("value")), ",", ".")
	bad := func(what string) (*pickup.Evidence, error) {
		return nil, sentence(fiber.StatusUnprocessableEntity, what)
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
	case pickup.Touch, pickup.Caliper, pickup.Layer, pickup.FileNumber, pickup.Percent, pickup.Line, pickup.Byte, pickup.Extruded:
	default:
		return bad("choose what you know")
	}
	v, ok := one(text)
	if !ok {
		return bad(fmt.Sprintf("“%s” is no number", clip(text)))
	}
	e.Value = v
	// Lines and bytes may have been counted in an earlier pick-up's file.
	if of := c.FormValue("of"); of != "" && (e.Kind == pickup.Line || e.Kind == pickup.Byte || e.Kind == pickup.Percent) {
		id, err := strconv.ParseInt(of, 10, 64)
		if err != nil {
			return bad("there is no such pick-up")
		}
		old, err := s.cfg.Store.Pickup(c.Context(), b.print.ID, id)
		if err != nil {
			return bad("there is no such pick-up")
		}
		if err := counted(b, &old.Doc, e); err != nil {
			return nil, err
		}
	}
	return e, nil
}

// counted turns a line, byte or share of an earlier pick-up's file into a line
// of the original.
func counted(b *book, d *store.PickupDoc, e *pickup.Evidence) error {
	out := e.Value
	if e.Kind != pickup.Line {
		off, err := b.ix.OffsetOf(b.src, d.Line)
		if err != nil {
			return err
		}
		// The opening is small beside the rest; bytes of it are taken for none.
		at := out + float64(off)
		if e.Kind == pickup.Percent {
			at = float64(off) + out/100*float64(b.ix.Bytes-off)
		}
		e.Kind, e.Value = pickup.Byte, math.Round(at)
		return nil
	}
	if out <= float64(d.Length) {
		return sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("line %.0f lies in the opening of that file; nothing was laid by then", out))
	}
	e.Value = out - float64(d.Length) + float64(d.Line) - 1
	return nil
}

// dropEvidence takes something away that was known.
func (s *Server) dropEvidence(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book, d *store.PickupDoc) (string, error) {
		i, err := strconv.Atoi(c.FormValue("index"))
		if err != nil || i < 0 || i >= len(d.Evidence) {
			return "", sentence(fiber.StatusNotFound, "this is not there any more")
		}
		gone := d.Evidence[i]
		d.Evidence = slices.Delete(d.Evidence, i, i+1)
		return "Taken away: " + pieceNames[gone.Kind] + ".", nil
	})
}

// decide keeps what a form says about the place, the height and the beginning.
func (s *Server) decide(c fiber.Ctx) error {
	return s.changePickup(c, func(b *book, d *store.PickupDoc) (string, error) {
		ch := &d.Choice
		said := "Kept."
		if v := c.FormValue("layer"); v != "" {
			n, err := strconv.Atoi(v)
			if err != nil || n < 1 || n > len(b.ix.Layers) {
				return "", sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("there is no layer %s; this print has %s", clip(v), layersWord(len(b.ix.Layers))))
			}
			ch.Layer, ch.Line, d.Taken = n, 0, true
			if ch.Start == pickup.Mid {
				ch.Start = pickup.Next
			}
			said = fmt.Sprintf("Layer %d is the last good one.", n)
		}
		if v := c.FormValue("line"); v != "" {
			n, err := strconv.ParseInt(v, 10, 64)
			if err != nil || n < 1 || n > b.ix.Lines {
				return "", sentence(fiber.StatusUnprocessableEntity, "there is no such line")
			}
			ch.Start, ch.Line, d.Taken = pickup.Mid, n, true
			said = fmt.Sprintf("It goes on in front of line %s.", group(n))
		}
		switch v := c.FormValue("start"); v {
		case "":
		case pickup.Next, pickup.Redo, pickup.Mid:
			if ch.Layer == 0 && ch.Line > 0 {
				ch.Layer = max(b.ix.At(ch.Line), 1) - 1
			}
			ch.Start = v
			if v == pickup.Mid && ch.Line == 0 { // the middle of the layer, until a place is shown
				last := ch.Layer
				if last == 0 {
					if bl, err := pickup.Weigh(b.src, b.ix, d.Evidence); err == nil {
						last = bl.Best
						ch.Line = bl.Line
					}
				}
				if n := last + 1; ch.Line == 0 && n <= len(b.ix.Layers) {
					l := &b.ix.Layers[n-1]
					ch.Line = (l.First + l.Last) / 2
				}
				d.Taken = true
				said = "Show on the thread, or on a page, where the good plastic ends."
			}
		default:
			return "", sentence(fiber.StatusUnprocessableEntity, "it can start with the next layer, the last one again, or a point inside")
		}
		switch v := c.FormValue("z"); v {
		case "":
		case pickup.ByTouch, pickup.ByKept, pickup.ByClear:
			ch.Z = v
		default:
			return "", sentence(fiber.StatusUnprocessableEntity, "the height is kept, touched, or homed clear of the part")
		}
		if v := c.FormValue("loose"); v != "" {
			ch.LooseTop = v == "1"
		}
		if c.FormValue("all") != "" {
			if err := amounts(c, ch); err != nil {
				return "", err
			}
		}
		return said, nil
	})
}

// amounts reads the numbers of a pick-up.
func amounts(c fiber.Ctx, ch *pickup.Choice) error {
	for _, n := range []struct {
		name      string
		to        *float64
		low, high float64
	}{
		{"feeler", &ch.Feeler, 0, 2}, {"dz", &ch.DZ, -2, 2}, {"dx", &ch.DX, -20, 20}, {"dy", &ch.DY, -20, 20},
		{"flow", &ch.Flow, 0, 200}, {"nozzle", &ch.Nozzle, 0, 500}, {"bed", &ch.Bed, 0, 200}, {"prime", &ch.Prime, 0, 200}, {"clearance", &ch.Clearance, 0, 200},
		{"ease_speed", &ch.Ease.Speed, 0, 100}, {"ease_hotter", &ch.Ease.Hotter, 0, 40},
	} {
		text := strings.ReplaceAll(strings.TrimSpace(c.FormValue(n.name)), ",", ".")
		if text == "" {
			*n.to = 0
			continue
		}
		v, err := strconv.ParseFloat(text, 64)
		if err != nil || !(v >= n.low && v <= n.high) {
			return sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("“%s” must be a number from %g to %g", clip(text), n.low, n.high))
		}
		*n.to = v
	}
	k, err := number(c, "ease_layers", 0, 50)
	if err != nil {
		return err
	}
	ch.Ease.Layers = int(k)
	for _, p := range []struct {
		name string
		to   **[2]float64
	}{{"home_at", &ch.HomeAt}, {"prime_at", &ch.PrimeAt}} {
		text := strings.TrimSpace(c.FormValue(p.name))
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
			return sentence(fiber.StatusUnprocessableEntity, fmt.Sprintf("“%s” is no place; write X and Y: 5, 5", clip(text)))
		}
		*p.to = &xy
	}
	return nil
}

// flip turns a line of the start-up on or off.
func (s *Server) flip(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book, d *store.PickupDoc) (string, error) {
		line, err := strconv.ParseInt(c.FormValue("line"), 10, 64)
		if err != nil {
			return "", sentence(fiber.StatusUnprocessableEntity, "there is no such line")
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
			return fmt.Sprintf("Line %s is kept.", group(line)), nil
		}
		return fmt.Sprintf("Line %s is left out.", group(line)), nil
	})
}

// accept takes a finding upon oneself; it must be said in words.
func (s *Server) accept(c fiber.Ctx) error {
	return s.changePickup(c, func(_ *book, d *store.PickupDoc) (string, error) {
		code := c.FormValue("code")
		if c.FormValue("back") != "" {
			d.Choice.Accept = slices.DeleteFunc(d.Choice.Accept, func(s string) bool { return s == code })
			return "It holds again.", nil
		}
		if strings.ToLower(strings.Trim(strings.TrimSpace(c.FormValue("words")), ".!")) != acceptWords {
			return "", sentence(fiber.StatusUnprocessableEntity, "to take it upon yourself, write: "+acceptWords)
		}
		if !slices.Contains(d.Choice.Accept, code) {
			d.Choice.Accept = append(d.Choice.Accept, code)
		}
		return "Taken upon yourself.", nil
	})
}

// acceptWords are what somebody writes who overrides a finding.
const acceptWords = "i have looked and i will watch"

func (s *Server) undoPickup(c fiber.Ctx) error {
	return s.stepPickup(c, s.cfg.Store.UndoDraft, "Taken back.")
}

func (s *Server) redoPickup(c fiber.Ctx) error {
	return s.stepPickup(c, s.cfg.Store.RedoDraft, "Done again.")
}

func (s *Server) stepPickup(c fiber.Ctx, f func(context.Context, int64) error, said string) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	if err := f(c.Context(), b.print.ID); err != nil {
		return err
	}
	return s.sendPickup(c, b, said)
}

// writePickup books the pick-up as written and sends the browser to its file.
func (s *Server) writePickup(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	d, err := s.cfg.Store.Draft(c.Context(), b.print.ID)
	if err != nil {
		return sentence(fiber.StatusConflict, "say first what you know about where it stopped")
	}
	p, ch, err := s.checked(c, b, &d.Doc)
	if err != nil {
		return err
	}
	if d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0 {
		return sentence(fiber.StatusConflict, fmt.Sprintf("take the place first: is layer %d the last good one?", ch.Layer))
	}
	id, err := s.cfg.Store.FinishDraft(c.Context(), b.print.ID, p.Start.Layer, p.Start.Line, p.Length)
	if err != nil {
		return err
	}
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/pickups/%d", b.print.ID, id))
	return c.SendStatus(fiber.StatusOK)
}

// checked makes a pick-up and refuses it when something must be dealt with.
func (s *Server) checked(c fiber.Ctx, b *book, doc *store.PickupDoc) (*pickup.Pickup, *pickup.Choice, error) {
	m, err := s.marks(c.Context(), b.print.ID)
	if err != nil {
		return nil, nil, err
	}
	belief, err := pickup.Weigh(b.src, b.ix, doc.Evidence)
	if err != nil {
		return nil, nil, sentence(fiber.StatusConflict, err.Error())
	}
	ch := settled(doc, belief)
	p, _, err := made(b, m, ch)
	if err != nil {
		return nil, nil, sentence(fiber.StatusConflict, err.Error())
	}
	for _, f := range p.Findings {
		if f.Level == layer.Grave {
			return nil, nil, sentence(fiber.StatusConflict, "the pick-up was not written: "+f.Message)
		}
	}
	v, err := compare(c.Context(), b, m, p, &ch)
	if err != nil {
		return nil, nil, err
	}
	if v.First != nil {
		return nil, nil, sentence(fiber.StatusConflict, "the pick-up was not written, since it would not lay the same plastic: "+v.First.What)
	}
	return p, &ch, nil
}

// pickupFile sends the file of a pick-up that was written.
func (s *Server) pickupFile(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Params("pickup"), 10, 64)
	if err != nil {
		return store.ErrNone
	}
	d, err := s.cfg.Store.Pickup(c.Context(), b.print.ID, id)
	if err != nil {
		return err
	}
	p, ch, err := s.checked(c, b, &d.Doc)
	if err != nil {
		return err
	}
	what := "pick-up-from"
	if ch.LooseTop {
		what = "loose-top-from"
	}
	size := b.src.Size()
	for _, e := range p.Edits {
		size += int64(len(e.Text)) - e.Cut
	}
	return download(c, nameWith(b, fmt.Sprintf("_%s-%d", what, p.Start.Layer)), edit.NewReader(b.src, p.Edits), size)
}

// touchFile sends the touch check file of the pick-up being worked on.
func (s *Server) touchFile(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	d, err := s.pickupDoc(c.Context(), b.print.ID)
	if err != nil {
		return err
	}
	belief, err := pickup.Weigh(b.src, b.ix, d.Doc.Evidence)
	if err != nil {
		return sentence(fiber.StatusConflict, err.Error())
	}
	ls, _, st, err := pickup.TouchCheck(b.src, b.ix, settled(&d.Doc, belief))
	if err != nil {
		return sentence(fiber.StatusConflict, err.Error())
	}
	var text strings.Builder
	for _, l := range ls {
		text.WriteString(l.Text + "\n")
	}
	return download(c, nameWith(b, fmt.Sprintf("_touch-check-%d", st.Kept)), strings.NewReader(text.String()), int64(text.Len()))
}

// forgetPickup takes a written pick-up out of the list.
func (s *Server) forgetPickup(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	id, err := strconv.ParseInt(c.Params("pickup"), 10, 64)
	if err != nil {
		return store.ErrNone
	}
	if err := s.cfg.Store.RemovePickup(c.Context(), b.print.ID, id); err != nil {
		return err
	}
	return s.sendPickup(c, b, "Forgotten.")
}

// nameWith names a file after the print.
func nameWith(b *book, suffix string) string {
	base, ext := b.print.Name, ".gcode"
	if i := strings.LastIndexByte(base, '.'); i > 0 {
		base, ext = base[:i], base[i:]
	}
	return base + suffix + ext
}

func download(c fiber.Ctx, name string, r io.Reader, size int64) error {
	c.Set("Content-Type", "text/x-gcode")
	c.Set("Cache-Control", "no-store")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q; filename*=UTF-8''%s", ascii(name), url.PathEscape(name)))
	return c.SendStream(r, int(size))
}
