package pickup

import (
	"fmt"
	"math"
	"strings"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/web/book"
)

// drawnWall is the layer that lies on top, from above, with the places of the touch check; of a
// loose top the face that it is glued onto, and its own first layer over that.
type drawnWall struct {
	W, H float64
	D    string
	Over string `json:",omitempty"`
	Pins [][2]float64
	MM   float64 `json:",omitempty"` // how many units of the drawing are one
}

// drawWall draws the outer walls of the layer that lies on top.
func drawWall(b *book.Book, st *pickup.Start, pins [][2]float64) (drawnWall, error) {
	n := max(st.Kept, 1)
	if st.Inside {
		n = st.Layer
	}
	f := frameOf(b.Ix.Layers[n-1].Box)
	d := drawnWall{W: f.w, H: f.h}
	var err error
	d.D, err = f.walls(b, n)
	for _, p := range pins {
		x, y := f.at(p[0], p[1])
		d.Pins = append(d.Pins, [2]float64{x, y})
	}
	return d, err
}

// drawFaces draws where a loose top is glued, to be printed as large as it is.
func drawFaces(b *book.Book, st *pickup.Start) (drawnWall, error) {
	n := max(st.Kept, 1)
	box, top := b.Ix.Layers[n-1].Box, b.Ix.Layers[st.Layer-1].Box
	box = [4]gcode.Nano{min(box[0], top[0]), min(box[1], top[1]), max(box[2], top[2]),
		max(box[3], top[3])}
	f := frameOf(box)
	d := drawnWall{W: f.w, H: f.h, MM: f.k}
	var err error
	if d.D, err = f.walls(b, n); err != nil {
		return d, err
	}
	d.Over, err = f.walls(b, st.Layer)
	return d, err
}

// frame maps places on the bed into a drawing of a box.
type frame struct{ k, x0, y1, w, h float64 }

func frameOf(box [4]gcode.Nano) frame {
	const px = 260.0
	f := frame{x0: box[0].Millimetres(), y1: box[3].Millimetres()}
	wide, deep := box[2].Millimetres()-f.x0, f.y1-box[1].Millimetres()
	f.k = px / max(wide, deep, 1)
	f.w, f.h = math.Ceil(wide*f.k)+24, math.Ceil(deep*f.k)+24
	return f
}

func (f *frame) at(x, y float64) (float64, float64) {
	return math.Round((x-f.x0)*f.k*10)/10 + 12, math.Round((f.y1-y)*f.k*10)/10 + 12
}

// walls is the path of a layer's walls.
func (f *frame) walls(b *book.Book, n int) (string, error) {
	moves, err := b.Ix.Decode(b.Src, n)
	if err != nil {
		return "", err
	}
	at := f.at
	var path strings.Builder
	for _, p := range layer.Paths(moves) {
		if p.Class != layer.Outer && p.Class != layer.Inner || path.Len() > 200_000 {
			continue
		}
		for i, m := range moves[p.From:p.To] {
			if i == 0 {
				x, y := at(m.From[0].Millimetres(), m.From[1].Millimetres())
				fmt.Fprintf(&path, "M%g %g", x, y)
			}
			if m.Arc != nil {
				for t := 1; t <= 8; t++ {
					x, y := at(m.Arc.At(float64(t) / 8))
					fmt.Fprintf(&path, "L%g %g", x, y)
				}
				continue
			}
			x, y := at(m.To[0].Millimetres(), m.To[1].Millimetres())
			fmt.Fprintf(&path, "L%g %g", x, y)
		}
	}
	return path.String(), nil
}

// InMM is how wide and high a drawing is on paper, mm, when it is as large as the part.
func (d *drawnWall) InMM() (size struct{ W, H, Deep, Bar, BarY float64 }) {
	if d.MM > 0 {
		size.Deep, size.BarY = d.H+barRoom, d.H+barRoom/2
		size.W, size.H, size.Bar = d.W/d.MM, size.Deep/d.MM, 10*d.MM
	}
	return size
}

// barRoom is the room for a line of 10 mm below a drawing.
const barRoom = 22

// drawnLoop is a closed line on a page, in mm of the bed.
type drawnLoop struct {
	D    string  `json:"d"`
	Wide float64 `json:"wide"`
}

// drawnBrim draws a brim where the layer that it goes round is shown: not moved.
func drawnBrim(p *pickup.Pickup) []drawnLoop {
	out := make([]drawnLoop, 0, len(p.Brim))
	dx, dy := p.Shift[0].Millimetres(), p.Shift[1].Millimetres()
	for _, l := range p.Brim {
		var d strings.Builder
		for i, at := range l {
			fmt.Fprintf(&d, "%c%.2f %.2f", "ML"[min(i, 1)], at[0]-dx, at[1]-dy)
		}
		out = append(out, drawnLoop{d.String() + "Z", p.BrimWide})
	}
	return out
}
