package apply

import (
	"sort"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// Ears returns the ears of a plan in the order in which the printer reaches them.
func Ears(p *plan.Plan, ix *layer.Index) []plan.Ear {
	out := append([]plan.Ear(nil), p.Ears...)
	sort.SliceStable(out, func(i, j int) bool {
		a, la := Place(ix, &out[i])
		b, lb := Place(ix, &out[j])
		if a != b || la != lb {
			return a < b || a == b && la < lb
		}
		return routine.Rank(out[i].Kind) < routine.Rank(out[j].Kind)
	})
	return out
}

// Band is what is laid in one filament: from layer From on, or, with a line,
// from that line inside of it.
type Band struct {
	From     int    `json:"from"`
	Line     int64  `json:"line"`
	Filament string `json:"filament"` // its key
}

// Bands are what is laid in one filament after another.
func Bands(p *plan.Plan, ix *layer.Index) []Band {
	out := []Band{{1, 0, p.First}}
	for _, e := range Ears(p, ix) {
		if e.Kind != plan.Colour || e.Filament == "" {
			continue
		}
		n, line := Place(ix, &e)
		if n == 1 && line == 0 {
			out = out[:0]
		}
		out = append(out, Band{n, line, e.Filament})
	}
	return out
}

// NextFilament is the one that a colour change before layer n, or in front of a line inside of
// it, most likely goes on with: the filament before the last one comes back, since bands usually
// take turns; else the first other one of keys. It is "" when there is none.
func NextFilament(bands []Band, n int, line int64, keys []string) string {
	earlier := []string{}
	for i := len(bands) - 1; i >= 0; i-- {
		if b := &bands[i]; b.From < n || b.From == n && b.Line < line {
			earlier = append(earlier, b.Filament)
		}
	}
	here := ""
	switch {
	case len(earlier) > 0:
		here = earlier[0]
	case len(bands) > 0:
		here = bands[0].Filament
	}
	for _, key := range append(earlier, keys...) {
		if key != here {
			return key
		}
	}
	return ""
}
