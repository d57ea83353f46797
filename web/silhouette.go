package web

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"slices"
	"sort"
	"strconv"

	"dogear/core/apply"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/core/routine"
	"dogear/store"
)

// picture is a print seen from the front, as SVG paths, or a flat one from above.
type picture struct {
	W, H  float64
	Bands []pictureBand
	Ears  []pictureEar
	Above template.URL // of a flat print
	At    [4]float64   // where that lies: x, y, width, height
}

type pictureBand struct{ D, Colour string }

type pictureEar struct {
	X, Y   float64
	Colour string
}

// ghost is the colour of what was not printed.
const ghost = "ghost"

// drawing is what the shelf shows of a print, in mm, so that it can be drawn at any scale.
// It is made once for all that is marked in the print, and kept in the store.
type drawing struct {
	High, Wide float64
	Deep       float64
	Above      []byte `json:",omitempty"` // PNG of a flat print seen from above
	Bands      []drawnBand
	Ears       []drawnEar
	Next       string // what is to do with it, or what was done
	Failed     string // where it failed
}

// drawnBand is what is laid in one filament: for each step of height left, right, bottom
// and top.
type drawnBand struct {
	Colour string
	Rows   [][4]float32
}

type drawnEar struct {
	X, Z   float64
	Colour string
}

