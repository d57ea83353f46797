package web

import (
	"context"
	"fmt"
	"math"
	"net/url"
	"slices"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// kin reports whether two prints could be slicings of one model: they are as
// wide, as deep and as high.
func kin(a, b *book) bool {
	if a.ix.Kind != layer.Layered || b.ix.Kind != layer.Layered || a.print.SHA256 == b.print.SHA256 || len(a.ix.Layers) < 2 || len(b.ix.Layers) < 2 {
		return false
	}
	near := func(x, y float32, by float64) bool { return math.Abs(float64(x-y)) < by }
	p, q := a.outline.Box, b.outline.Box
	return near(p[2]-p[0], q[2]-q[0], 1.5) && near(p[3]-p[1], q[3]-q[1], 1.5) && math.Abs((a.ix.Height()-b.ix.Height()).Millimetres()) < 1
}

// kinOf returns a print and those that could be slicings of its model, the
// coarsest first.
func kinOf(k *book, books []*book) []*book {
	all := []*book{k}
	for _, o := range books {
		if o != nil && o.print.ID != k.print.ID && kin(k, o) {
			all = append(all, o)
		}
	}
	slices.SortStableFunc(all, func(x, y *book) int { return int(usualHeight(y.ix) - usualHeight(x.ix)) })
	return all
}

// kinAddress is where they are bound.
func kinAddress(all []*book) string {
	q := url.Values{}
	for _, o := range all[:min(len(all), mostBound)] {
		q.Add("p", fmt.Sprint(o.print.ID))
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

// bindable lists what could be bound; first is a print chosen already, every are
// all prints.
func (s *Server) bindable(ctx context.Context, b *binding) (groups []bindGroup, first *bindChoice, every []bindChoice, err error) {
	books, err := s.books(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	choice := func(k *book) bindChoice {
		return bindChoice{k.print.ID, k.print.Title, fmt.Sprintf("%s mm · %s · %s mm each", trimmed(k.ix.Height()), layersWord(len(k.ix.Layers)), trimmed(usualHeight(k.ix)))}
	}
	if len(b.books) == 1 {
		f := choice(b.books[0])
		first = &f
	}
	for _, k := range books {
		every = append(every, choice(k))
	}
	used := map[int64]bool{}
	for _, k := range books {
		if used[k.print.ID] || first != nil && k.print.ID != first.ID {
			continue
		}
		all := kinOf(k, books)
		if len(all) < 2 {
			continue
		}
		g := bindGroup{All: kinAddress(all)}
		for _, o := range all {
			used[o.print.ID] = true
			g.Prints = append(g.Prints, choice(o))
		}
		groups = append(groups, g)
	}
	return groups, first, every, nil
}

// books are all prints that have been read.
func (s *Server) books(ctx context.Context) ([]*book, error) {
	prints, err := s.cfg.Store.Prints(ctx)
	if err != nil {
		return nil, err
	}
	var out []*book
	for _, p := range prints {
		if p.State != "ready" {
			continue
		}
		b, err := s.opened.get(ctx, p)
		if err != nil {
			return nil, err
		}
		out = append(out, b)
	}
	return out, nil
}

// usualHeight is the layer height that most layers of a print have.
func usualHeight(ix *layer.Index) gcode.Nano {
	count := map[gcode.Nano]int{}
	best := gcode.Nano(0)
	for i := range ix.Layers {
		h := (ix.Layers[i].Height + 500) / 1000 * 1000
		if count[h]++; count[h] > count[best] || count[h] == count[best] && h < best {
			best = h
		}
	}
	return best
}
