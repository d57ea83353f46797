// Package thread has a layer in the order in which it is laid: cut into straight pieces, as it is
// drawn, with the paths that they belong to.
package thread

import (
	"math"

	"dogear/core/layer"
	"dogear/core/raster"
)

// ArcPrecision is how far a piece may lie from the arc that it is cut from, mm.
const ArcPrecision = 0.01

// Thread is one layer. Of each piece there is one of Lines, Classes and Widths, and four of XY.
type Thread struct {
	XY      []float32 // x0, y0, x1, y1, mm
	Lines   []uint32
	Classes []byte // layer.Class
	Widths  []byte // 1/50 mm, 5 mm at the most; 0 for travel
	Paths   []Path // those that lay something
}

// Path is one laid path. Seconds count from the fold of the layer; they are zero if nobody has
// asked for them.
type Path struct {
	From, To    int // pieces From … To-1
	Class       layer.Class
	Line        int64 // a stop in front of this path stands in front of this line
	First, Last int64 // its own lines
	Begin, End  float64
	Length      float64 // mm
	Feed        float64 // mm/s
}

// Of cuts layer n, counted from 1.
func Of(src layer.Source, ix *layer.Index, n int) (*Thread, error) {
	moves, err := ix.Decode(src, n)
	if err != nil {
		return nil, err
	}
	return cut(ix, n, moves, nil), nil
}

// Timed cuts layer n and says when each of its paths is laid.
func Timed(src layer.Source, ix *layer.Index, n int) (*Thread, error) {
	moves, err := ix.Decode(src, n)
	if err != nil {
		return nil, err
	}
	times, err := ix.Times(src, n, moves)
	if err != nil {
		return nil, err
	}
	return cut(ix, n, moves, times), nil
}

// cut cuts the moves of a layer; times are when they begin, or nil.
func cut(ix *layer.Index, n int, moves []layer.Move, times []float64) *Thread {
	l := &ix.Layers[n-1]
	t := &Thread{}
	skirt := raster.SkirtOf(ix, n, moves)
	way := int64(0)
	for _, p := range layer.Paths(moves) {
		if skirt(&p) {
			p.Class = layer.Skirt
		}
		from := len(t.Classes)
		for i := p.From; i < p.To; i++ {
			if m := &moves[i]; m.Line > ix.Prime.Last {
				t.add(m, p.Class, l)
			}
		}
		if p.Class == layer.Travel {
			// A stop before the next path stands before the way to it, behind the
			// retraction that belongs to the path before.
			for i := p.From; way == 0 && i < p.To; i++ {
				if m := &moves[i]; m.From != m.To {
					way = m.Line
				}
			}
			continue
		}
		if from == len(t.Classes) { // the prime line
			continue
		}
		path := Path{From: from, To: len(t.Classes), Class: p.Class, Line: moves[p.From].Line,
			First: moves[p.From].Line, Last: moves[p.To-1].Line, Length: p.Length,
			Feed: moves[p.From].Feed.Millimetres() / 60}
		if way > 0 {
			path.Line = way
		}
		way = 0
		if times != nil {
			end := l.Begin + l.Seconds
			if p.To < len(times) {
				end = times[p.To]
			}
			path.Begin, path.End = times[p.From]-l.Begin, end-l.Begin
		}
		t.Paths = append(t.Paths, path)
	}
	return t
}

// add cuts one move.
func (t *Thread) add(m *layer.Move, class layer.Class, l *layer.Layer) {
	w := byte(0)
	if class != layer.Travel {
		w = byte(math.Round(min(m.Width(l.Height, l.Diameter), 5) * 50))
	} else if m.From[0] == m.To[0] && m.From[1] == m.To[1] {
		return
	}
	x, y := m.From[0].Millimetres(), m.From[1].Millimetres()
	to := func(x1, y1 float64) {
		t.XY = append(t.XY, float32(x), float32(y), float32(x1), float32(y1))
		t.Lines = append(t.Lines, uint32(m.Line))
		t.Classes, t.Widths = append(t.Classes, byte(class)), append(t.Widths, w)
		x, y = x1, y1
	}
	if m.Arc != nil {
		k := m.Arc.Pieces(ArcPrecision)
		for i := 1; i < k; i++ {
			to(m.Arc.At(float64(i) / float64(k)))
		}
	}
	to(m.To[0].Millimetres(), m.To[1].Millimetres())
}

// OverNothing returns which of the paths of layer n lie, for the most part, over nothing: their
// places in Paths.
func OverNothing(src layer.Source, ix *layer.Index, n int) ([]int, error) {
	here, below, err := raster.Sections(src, ix, n)
	if err != nil || below == nil {
		return nil, err
	}
	t, err := Of(src, ix, n)
	if err != nil {
		return nil, err
	}
	air := here.NewHere(below)
	var out []int
	for k, p := range t.Paths {
		if air.Share(t.XY[4*p.From:4*p.To]) > 0.5 {
			out = append(out, k)
		}
	}
	return out, nil
}
