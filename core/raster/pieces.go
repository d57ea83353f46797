package raster

import "math/bits"

// run is a stretch of cells in a row.
type run struct{ y, x0, x1 int }

// Piece is a connected part of a grid.
type Piece struct {
	Cells          int
	X0, Y0, X1, Y1 int // its box in cells, both ends included
	Edge           bool
	runs           []run
}

// Grid returns the piece as a grid of its own.
func (p *Piece) Grid(f Frame) *Grid {
	g := NewGrid(f)
	for _, r := range p.runs {
		g.span(r.y, r.x0, r.x1)
	}
	return g
}

// Pieces returns the connected parts (by sides) of the set, and whether each
// touches the border of the grid.
func (g *Grid) Pieces() []Piece { return g.regions().pieces }

// regions are the connected parts of a set, to be found by their cells.
type regions struct {
	Frame
	pieces []Piece
	rows   []int32 // by row: the first of its runs; one more at the end
	runs   []run   // row by row, from the left to the right
	piece  []int32 // by run
}

// regions returns the connected parts of the set.
func (g *Grid) regions() *regions {
	n := g.stretches()
	rows := make([]int32, 0, g.H+1)
	runs, parent := make([]run, 0, n), make([]int, 0, n)
	find := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	lastStart, lastEnd := 0, 0
	for y := range g.H {
		start := len(runs)
		rows = append(rows, int32(start))
		for x := 0; x < g.W; {
			x = g.next(y, x, true)
			if x >= g.W {
				break
			}
			end := g.next(y, x, false)
			runs = append(runs, run{y, x, end - 1})
			parent = append(parent, len(runs)-1)
			x = end
		}
		for i, j := start, lastStart; i < len(runs) && j < lastEnd; {
			a, b := runs[i], runs[j]
			if a.x0 <= b.x1 && b.x0 <= a.x1 {
				parent[find(i)] = find(j)
			}
			if a.x1 < b.x1 {
				i++
			} else {
				j++
			}
		}
		lastStart, lastEnd = start, len(runs)
	}
	// The pieces in the order of their first runs, each with room for all of its runs.
	index := make([]int32, len(runs)) // by root: the piece, from 1
	piece := make([]int32, len(runs))
	var out []Piece
	var count []int
	for i := range runs {
		root := find(i)
		if index[root] == 0 {
			r := &runs[i]
			out = append(out, Piece{X0: r.x0, Y0: r.y, X1: r.x1, Y1: r.y})
			count = append(count, 0)
			index[root] = int32(len(out))
		}
		piece[i] = index[root] - 1
		count[piece[i]]++
	}
	room := make([]run, len(runs))
	for k, n := range count {
		out[k].runs, room = room[:0:n], room[n:]
	}
	for i := range runs {
		r, p := &runs[i], &out[piece[i]]
		p.Cells += r.x1 - r.x0 + 1
		p.X0, p.X1, p.Y1 = min(p.X0, r.x0), max(p.X1, r.x1), r.y
		p.Edge = p.Edge || r.x0 == 0 || r.x1 == g.W-1 || r.y == 0 || r.y == g.H-1
		p.runs = append(p.runs, *r)
	}
	return &regions{g.Frame, out, append(rows, int32(len(runs))), runs, piece}
}

// at returns in which part a cell lies, onWall for none.
func (r *regions) at(x, y int) int {
	if y < 0 || y >= r.H {
		return onWall
	}
	lo, hi := int(r.rows[y]), int(r.rows[y+1])
	for lo < hi {
		if mid := (lo + hi) / 2; r.runs[mid].x1 < x {
			lo = mid + 1
		} else {
			hi = mid
		}
	}
	if lo == int(r.rows[y+1]) || r.runs[lo].x0 > x {
		return onWall
	}
	return int(r.piece[lo])
}

// stretches counts the stretches of cells in all rows.
func (g *Grid) stretches() int {
	n := 0
	for y := range g.H {
		last := uint64(0) // the cell before, in the lowest bit
		for _, v := range g.rows[y*g.stride : (y+1)*g.stride] {
			n += bits.OnesCount64(v &^ (v<<1 | last))
			last = v >> 63
		}
	}
	return n
}
