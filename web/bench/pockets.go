package bench

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/apply"
	"dogear/core/finding"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/fields"
	"dogear/web/say"
)

// pocketView is a kind of pocket of a print, with what of the Kit goes into it.
type pocketView struct {
	Words   string
	Where   string // X and Y, or how many there are
	Of      string // which pockets, for the request
	First   int
	Before  int // where the printer best stops
	Why     string
	Takes   string // key of what goes in best
	Count   int
	Besides string // what else goes in
}

// hollow is a pocket as the spine and the pages draw it, mm.
type hollow struct {
	Shape  string       `json:"shape"`
	Words  string       `json:"words"`
	X      float64      `json:"x"`
	Y      float64      `json:"y"`
	First  int          `json:"first"`
	Last   int          `json:"last"`
	Closed bool         `json:"closed"`
	Turn   float64      `json:"turn"`
	Rows   [][3]float64 `json:"rows"` // from layer, width and depth along the pocket's own sides
}

// maxHollows bounds how many pockets are drawn and listed.
const maxHollows = 60

func hollows(b *book.Book) []hollow {
	out := []hollow{}
	for _, p := range b.Found() {
		if len(out) == maxHollows {
			break
		}
		h := hollow{Shape: p.Shape, Words: book.OpenWords(&p), X: p.Centre[0], Y: p.Centre[1],
			First: p.FirstOpen, Last: p.LastOpen, Closed: p.Closes != nil, Turn: p.Turn}
		for _, s := range p.Sections {
			w, d := s.Size[0], s.Size[1]
			if p.Shape == "round" || p.Shape == "ball" {
				w, d = s.Across, s.Across
			}
			if p.Shape == "hex" { // across its flats, both ways
				w, d = s.Across, s.Across
			}
			h.Rows = append(h.Rows, [3]float64{float64(s.Layer), w, d})
		}
		out = append(out, h)
	}
	return out
}

// pockets are the enclosed openings of a print that something can be put into,
// those that are alike together.
func pockets(b *book.Book, m *book.Marked) []pocketView {
	type group struct {
		p   *landmark.Pocket
		all []int
	}
	var groups []*group
	for i, all := 0, b.Found(); i < len(all); i++ {
		p := &all[i]
		if p.Closes == nil {
			continue // open to the top: nothing must be put in while it prints
		}
		k := slices.IndexFunc(groups, func(g *group) bool {
			return g.p.Shape == p.Shape && g.p.FirstOpen == p.FirstOpen && *g.p.Closes == *p.Closes &&
				g.p.Side == p.Side && g.p.Support == p.Support && math.Abs(g.p.Across-p.Across) < 0.3
		})
		if k < 0 {
			groups = append(groups, &group{p: p})
			k = len(groups) - 1
		}
		groups[k].all = append(groups[k].all, i)
	}
	var out []pocketView
	for _, g := range groups[:min(len(groups), maxHollows)] {
		v := pocketView{Words: insert.Words(g.p), Where: fmt.Sprintf("at X %.1f Y %.1f", g.p.Centre[0],
			g.p.Centre[1]), Before: *g.p.Closes, First: g.p.FirstOpen + 1, Count: len(g.all)}
		if len(g.all) > 1 {
			v.Where = fmt.Sprintf("%d of them", len(g.all))
		}
		var of []string
		for _, i := range g.all {
			of = append(of, strconv.Itoa(i))
		}
		v.Of = strings.Join(of, ",")
		takes := takes(b, m, g.p)
		if len(takes) > 0 {
			part := m.Kit.Inserts[takes[0]]
			v.Takes = takes[0]
			v.Before, v.Why = insert.Fold(b.Ix, g.p, &part, 1)
			v.Besides = strings.Join(takes[1:min(len(takes), 3)], ", ")
		}
		out = append(out, v)
	}
	return out
}

// takes names what of the Kit goes into a pocket, what fits best first.
func takes(b *book.Book, m *book.Marked, p *landmark.Pocket) []string {
	type candidate struct {
		key   string
		score float64
	}
	var all []candidate
	for _, key := range m.Kit.Keys[plan.Inserts] {
		part := m.Kit.Inserts[key]
		if p.Shape == "ball" && part.Shape != "ball" {
			continue // that hollow is made for nothing else
		}
		n, _ := insert.Fold(b.Ix, p, &part, 1)
		if n == 0 {
			continue
		}
		f := insert.Of(b.Ix, p, &part, 1, n)
		if f.Level == finding.Stop || f.Side >= 1 {
			continue
		}
		score := math.Abs(f.Side-0.15) + 0.03*math.Max(f.Above, 0)
		if part.Shape == p.Shape || part.Shape == "disc" && p.Shape == "round" {
			score -= 0.3
		}
		if part.Magnet { // nothing of the pocket says that it is for a magnet
			score += 0.02
		}
		all = append(all, candidate{key, score})
	}
	slices.SortStableFunc(all,
		func(a, b candidate) int { return int(math.Copysign(1, a.score-b.score)) })
	var out []string
	for _, c := range all {
		out = append(out, c.key)
	}
	return out
}

