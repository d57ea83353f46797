package web

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"sort"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

// picture is a print seen from the front, as SVG paths.
type picture struct {
	W, H  float64
	Bands []pictureBand
	Edge  template.HTMLAttr // d of the outline
	Ears  []pictureEar
}

type pictureBand struct{ D, Colour string }

type pictureEar struct {
	X, Y   float64
	Colour string
}

// ghost is the colour of what was not printed.
const ghost = "ghost"

// size returns height and width of a print in mm.
func (b *book) size() (h, w float64) {
	return b.ix.Height().Millimetres(), max(float64(b.outline.Box[2]-b.outline.Box[0]), 1)
}

// silhouette draws a book at px pixels a mm. Rows that are smaller than a
// pixel are drawn as one. Of a print that failed, what lies from layer cut on is
// a ghost; 0 means that it did not fail.
func silhouette(b *book, m *marked, px float64, cut int) picture {
	const flag = 20
	h, w := b.size()
	p := picture{W: math.Ceil(w*px) + 2*flag, H: math.Ceil(max(h*px, 3))}
	x := func(mm float32) float64 { return flag + float64(mm-b.outline.Box[0])*px }
	y := func(z gcode.Nano) float64 { return p.H - z.Millimetres()*px }
	type row struct{ x0, x1, y0, y1 float64 }
	bands := m.bands(b.ix)
	if cut > 0 {
		bands = slices.DeleteFunc(bands, func(x band) bool { return x.From >= cut })
		bands = append(bands, band{From: cut, Colour: ghost})
	}
	var all []row
	next := 0
	for n := range b.ix.Layers {
		l := &b.ix.Layers[n]
		for next < len(bands) && bands[next].From <= n+1 {
			p.Bands = append(p.Bands, pictureBand{Colour: bands[next].Colour})
			all = append(all, row{y0: math.NaN()})
			next++
		}
		f := b.outline.Front[n]
		if len(f) < 2 {
			continue
		}
		r := row{x(f[0]), x(f[len(f)-1]), y(l.Z - l.Height), y(l.Z)}
		if k := len(all) - 1; k >= 0 && !math.IsNaN(all[k].y0) && all[k].y0-r.y1 < 1 && r.y1 < all[k].y1 {
			all[k].y1 = r.y1
			all[k].x0, all[k].x1 = min(all[k].x0, r.x0), max(all[k].x1, r.x1)
			continue
		}
		all = append(all, r)
	}
	var d strings.Builder
	k := -1
	var left, right []string
	flush := func() {
		if len(left) == 0 {
			return
		}
		d.Reset()
		d.WriteString("M" + strings.Join(left, "L"))
		for i := len(right) - 1; i >= 0; i-- {
			d.WriteString("L" + right[i])
		}
		d.WriteString("Z")
		p.Bands[k].D = d.String()
		left, right = nil, nil
	}
	for _, r := range all {
		if math.IsNaN(r.y0) {
			flush()
			k++
			continue
		}
		left = append(left, fmt.Sprintf("%.1f %.1fL%.1f %.1f", r.x0, r.y0, r.x0, r.y1))
		right = append(right, fmt.Sprintf("%.1f %.1fL%.1f %.1f", r.x1, r.y1, r.x1, r.y0))
	}
	flush()
	for _, e := range sortedEars(m.plan, b.ix) {
		n, _ := routine.Place(b.ix, &e)
		l := &b.ix.Layers[n-1]
		f := b.outline.Front[n-1]
		if len(f) < 2 {
			continue
		}
		c := m.plan.Filaments[e.Filament].Colour
		p.Ears = append(p.Ears, pictureEar{x(f[len(f)-1]) + 3, y(l.Z - l.Height), c})
	}
	return p
}

// sortedEars returns the ears in the order in which the printer reaches them.
func sortedEars(p *plan.Plan, ix *layer.Index) []plan.Ear {
	out := append([]plan.Ear(nil), p.Ears...)
	sort.SliceStable(out, func(i, j int) bool {
		a, la := routine.Place(ix, &out[i])
		b, lb := routine.Place(ix, &out[j])
		return a < b || a == b && la < lb
	})
	return out
}

// trimmed writes a height with one decimal when that says it all.
func trimmed(n gcode.Nano) string {
	return string(gcode.AppendMM(nil, gcode.Nano(math.Round(float64(n)/1e4))*1e4, 1))
}
