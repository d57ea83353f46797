package pickup

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/pickup"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/draw"
	"dogear/web/fields"
	"dogear/web/say"
)

// pickupView is the page on which a failed print is finished: a card for each question.
type pickupView struct {
	ID         int64
	Doc        store.PickupDoc
	Undo, Redo bool
	Said       string
	Problem    string // why there is no file yet
	Data       string // for the scripts, as JSON
	Earlier    []earlierView

	knownCard
	placeCard
	choiceCard
	madeCard
}

// knownCard is what is known of where the print stopped.
type knownCard struct {
	Pieces      []pieceView
	Contradicts []string
	Low, High   int    // last good layers that fit
	Density     string // of its filament, g/cm³
	Measured    bool   // what was measured can stand alone
}

// placeCard is where the print goes on.
type placeCard struct {
	Height      string // on the bed, mm
	Last, First int    // last good layer, and the one the file begins with
	FileFirst   string // its number in the file, when that is another
	Line        int64
	Inside      bool
	Proposed    bool   // a place is proposed, but nobody has taken it
	Reopened    string // what came to be known speaks against the chosen place,
	Says        int    // for this layer
	TouchOf     int    // the layer that the touch check is for
	Look        string // what one can check on the part by eye
}

// choiceCard is how it goes on there.
type choiceCard struct {
	Starts, Zs        []fields.Choice
	HomeAt, PrimeAt   string
	EaseSpeed, EaseHo string
}

// madeCard is what would be written.
type madeCard struct {
	Opening   []entryView
	Findings  []findingView
	Steps     []string
	Blocked   bool
	Examining bool // it takes long; Examined percent are done
	Examined  int
	Seal      string
	Refused   *draw.BedPlan
	Ears      int // still to come
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
	finding.Finding
	Name     string // by which it is accepted
	Accepted bool
}

type earlierView struct {
	ID    int64
	When  string
	What  string
	Knows string
	Came  string // of it
}

// pickupView works everything out anew.
func (s *pages) pickupView(c fiber.Ctx, b *book.Book) (*pickupView, error) {
	d, err := s.pickupDoc(c.Context(), b.Print.ID)
	if err != nil {
		return nil, err
	}
	m, err := s.Marks(c.Context(), b.Print.ID)
	if err != nil {
		return nil, err
	}
	v := &pickupView{ID: b.Print.ID, Doc: d.Doc, Undo: d.Undo, Redo: d.Redo}
	belief, err := v.knownCard.fill(b, m.Plan, &d.Doc)
	if err != nil {
		return nil, err
	}
	ch := settled(&d.Doc, belief)
	v.placeCard.fill(b, &d.Doc, &ch, belief)
	v.choiceCard.fill(&ch, v.Last)
	if v.Earlier, err = s.earlier(c.Context(), b.Print.ID); err != nil {
		return nil, err
	}
	data := map[string]any{"layers": len(b.Ix.Layers), "photo": d.Doc.Photo}
	if belief != nil && len(belief.Pieces) > 0 {
		data["bars"] = bars(belief)
	}
	switch {
	case belief == nil || len(belief.Pieces) == 0 && d.Doc.Choice.Layer == 0 && d.Doc.Choice.Line == 0:
		v.Problem = "Say what you know about where it stopped: one thing is enough to begin, two are " +
			"better."
	case ch.Layer == 0 && ch.Start != pickup.Mid && len(belief.Contradicts) > 0:
		v.Problem = "These do not fit together. Take away what you trust least."
	default:
		if err := v.make(c.Context(), s, b, m, ch, data); err != nil {
			v.Problem = say.Upper(err.Error())
		}
	}
	data["last"], data["first"], data["inside"], data["line"] = v.Last, v.First, v.Inside, v.Line
	data["mid"] = ch.Start == pickup.Mid
	j, err := json.Marshal(data)
	v.Data = string(j)
	return v, err
}

// earlier are the pick-ups that were written for a print.
func (s *pages) earlier(ctx context.Context, id int64) ([]earlierView, error) {
	all, err := s.Store.Pickups(ctx, id)
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
			knows = append(knows, kindWords[e.Kind].card+" "+valueOf(e))
		}
		out = append(out, earlierView{p.ID, p.Written.Local().Format("2 Jan 2006, 15:04"),
			fmt.Sprintf("from layer %d, line %s", p.Doc.Layer, figures.Count(p.Doc.Line)),
			strings.Join(knows, " · "), p.Outcome})
	}
	return out, nil
}