// addInsert marks the fold at which something best goes into some pockets.
func (s *pages) addInsert(c fiber.Ctx) error {
	return s.changeWith(c, func(b *book.Book, p *plan.Plan, kit *store.Kit) (string, error) {
		all := b.Found()
		e := plan.Ear{ID: p.FreeID(), Kind: plan.Insert}
		n, why := 0, ""
		part, ok := kit.Inserts[c.FormValue("insert")]
		for _, t := range strings.Split(c.FormValue("pockets"), ",") {
			k, err := strconv.Atoi(t)
			if err != nil || k < 0 || k >= len(all) {
				return "", say.Sentence(fiber.StatusUnprocessableEntity,
					"there is no such pocket in this print")
			}
			q := &all[k]
			at, reason := 0, ""
			if ok {
				at, reason = insert.Fold(b.Ix, q, &part, 1)
			}
			if at == 0 && q.Closes != nil {
				at = *q.Closes
			}
			if at > 0 && (n == 0 || at < n) {
				n, why = at, reason
			}
			e.At = append(e.At, q.Centre)
		}
		if n == 0 {
			return "", say.Sentence(fiber.StatusUnprocessableEntity,
				"this pocket is never closed; nothing must go in while it prints")
		}
		if ok {
			e.Insert, e.Count = &part, len(e.At)
		}
		if err := locateEar(b, p, &e, strconv.Itoa(n)); err != nil {
			return "", err
		}
		if err := fitsIn(b, p, &e); err != nil {
			return "", err
		}
		p.Ears = append(p.Ears, e)
		said := fmt.Sprintf("Marked: the printer stops before layer %d", n)
		if why != "" {
			said += ", " + why
		}
		return said + ".", nil
	})
}

// choosePockets reads from a form into which pockets something goes.
func choosePockets(form fields.Form, e *plan.Ear) error {
	e.At = nil
	for _, v := range form.All("pocket") {
		var at [2]float64
		if _, err := fmt.Sscanf(v, "%f,%f", &at[0], &at[1]); err != nil {
			return say.Sentence(fiber.StatusUnprocessableEntity, "there is no such pocket in this print")
		}
		e.At = append(e.At, at)
	}
	return nil
}

// pocketChoices are the pockets that are open at an ear, those it goes into
// marked; none when there is nothing to choose.
func pocketChoices(b *book.Book, e *plan.Ear, fits []insert.Fit) []fields.Choice {
	n, line := apply.Place(b.Ix, e)
	open := insert.At(b.Found(), n)
	if line > 0 || len(open) < 2 || len(open) > maxHollows {
		return nil
	}
	var out []fields.Choice
	for _, p := range open {
		in := slices.ContainsFunc(fits, func(f insert.Fit) bool { return f.Pocket == p })
		out = append(out, fields.Choose(fmt.Sprintf("%g,%g", p.Centre[0], p.Centre[1]),
			fmt.Sprintf("%s at X %.0f Y %.0f", book.OpenWords(p), p.Centre[0], p.Centre[1]), in))
	}
	return out
}

// fits says how what goes in at an ear sits in the pockets that are open there.
func fits(b *book.Book, e *plan.Ear) []insert.Fit {
	if e.Kind != plan.Insert || e.Insert == nil || e.Insert.Across == 0 || b.Marks == nil {
		return nil
	}
	n, line := apply.Place(b.Ix, e)
	if line > 0 {
		return nil
	}
	return insert.Chosen(b.Ix, b.Marks.Pockets, e, n)
}

// fitView is a sentence about how something sits, and in how many pockets.
type fitView struct {
	Level finding.Level
	Words string
}

// fitWords says each sentence once.
func fitWords(b *book.Book, e *plan.Ear, fits []insert.Fit) []fitView {
	if len(fits) == 0 {
		if e.Kind != plan.Insert || e.Insert == nil || e.Insert.Across == 0 || b.Marks == nil {
			return nil
		}
		n, _ := apply.Place(b.Ix, e)
		return []fitView{{finding.Care,
			fmt.Sprintf("No pocket that is closed later is open before layer "+
				"%d; what goes in there lies free.", n)}}
	}
	var out []fitView
	count := map[string]int{}
	for _, f := range fits {
		if count[f.Words]++; count[f.Words] == 1 {
			out = append(out, fitView{f.Level, f.Words})
		}
	}
	for i := range out {
		if n := count[out[i].Words]; n > 1 {
			out[i].Words = insert.Each(out[i].Words, n)
		}
	}
	return out
}
