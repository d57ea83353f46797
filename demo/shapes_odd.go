package demo

import "math"

// Fender is a round fender for a quay, printed as one rising wall.
func Fender() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 30, Walls: 2, Gap: 2, Brim: 1, Spiral: true,
		Section: func(n int, z float64) []island {
			return []island{{outer: circle(mid, mid, profile(z, 0, 9, 3, 12, 6, 10), 48), solid: true}}
		}}
}

// Posts are three mooring posts, each printed whole before the next.
func Posts() Solid {
	return Solid{Layer: 0.25, First: 0.25, Layers: 16, Walls: 2, Gap: 2, Round: true,
		Copies: [][2]float64{{-40, 0}, {0, 0}, {40, 0}},
		Section: func(n int, z float64) []island {
			return []island{{outer: circle(mid, mid, profile(z, 0, 7, 1, 7, 1.01, 5, 4, 5), 36),
				solid: n < 4 || n > 13}}
		}}
}

// Dome is a lamp's roof, sliced finer where it is flatter.
func Dome() Solid {
	return Solid{Layers: 32, Walls: 2, Gap: 2, Round: true,
		Heights: func(n int) float64 {
			switch {
			case n == 1:
				return 0.3
			case n < 12:
				return 0.25
			case n < 20:
				return 0.15
			}
			return 0.08
		},
		Section: func(n int, z float64) []island {
			return []island{{outer: circle(mid, mid, profile(z, 0, 14, 2.8, 12, 4, 8, 5, 3), 48),
				solid: n < 4 || n > 11}}
		}}
}

// Arch is a gate whose beam rests on supports laid at heights in between.
func Arch() Solid {
	return Solid{Layer: 0.3, First: 0.3, Layers: 24, Walls: 2, Gap: 2.4,
		Section: func(n int, z float64) []island {
			if z > 5 {
				return []island{{outer: rect(mid-18, mid-5, mid+18, mid+5), solid: true}}
			}
			return []island{{outer: rect(mid-18, mid-5, mid-9, mid+5)},
				{outer: rect(mid+9, mid-5, mid+18, mid+5)}}
		},
		Support: func(n int, z float64) []island {
			if n < 4 || z > 5 || n%3 != 0 {
				return nil
			}
			return []island{{outer: rect(mid-6, mid-4, mid-2, mid+4)},
				{outer: rect(mid+2, mid-4, mid+6, mid+4)}}
		}}
}

// Hollows is a block with closed hollows of every kind, for what finds them.
func Hollows(h float64) Solid {
	return Solid{Layer: h, First: h, Layers: int(math.Round(14 / h)), Walls: 2, Gap: 2.4, Brim: 1,
		Section: func(n int, z float64) []island {
			isl := island{outer: rect(mid-32, mid-14, mid+32, mid+14), solid: n <= 3 || z > 13}
			m := z - h/2
			if m > 2 && m < 12 {
				for _, b := range []struct{ x, y, r, c float64 }{{mid - 22, mid, 4.2, 7},
					{mid - 8, mid + 5, 3.1, 5.6}} {
					if r2 := b.r*b.r - (m-b.c)*(m-b.c); r2 > 0.5 {
						isl.holes = append(isl.holes, circle(b.x, b.y, math.Sqrt(r2), 40).reversed())
					}
				}
			}
			if m > 3 && m < 9.6 {
				isl.holes = append(isl.holes, hexagon(mid+6, mid, 10.4).reversed())
			}
			if m > 4 && m < 8 {
				isl.holes = append(isl.holes, circle(mid+18, mid+6, 2.6, 32).reversed(),
					rect(mid+15, mid-8, mid+25, mid-3).reversed())
			}
			return []island{isl}
		}}
}

// Bricks is a quay stone whose inner walls lie half a layer higher than the rest.
func Bricks() Solid {
	return Solid{Layer: 0.3, First: 0.3, Layers: 14, Walls: 2, Gap: 3, Raised: true,
		Section: func(n int, z float64) []island {
			return []island{{outer: rect(mid-12, mid-8, mid+12, mid+8)}}
		}}
}

// Ballast is a block whose fill lies half a layer lower than its walls.
func Ballast() Solid {
	return Solid{Layer: 0.28, First: 0.28, Layers: 14, Walls: 2, Gap: 3, Sunk: true,
		Section: func(n int, z float64) []island {
			return []island{{outer: circle(mid, mid, profile(z, 0, 9, 2, 9, 4, 7), 40)}}
		}}
}

// Gasket is a flat seal laid beside a post, in strokes, before it.
func Gasket() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 12, Walls: 1, Gap: 0.9,
		Section: func(n int, z float64) []island {
			post := island{outer: rect(mid-6, mid-6, mid+6, mid+6)}
			if n > 1 {
				return []island{post}
			}
			return []island{{outer: circle(mid-40, mid, 11, 40),
				holes: []ring{circle(mid-40, mid, 7, 40).reversed()}}, post}
		}}
}