// drawingOf returns the drawing of a print on the shelf, as it was kept or made anew.
func (s *Server) drawingOf(ctx context.Context, p *store.Stand, kit *store.Kit) (*drawing, error) {
	seen := fmt.Sprintf("%x", sha256.Sum256([]byte(drawn+" "+kit.Version+" "+p.Marks)))[:24]
	d := &drawing{}
	if p.Drawing != nil && p.Seen == seen && json.Unmarshal(p.Drawing, d) == nil {
		return d, nil
	}
	b, err := s.opened.get(ctx, p.Print)
	if err != nil {
		return nil, err
	}
	m, err := s.marks(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	if d, err = s.draw(ctx, b, m); err != nil {
		return nil, err
	}
	j, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	// Where it cannot be kept it is made again the next time.
	if err := s.cfg.Store.SaveDrawing(ctx, p.ID, seen, j); err != nil {
		s.log.Warn("keeping a drawing", "print", p.ID, "err", err)
	}
	return d, nil
}

// drawn changes when drawings are made differently.
const drawn = "3"

// draw makes the drawing of a book. Steps that are smaller than a pixel at the largest
// scale are one. Of a print that failed, what was not printed is a ghost.
func (s *Server) draw(ctx context.Context, b *book, m *marked) (*drawing, error) {
	high, wide := b.ix.Height().Millimetres(), max(float64(b.outline.Box[2]-b.outline.Box[0]), 1)
	d := &drawing{High: high, Wide: wide, Next: m.next(b.ix)}
	cut, err := s.failedAt(ctx, b)
	if err != nil {
		return nil, err
	}
	bands := m.bands(b.ix)
	if cut > 0 {
		bands = slices.DeleteFunc(bands, func(x band) bool { return x.From >= cut })
		bands = append(bands, band{From: cut, Colour: ghost})
		l := &b.ix.Layers[cut-1]
		d.Failed = fmt.Sprintf("failed at %s mm: pick it up", trimmed(l.Z-l.Height))
	}
	if d.Failed == "" {
		if err := s.fromAbove(ctx, b, m, d); err != nil {
			return nil, err
		}
	}
	pixel := 1 / min(shelfHigh/max(high, 0.01), shelfWide/wide)
	left := float64(b.outline.Box[0])
	next := 0
	for n := range b.ix.Layers {
		l := &b.ix.Layers[n]
		for next < len(bands) && bands[next].From <= n+1 {
			d.Bands = append(d.Bands, drawnBand{Colour: bands[next].Colour})
			next++
		}
		f := b.outline.Front[n]
		if len(f) < 2 || len(d.Bands) == 0 {
			continue
		}
		d.Bands[len(d.Bands)-1].add([4]float32{float32(float64(f[0]) - left),
			float32(float64(f[len(f)-1]) - left), float32((l.Z - l.Height).Millimetres()),
			float32(l.Z.Millimetres())}, float32(pixel))
	}
	for _, e := range sortedEars(m.plan, b.ix) {
		n, _ := apply.Place(b.ix, &e)
		l := &b.ix.Layers[n-1]
		if f := b.outline.Front[n-1]; len(f) >= 2 {
			d.Ears = append(d.Ears, drawnEar{float64(f[len(f)-1]) - left, (l.Z - l.Height).Millimetres(),
				m.plan.Filaments[e.Filament].Colour})
		}
	}
	return d, nil
}

// A print that is lower than this part of its width or depth is known better from above.
const flat = 0.12

// mostAbove is how long a file may be whose layers are looked at for the shelf, bytes.
const mostAbove = 20 << 20

// fromAbove draws a flat print as one would see it lying on a table.
func (s *Server) fromAbove(ctx context.Context, b *book, m *marked, d *drawing) error {
	d.Deep = float64(b.outline.Box[3] - b.outline.Box[1])
	if d.High >= flat*max(d.Wide, d.Deep) || b.ix.Bytes > mostAbove {
		return nil
	}
	cv, err := s.model(ctx, b, m, len(b.ix.Layers), 0)
	if err == nil {
		d.Above, err = cv.png("above", m.bands(b.ix), 2*shelfWide)
	}
	return err
}

// add puts a step on top, or widens the last one when it is not a pixel high yet.
func (d *drawnBand) add(r [4]float32, pixel float32) {
	if k := len(d.Rows) - 1; k >= 0 {
		t := &d.Rows[k]
		if t[3]-t[2] < pixel && r[3] > t[2] || r[0] == t[0] && r[1] == t[1] && r[2] <= t[3] {
			t[0], t[1], t[2], t[3] = min(t[0], r[0]), max(t[1], r[1]), min(t[2], r[2]), max(t[3], r[3])
			return
		}
	}
	d.Rows = append(d.Rows, r)
}

// picture draws at px pixels a mm.
func (d *drawing) picture(px float64) picture {
	const flag = 20
	p := picture{W: math.Ceil(d.Wide*px) + 2*flag, H: math.Ceil(max(d.High*px, 3))}
	if d.Above != nil {
		p.H = math.Ceil(d.Deep*px) + 2
		p.Above = template.URL(plan.PicturePrefix + base64.StdEncoding.EncodeToString(d.Above))
		p.At = [4]float64{flag, 0, d.Wide * px, d.Deep * px}
		for i, e := range d.Ears {
			y := p.H - 12*float64(i)
			p.Ears = append(p.Ears, pictureEar{flag + d.Wide*px + 3, y, e.Colour})
		}
		return p
	}
	x := func(mm float32) float64 { return flag + float64(mm)*px }
	y := func(mm float32) float64 { return p.H - float64(mm)*px }
	for _, b := range d.Bands {
		var rows drawnBand
		for _, r := range b.Rows {
			rows.add(r, float32(1/px))
		}
		path := []byte{}
		to := func(sign byte, v float64) {
			path = strconv.AppendFloat(append(path, sign), math.Round(v*10)/10, 'f', -1, 64)
		}
		for i, r := range rows.Rows { // up on the left, down on the right
			if i == 0 {
				to('M', x(r[0]))
				to(' ', y(r[2]))
			} else {
				to('H', x(r[0]))
			}
			to('V', y(r[3]))
		}
		for i := len(rows.Rows) - 1; i >= 0; i-- {
			to('H', x(rows.Rows[i][1]))
			to('V', y(rows.Rows[i][2]))
		}
		if len(path) > 0 {
			path = append(path, 'Z')
		}
		p.Bands = append(p.Bands, pictureBand{string(path), b.Colour})
	}
	for _, e := range d.Ears {
		p.Ears = append(p.Ears, pictureEar{math.Round(10*(flag+e.X*px+3)) / 10,
			math.Round(10*(p.H-e.Z*px)) / 10,
			e.Colour})
	}
	return p
}

// failedAt returns the first layer of a print that was not printed, as far as
// its latest pick-up knows; 0 when it did not fail.
func (s *Server) failedAt(ctx context.Context, b *book) (int, error) {
	all, err := s.cfg.Store.Pickups(ctx, b.print.ID)
	if err != nil || len(all) == 0 {
		return 0, err
	}
	d := all[0].Doc
	switch {
	case d.Layer > 0:
		return d.Layer, nil
	case d.Choice.Line > 0:
		return max(b.ix.At(d.Choice.Line), 1), nil
	case d.Choice.Layer > 0:
		return min(d.Choice.Layer+1, len(b.ix.Layers)), nil
	}
	belief, err := pickup.Weigh(b.src, b.ix, pickup.Felt(d.Evidence, d.Choice.Feeler))
	if err != nil || len(d.Evidence) == 0 || belief.Best == 0 {
		return 0, nil // what it says does not fit this print; its page tells
	}
	return min(belief.Best+1, len(b.ix.Layers)), nil
}

// sortedEars returns the ears in the order in which the printer reaches them.
func sortedEars(p *plan.Plan, ix *layer.Index) []plan.Ear {
	out := append([]plan.Ear(nil), p.Ears...)
	sort.SliceStable(out, func(i, j int) bool {
		a, la := apply.Place(ix, &out[i])
		b, lb := apply.Place(ix, &out[j])
		if a != b || la != lb {
			return a < b || a == b && la < lb
		}
		return routine.Rank(out[i].Kind) < routine.Rank(out[j].Kind)
	})
	return out
}

// trimmed writes a height with one decimal when that says it all.
func trimmed(n gcode.Nano) string {
	return string(gcode.AppendMM(nil, gcode.Nano(math.Round(float64(n)/1e4))*1e4, 1))
}
