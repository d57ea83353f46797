package demo

import "math"

type pt struct{ x, y float64 }

// ring is a closed polygon; outer rings run counter-clockwise, holes clockwise.
type ring []pt

// island is one piece of a section: an outer ring and its holes.
type island struct {
	outer ring
	holes []ring
	solid bool // fill without gaps
}

func circle(cx, cy, r float64, n int) ring {
	c := make(ring, n)
	for i := range c {
		s, k := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		c[i] = pt{cx + r*k, cy + r*s}
	}
	return c
}

// hexagon has the given width across flats; two flats lie along X.
func hexagon(cx, cy, across float64) ring {
	r := across / math.Sqrt(3)
	c := make(ring, 6)
	for i := range c {
		s, k := math.Sincos(math.Pi / 3 * float64(i))
		c[i] = pt{cx + r*k, cy + r*s}
	}
	return c
}

func rect(x0, y0, x1, y1 float64) ring {
	return ring{{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}}
}

func (r ring) reversed() ring {
	o := make(ring, len(r))
	for i, p := range r {
		o[len(r)-1-i] = p
	}
	return o
}

// inset moves every side of the ring to its left by d (inwards for an outer
// ring) and joins the sides again. Good for rings whose features are wider
// than 2d, which is all this package draws.
func (r ring) inset(d float64) ring {
	n := len(r)
	o := make(ring, 0, n)
	for i := range r {
		a, b, c := r[(i+n-1)%n], r[i], r[(i+1)%n]
		ux, uy := unit(a, b)
		vx, vy := unit(b, c)
		// The corner moves along the bisector of the two normals.
		nx, ny := -uy-vy, ux+vx
		k := 1 + ux*vx + uy*vy
		if k < 0.05 {
			continue
		}
		o = append(o, pt{b.x + d*nx/k, b.y + d*ny/k})
	}
	return o
}

func unit(a, b pt) (float64, float64) {
	dx, dy := b.x-a.x, b.y-a.y
	l := math.Hypot(dx, dy)
	if l == 0 {
		return 0, 0
	}
	return dx / l, dy / l
}

func (r ring) area() float64 {
	s := 0.0
	for i, p := range r {
		q := r[(i+1)%len(r)]
		s += p.x*q.y - q.x*p.y
	}
	return s / 2
}

// stripes fills the even-odd inside of rings with parallel lines at an angle.
func stripes(rings []ring, angle, gap float64) [][2]pt {
	sin, cos := math.Sincos(angle)
	turn := func(p pt) pt { return pt{p.x*cos + p.y*sin, -p.x*sin + p.y*cos} }
	back := func(p pt) pt { return pt{p.x*cos - p.y*sin, p.x*sin + p.y*cos} }
	lo, hi := math.Inf(1), math.Inf(-1)
	var rot []ring
	for _, r := range rings {
		t := make(ring, len(r))
		for i, p := range r {
			t[i] = turn(p)
			lo, hi = min(lo, t[i].y), max(hi, t[i].y)
		}
		rot = append(rot, t)
	}
	var out [][2]pt
	flip := false
	for k := math.Ceil(lo/gap + 1e-9); k*gap < hi; k++ {
		y := k*gap + 1e-7
		var xs []float64
		for _, r := range rot {
			for i, p := range r {
				q := r[(i+1)%len(r)]
				if (p.y > y) != (q.y > y) {
					xs = append(xs, p.x+(y-p.y)/(q.y-p.y)*(q.x-p.x))
				}
			}
		}
		sortFloats(xs)
		var row [][2]pt
		for i := 0; i+1 < len(xs); i += 2 {
			if xs[i+1]-xs[i] > 0.3 {
				row = append(row, [2]pt{back(pt{xs[i], y}), back(pt{xs[i+1], y})})
			}
		}
		if flip {
			for i := len(row) - 1; i >= 0; i-- {
				out = append(out, [2]pt{row[i][1], row[i][0]})
			}
		} else {
			out = append(out, row...)
		}
		flip = !flip
	}
	return out
}

func sortFloats(x []float64) {
	for i := 1; i < len(x); i++ {
		for j := i; j > 0 && x[j] < x[j-1]; j-- {
			x[j], x[j-1] = x[j-1], x[j]
		}
	}
}

