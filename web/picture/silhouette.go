package picture

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"

	"dogear/core/apply"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/say"
)

// Sizes of the shelf's pictures, px.
const (
	ShelfHigh = 280.0
	ShelfWide = 196.0
)

// next says what is to do with a print, or what was done.
func next(m *book.Marked, ix *layer.Index) string {
	n := len(m.Plan.Ears)
	if n == 0 {
		return ""
	}
	var names []string
	seen := map[string]bool{}
	for _, b := range m.Bands(ix) {
		if b.Name != "" && !seen[b.Name] {
			seen[b.Name] = true
			names = append(names, b.Name)
		}
	}
	t := "1 ear"
	if n > 1 {
		t = fmt.Sprintf("%d ears", n)
	}
	if len(names) > 1 {
		return t + ": " + strings.Join(names, ", ")
	}
	for _, e := range m.Plan.Ears {
		if e.Kind == plan.Insert && e.Note != "" {
			return t + ": " + e.Note
		}
	}
	return t
}

// View is a print seen from the front, as SVG paths, or a flat one from above.
type View struct {
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

// Drawing is what the shelf shows of a print, in mm, so that it can be drawn at any scale.
// It is made once for all that is marked in the print, and kept in the store.
type Drawing struct {
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

// DrawingOf returns the drawing of a print on the shelf, as it was kept or made anew.
func (s *Painter) DrawingOf(ctx context.Context, p *store.Stand, kit *store.Kit) (*Drawing, error) {
	seen := fmt.Sprintf("%x", sha256.Sum256([]byte(drawn+" "+kit.Version+" "+p.Marks)))[:24]
	d := &Drawing{}
	if p.Drawing != nil && p.Seen == seen && json.Unmarshal(p.Drawing, d) == nil {
		return d, nil
	}
	b, err := s.Books.Get(ctx, p.Print)
	if err != nil {
		return nil, err
	}
	m, err := book.Marks(ctx, s.Store, p.ID)
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
	if err := s.Store.SaveDrawing(ctx, p.ID, seen, j); err != nil {
		s.Log.Warn("keeping a drawing", "print", p.ID, "err", err)
	}
	return d, nil
}

// drawn changes when drawings are made differently.
const drawn = "3"

// draw makes the drawing of a book. Steps that are smaller than a pixel at the largest
// scale are one. Of a print that failed, what was not printed is a ghost.
func (s *Painter) draw(ctx context.Context, b *book.Book, m *book.Marked) (*Drawing, error) {
	high, wide := b.Ix.Height().Millimetres(), max(float64(b.Outline.Box[2]-b.Outline.Box[0]), 1)
	d := &Drawing{High: high, Wide: wide, Next: next(m, b.Ix)}
	cut, err := s.failedAt(ctx, b)
	if err != nil {
		return nil, err
	}
	bands := m.Bands(b.Ix)
	if cut > 0 {
		bands = slices.DeleteFunc(bands, func(x book.Band) bool { return x.From >= cut })
		bands = append(bands, book.Band{Band: apply.Band{From: cut}, Colour: ghost})
		l := &b.Ix.Layers[cut-1]
		d.Failed = fmt.Sprintf("failed at %s mm: pick it up", say.Trimmed(l.Z-l.Height))
	}
	if d.Failed == "" {
		if err := s.fromAbove(ctx, b, m, d); err != nil {
			return nil, err
		}
	}
	pixel := 1 / min(ShelfHigh/max(high, 0.01), ShelfWide/wide)
	left := float64(b.Outline.Box[0])
	next := 0
	for n := range b.Ix.Layers {
		l := &b.Ix.Layers[n]
		for next < len(bands) && bands[next].From <= n+1 {
			d.Bands = append(d.Bands, drawnBand{Colour: bands[next].Colour})
			next++
		}
		f := b.Outline.Front[n]
		if len(f) < 2 || len(d.Bands) == 0 {
			continue
		}
		d.Bands[len(d.Bands)-1].add([4]float32{float32(float64(f[0]) - left),
			float32(float64(f[len(f)-1]) - left), float32((l.Z - l.Height).Millimetres()),
			float32(l.Z.Millimetres())}, float32(pixel))
	}
	for _, e := range apply.Ears(m.Plan, b.Ix) {
		n, _ := apply.Place(b.Ix, &e)
		l := &b.Ix.Layers[n-1]
		if f := b.Outline.Front[n-1]; len(f) >= 2 {
			d.Ears = append(d.Ears, drawnEar{float64(f[len(f)-1]) - left, (l.Z - l.Height).Millimetres(),
				m.Plan.Filaments[e.Filament].Colour})
		}
	}
	return d, nil
}

// A print that is lower than this part of its width or depth is known better from above.
const flat = 0.12

// maxAbove is how long a file may be whose layers are looked at for the shelf, bytes.
const maxAbove = 20 << 20

// fromAbove draws a flat print as one would see it lying on a table.
func (s *Painter) fromAbove(ctx context.Context, b *book.Book, m *book.Marked, d *Drawing) error {
	d.Deep = float64(b.Outline.Box[3] - b.Outline.Box[1])
	if d.High >= flat*max(d.Wide, d.Deep) || b.Ix.Bytes > maxAbove {
		return nil
	}
	cv, err := s.Model(ctx, b, m, len(b.Ix.Layers), 0)
	if err == nil {
		d.Above, err = cv.png("above", m.Bands(b.Ix), 2*ShelfWide)
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

// Picture draws at px pixels a mm.
func (d *Drawing) Picture(px float64) View {
	const flag = 20
	p := View{W: math.Ceil(d.Wide*px) + 2*flag, H: math.Ceil(max(d.High*px, 3))}
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
func (s *Painter) failedAt(ctx context.Context, b *book.Book) (int, error) {
	all, err := s.Store.Pickups(ctx, b.Print.ID)
	if err != nil || len(all) == 0 {
		return 0, err
	}
	d := all[0].Doc
	switch {
	case d.Layer > 0:
		return d.Layer, nil
	case d.Choice.Line > 0:
		return max(b.Ix.At(d.Choice.Line), 1), nil
	case d.Choice.Layer > 0:
		return min(d.Choice.Layer+1, len(b.Ix.Layers)), nil
	}
	belief, err := pickup.Weigh(b.Src, b.Ix, pickup.Felt(d.Evidence, d.Choice.Feeler))
	if err != nil || len(d.Evidence) == 0 || belief.Best == 0 {
		return 0, nil // what it says does not fit this print; its page tells
	}
	return min(belief.Best+1, len(b.Ix.Layers)), nil
}