// Cleats are two round cleats, one after another, whose boxes overlap on a diagonal.
func Cleats() Solid {
	return Solid{Layer: 0.25, First: 0.25, Layers: 10, Walls: 2, Gap: 2,
		Copies: [][2]float64{{-8, -8}, {8, 8}},
		Section: func(n int, z float64) []island {
			return []island{{outer: circle(mid, mid, 9, 48), solid: n < 3}}
		}}
}

// Polished is a plate whose solid layers are ironed.
func Polished() Solid {
	return Solid{Layer: 0.2, First: 0.25, Layers: 10, Walls: 2, Gap: 2, Ironed: 0.03,
		Section: func(n int, z float64) []island {
			return []island{{outer: rect(mid-12, mid-6, mid+12, mid+6), solid: n < 3 || n > 8}}
		}}
}

// Wiped is a post with a tower beside it that stays lower.
func Wiped() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 16, Walls: 2, Gap: 2, Tower: true,
		Section: func(n int, z float64) []island {
			return []island{{outer: circle(mid, mid, 8, 36), solid: n > 14}}
		}}
}

// Sockets is a block with pockets of exact sizes, all turned by the same angle, for what
// measures them: hexagons of 5.8, 7.3 and 8.3 mm across, a block of 12 by 6, a square of
// 10, a hole of 3 and one of 8, and a slot of 14 by 5.
func Sockets(degrees float64) Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 24, Walls: 2, Gap: 2.4, Brim: 1,
		Section: func(n int, z float64) []island {
			isl := island{outer: rect(mid-44, mid-16, mid+44, mid+16), solid: n <= 3 || n > 20}
			if n > 3 && n <= 18 {
				for _, p := range []struct {
					r    ring
					x, y float64
				}{
					{hexagon(mid-38, mid-8, 5.8), mid - 38, mid - 8},
					{hexagon(mid-24, mid-8, 7.3), mid - 24, mid - 8},
					{hexagon(mid-9, mid-8, 8.3), mid - 9, mid - 8},
					{rect(mid+4, mid-11, mid+16, mid-5), mid + 10, mid - 8},
					{rect(mid+25, mid-13, mid+35, mid-3), mid + 30, mid - 8},
					{circle(mid-36, mid+8, 1.5, 40), mid - 36, mid + 8},
					{circle(mid-22, mid+8, 4, 60), mid - 22, mid + 8},
					{slot(mid+5, mid+7, 14, 5), mid + 5, mid + 7},
				} {
					isl.holes = append(isl.holes, p.r.turned(degrees, p.x, p.y).reversed())
				}
			}
			return []island{isl}
		}}
}

// Counterbore is a block with two nut pockets 13.2 mm across and 3 mm deep: a hole of a
// screw goes on below the one, above the other.
func Counterbore() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 40, Walls: 2, Gap: 2.4, Brim: 1,
		Section: func(n int, z float64) []island {
			isl := island{outer: rect(mid-24, mid-12, mid+24, mid+12), solid: n <= 3 || n > 37}
			nut, hole := n > 15 && n <= 30, n <= 30
			for k, x := range []float64{mid - 11, mid + 11} {
				switch {
				case nut:
					isl.holes = append(isl.holes, hexagon(x, mid, 13.2).reversed())
				case k == 0 && hole || k == 1 && n > 30:
					isl.holes = append(isl.holes, circle(x, mid, 4.4, 48).reversed())
				}
			}
			return []island{isl}
		}}
}

// Relief is a plate whose levels end two and three layers apart.
func Relief() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 16, Walls: 2, Gap: 2, Brim: 1,
		Section: func(n int, z float64) []island {
			wide := 60.0
			for k, last := range []int{8, 10, 13} {
				if n > last {
					wide = 60 - 16*float64(k+1)
				}
			}
			return []island{{outer: rect(mid-wide/2, mid-20, mid+wide/2, mid+20), solid: true}}
		}}
}

// Piles is a plate with five posts: two end after eight layers, one after ten, two
// later still.
func Piles() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 20, Walls: 2, Gap: 2, Brim: 1,
		Section: func(n int, z float64) []island {
			if n <= 4 {
				return []island{{outer: rect(mid-40, mid-10, mid+40, mid+10), solid: true}}
			}
			var out []island
			for k, last := range []int{12, 20, 14, 12, 20} {
				if x := mid - 32 + 16*float64(k); n <= last {
					out = append(out, island{outer: circle(x, mid, 3, 40), solid: n >= last-2})
				}
			}
			return out
		}}
}

// Engraved is a plate into whose top five strokes are cut.
func Engraved() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 16, Walls: 2, Gap: 2, Brim: 1,
		Section: func(n int, z float64) []island {
			isl := island{outer: rect(mid-35, mid-15, mid+35, mid+15), solid: n <= 3 || n > 9}
			for k := range 5 {
				if x := mid - 24 + 12*float64(k); n > 12 {
					isl.holes = append(isl.holes, rect(x-1, mid-4, x+1, mid+4).reversed())
				}
			}
			return []island{isl}
		}}
}