// glyphs are our own letters on a grid of 5 by 7 squares, top row first.
var glyphs = map[rune][7]string{
	'0': {"#####", "#...#", "#...#", "#...#", "#...#", "#...#", "#####"},
	'1': {"..#..", ".##..", "..#..", "..#..", "..#..", "..#..", ".###."},
	'2': {"#####", "....#", "....#", "#####", "#....", "#....", "#####"},
	'3': {"#####", "....#", "....#", ".####", "....#", "....#", "#####"},
	'4': {"#...#", "#...#", "#...#", "#####", "....#", "....#", "....#"},
	'I': {"###", ".#.", ".#.", ".#.", ".#.", ".#.", "###"},
	'L': {"#....", "#....", "#....", "#....", "#....", "#....", "#####"},
	'O': {"#####", "#...#", "#...#", "#...#", "#...#", "#...#", "#####"},
	'P': {"#####", "#...#", "#...#", "#####", "#....", "#....", "#...."},
	'T': {"#####", "..#..", "..#..", "..#..", "..#..", "..#..", "..#.."},
}

// lettering traces the outlines of a text; cell is the size of a grid square.
func lettering(s string, x, y, cell float64) []island {
	var out []island
	for _, g := range s {
		rows, ok := glyphs[g]
		if !ok {
			x += 3 * cell
			continue
		}
		out = append(out, trace(rows, x, y, cell)...)
		x += float64(len(rows[0])+1) * cell
	}
	return out
}

// trace walks along the border of a glyph's squares.
func trace(rows [7]string, x, y, cell float64) []island {
	w, h := len(rows[0]), len(rows)
	on := func(i, j int) bool { return i >= 0 && j >= 0 && i < w && j < h && rows[h-1-j][i] == '#' }
	type edge struct{ i, j, di, dj int }
	todo := map[edge]bool{}
	var order []edge
	add := func(e edge) { todo[e] = true; order = append(order, e) }
	for j := range h {
		for i := range w {
			if !on(i, j) {
				continue
			}
			if !on(i, j-1) {
				add(edge{i, j, 1, 0})
			}
			if !on(i+1, j) {
				add(edge{i + 1, j, 0, 1})
			}
			if !on(i, j+1) {
				add(edge{i + 1, j + 1, -1, 0})
			}
			if !on(i-1, j) {
				add(edge{i, j + 1, 0, -1})
			}
		}
	}
	var outers, holes []ring
	for _, e := range order {
		if !todo[e] {
			continue
		}
		var r ring
		for todo[e] {
			delete(todo, e)
			next := edge{e.i + e.di, e.j + e.dj, 0, 0}
			// Left first, so that squares meeting in a corner stay apart.
			for _, d := range [][2]int{{-e.dj, e.di}, {e.di, e.dj}, {e.dj, -e.di}} {
				next.di, next.dj = d[0], d[1]
				if todo[next] {
					break
				}
			}
			if next.di != e.di || next.dj != e.dj {
				r = append(r, pt{x + float64(next.i)*cell, y + float64(next.j)*cell})
			}
			e = next
		}
		if r.area() > 0 {
			outers = append(outers, r)
		} else {
			holes = append(holes, r)
		}
	}
	var out []island
	for _, o := range outers {
		out = append(out, island{outer: o, solid: true})
	}
	if len(out) > 0 {
		out[0].holes = holes // a glyph here is one piece
	}
	return out
}

// turned turns a ring by degrees round a point.
func (r ring) turned(degrees, cx, cy float64) ring {
	s, c := math.Sincos(degrees * math.Pi / 180)
	o := make(ring, len(r))
	for i, p := range r {
		x, y := p.x-cx, p.y-cy
		o[i] = pt{cx + x*c - y*s, cy + x*s + y*c}
	}
	return o
}

// slot is a rectangle with round ends, along X.
func slot(cx, cy, length, wide float64) ring {
	var o ring
	r := wide / 2
	for k := range 32 {
		t := -math.Pi/2 + math.Pi*float64(k)/15.5
		dx := length/2 - r
		if k >= 16 {
			t, dx = math.Pi/2+math.Pi*float64(k-16)/15.5, -dx
		}
		s, c := math.Sincos(t)
		o = append(o, pt{cx + dx + r*c, cy + r*s})
	}
	return o
}
