package cuesheet

import (
	"fmt"
	"math"
	"slices"

	"dogear/core/insert"
	"dogear/core/plan"
	"dogear/web/book"
)

// afterwards says what of the Kit goes into the pockets that stay open to the top: no stop
// is needed for it, but somebody must think of it.
func afterwards(b *book.Book, m *book.Marked) []string {
	type heap struct {
		part, pocket string
		n            int
	}
	var heaps []heap
	all := b.Found()
	for i := range all {
		best, room := "", math.Inf(1)
		for _, key := range m.Kit.Keys[plan.Inserts] {
			part := m.Kit.Inserts[key]
			if s, ok := insert.Afterwards(b.Ix, &all[i], &part); ok && math.Abs(s.Side-0.1) < room {
				best, room = key, math.Abs(s.Side-0.1)
			}
		}
		if best == "" {
			continue
		}
		h := heap{part: best, pocket: book.OpenWords(&all[i])}
		if all[i].Support > 0 {
			h.pocket += " (take its support out first)"
		}
		k := slices.IndexFunc(heaps,
			func(o heap) bool { return o.part == h.part && o.pocket == h.pocket })
		if k < 0 {
			heaps = append(heaps, h)
			k = len(heaps) - 1
		}
		heaps[k].n++
	}
	var out []string
	for _, h := range heaps {
		which := "a pocket " + h.pocket
		if h.n > 1 {
			which = fmt.Sprintf("%d pockets %s", h.n, h.pocket)
		}
		out = append(out, fmt.Sprintf("%s, open to the top, for the %s", which, h.part))
	}
	return out
}
