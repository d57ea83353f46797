package bind

import (
	"context"
	"fmt"
	"net/url"
	"slices"

	"dogear/store"
	"dogear/web/say"
)

// Address is where prints are bound.
func Address(all []int64) string {
	q := url.Values{}
	for _, id := range all[:min(len(all), MaxBound)] {
		q.Add("p", fmt.Sprint(id))
	}
	return "/bind?" + q.Encode()
}

// bindGroup are prints of the shelf that could be slicings of one model.
type bindGroup struct {
	Prints []bindChoice
	All    string // address that binds them all
}

type bindChoice struct {
	ID           int64
	Title, Facts string
}

// maxOffered bounds how many prints are offered to be bound: the newest ones.
const maxOffered = 500

// bindable lists what could be bound; first is a print chosen already, every are
// all prints.
func (s *pages) bindable(ctx context.Context, b *binding) (groups []bindGroup, first *bindChoice,
	every []bindChoice, err error) {
	all, err := s.Store.Faces(ctx, maxOffered)
	if err != nil {
		return nil, nil, nil, err
	}
	choice := func(p *store.Stand) bindChoice {
		return bindChoice{p.ID, p.Title, fmt.Sprintf("%s mm · %s · %s mm each", say.OneDecimal(p.High),
			say.LayersWord(p.Layers), say.OneDecimal(p.Step))}
	}
	chosen := int64(0)
	if len(b.books) == 1 {
		chosen = b.books[0].Print.ID
	}
	used := map[int64]bool{}
	for i := range all {
		p := &all[i]
		every = append(every, choice(p))
		if p.ID == chosen {
			f := choice(p)
			first = &f
		}
		if used[p.ID] || chosen != 0 && p.ID != chosen {
			continue
		}
		group := kinOf(p, all)
		if len(group) < 2 {
			continue
		}
		g := bindGroup{}
		var ids []int64
		for _, o := range group {
			used[o.ID] = true
			ids = append(ids, o.ID)
			g.Prints = append(g.Prints, choice(o))
		}
		g.All = Address(ids)
		groups = append(groups, g)
	}
	return groups, first, every, nil
}

// kinOf returns a print and those akin to it, the coarsest first.
func kinOf(p *store.Stand, all []store.Stand) []*store.Stand {
	out := []*store.Stand{p}
	for i := range all {
		if o := &all[i]; o.ID != p.ID && p.Akin(o) {
			out = append(out, o)
		}
	}
	slices.SortStableFunc(out, func(x, y *store.Stand) int { return int((y.Step - x.Step) * 1e6) })
	return out
}
