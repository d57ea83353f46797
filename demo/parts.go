package demo

import "math"

// Part is one print of the demo shelf.
type Part struct {
	Slug    string
	Title   string
	Dialect string
	Solid   Solid
	Ears    []Ear  // what the club has marked already
	First   string // filament it starts in
	Note    string
	Failed  float64 // percent of the file at which it failed; 0 when it did not
}

// Ear is a marked fold of a demo print.
type Ear struct {
	Before   int // layer
	Kind     string
	Filament string
	Note     string
	Insert   string // name of what goes in, as the Kit that ships calls it
	Count    int
	Pole     string
	Slow     float64 // percent of speed of what closes over it
}

const mid = 110.0 // middle of a bed of 220 mm

// Parts are the demo prints, in the order of the shelf.
func Parts() []Part {
	return []Part{
		{Slug: "lamp-turntable", Title: "Turntable of the lamp", Dialect: "plain", Solid: Turntable(),
			First: "slate", Ears: []Ear{
				{Before: 43, Kind: "insert", Insert: "ball 8", Count: 6, Note: "six balls, they run loose"},
			}},
		{Slug: "gate-latch", Title: "Latch of the harbour gate", Dialect: "numbered", Solid: Latch(),
			First: "kelp", Ears: []Ear{
				{Before: 23, Kind: "insert", Insert: "disc magnet 8 × 3", Count: 2, Pole: "opposite",
					Slow: 60},
			}},
		{Slug: "lighthouse", Title: "Lighthouse, banded", Dialect: "plain", Solid: Lighthouse(),
			First: "red", Ears: []Ear{
				{Before: 38, Kind: "colour", Filament: "white"}, {Before: 96, Kind: "colour", Filament: "red"},
				{Before: 154, Kind: "colour", Filament: "white"},
				{Before: 212, Kind: "colour", Filament: "red"},
				{Before: 291, Kind: "colour", Filament: "slate"},
				{Before: 316, Kind: "colour", Filament: "white"},
				{Before: 361, Kind: "colour", Filament: "red"},
			}},
		{Slug: "channel-buoy", Title: "Channel buoy", Dialect: "hopping", Solid: Buoy(), First: "brass",
			Ears: []Ear{
				{Before: 80, Kind: "insert", Note: "two M8 nuts, flat side down", Insert: "M8 nut", Count: 2,
					Slow: 60},
			}},
		{Slug: "tide-gauge", Title: "Tide gauge", Dialect: "shouting", Solid: TideGauge(),
			First: "white"},
		{Slug: "pilot-boat-nameplate", Title: "Pilot boat nameplate", Dialect: "macro",
			Solid: Nameplate(), First: "tar"},
		{Slug: "mooring-bollard", Title: "Mooring bollard", Dialect: "round", Solid: Bollard(),
			First: "slate", Failed: 60},
		{Slug: "harbour-wall-coarse", Title: "Harbour wall, coarse", Dialect: "resetting",
			Solid: HarbourWall(0.3), First: "kelp"},
		{Slug: "harbour-wall-fine", Title: "Harbour wall, fine", Dialect: "resetting",
			Solid: HarbourWall(0.15), First: "kelp"},
	}
}

// profile interpolates a radius between (height, radius) pairs.
func profile(z float64, p ...float64) float64 {
	for i := 0; i+3 < len(p); i += 2 {
		if z <= p[i+2] {
			if p[i+2] == p[i] {
				return p[i+3]
			}
			return p[i+1] + (z-p[i])/(p[i+2]-p[i])*(p[i+3]-p[i+1])
		}
	}
	return p[len(p)-1]
}

// Lighthouse is 78 mm tall and hollow, with a plinth, a gallery and a dome.
func Lighthouse() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 390, Walls: 2, Gap: 2.2, Brim: 2, Round: true,
		Section: func(n int, z float64) []island {
			r := profile(z, 0, 15, 3, 15, 3.01, 13, 58, 7.7, 62, 11, 63.2, 11, 63.21, 6, 72.2, 6, 72.21, 7.4,
				73, 7.4, 75.5, 4.8, 76.6, 1.6, 78, 1.3)
			isl := island{outer: circle(mid, mid, r, 60), solid: n <= 4 || z > 61 && z < 64.4 || z > 71.4}
			if r > 5 && z > 0.8 && z < 71 {
				isl.holes = []ring{circle(mid, mid, min(3.6, r-3), 36).reversed()}
			}
			return []island{isl}
		}}
}

// Buoy is 54 mm tall with a sealed hexagonal pocket for two nuts, one on the
// other.
func Buoy() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 270, Walls: 2, Gap: 2.6, Brim: 1, Round: true,
		Section: func(n int, z float64) []island {
			r := profile(z, 0, 6, 2, 12, 5, 17, 9, 20.5, 14, 22, 18, 22, 43.6, 7.2, 44, 6, 44.01, 5, 54, 5)
			isl := island{outer: circle(mid, mid, r, 72), solid: n <= 4 || z > 53.2}
			if z > 2.0+1e-6 && z <= 15.8+1e-6 {
				isl.holes = []ring{hexagon(mid, mid, 13.4).reversed()}
			}
			return []island{isl}
		}}
}

// Latch is a bar with two round pockets for magnets.
func Latch() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 32, Walls: 2, Gap: 2.2, Brim: 1,
		Section: func(n int, z float64) []island {
			isl := island{outer: rect(mid-32, mid-8, mid+32, mid+8), solid: n <= 4 || n >= 29}
			if z > 1.2+1e-6 && z <= 4.4+1e-6 {
				isl.holes = []ring{circle(mid-20, mid, 4.15, 40).reversed(),
					circle(mid+20, mid, 4.15, 40).reversed()}
			}
			return []island{isl}
		}}
}

// Turntable is a disc with six hollows in which balls run.
func Turntable() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 65, Walls: 2, Gap: 3, Brim: 1, Round: true,
		Section: func(n int, z float64) []island {
			isl := island{outer: circle(mid, mid, 30, 72), solid: n <= 4 || n >= 62}
			if r2 := 4.4*4.4 - (z-0.1-6.5)*(z-0.1-6.5); r2 > 0.7 {
				for k := range 6 {
					s, c := math.Sincos(math.Pi / 3 * float64(k))
					isl.holes = append(isl.holes, circle(mid+19*c, mid+19*s, math.Sqrt(r2), 36).reversed())
				}
			}
			return []island{isl}
		}}
}

// TideGauge is a board lying flat, with raised bars and numerals.
func TideGauge() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 17, Walls: 2, Gap: 2, Brim: 2,
		Section: func(n int, z float64) []island {
			x0, y0 := mid-36.0, mid-13.0
			if n <= 12 {
				return []island{{outer: rect(x0, y0, x0+72, y0+26), solid: n <= 3 || n >= 10}}
			}
			var out []island
			for k := range 5 {
				x := x0 + 5 + float64(k)*14
				out = append(out, island{outer: rect(x, y0+3, x+8, y0+5.4), solid: true})
				out = append(out, lettering(string(rune('0'+k)), x, y0+8, 1.9)...)
			}
			return out
		}}
}

// Nameplate is a plate whose lettering lies flush in its first two layers.
func Nameplate() Solid {
	return Solid{Layer: 0.2, First: 0.25, Layers: 8, Walls: 1, Gap: 1.6, Brim: 1,
		Section: func(n int, z float64) []island {
			x0, y0 := mid-33.0, mid-11.0
			plate := island{outer: rect(x0, y0, x0+66, y0+22), solid: n <= 4 || n >= 7}
			if n > 2 {
				return []island{plate}
			}
			letters := lettering("PILOT", x0+5.5, y0+4, 2)
			for _, l := range letters {
				plate.holes = append(plate.holes, l.outer.reversed())
			}
			out := letters
			// The counters of the letters belong to the ground.
			rest := []island{plate}
			for _, l := range letters {
				for _, h := range l.holes {
					rest = append(rest, island{outer: h.reversed(), solid: true})
				}
			}
			return append(out, rest...)
		}}
}

// Bollard is 68 mm tall, a post with a wide foot and a head.
func Bollard() Solid {
	return Solid{Layer: 0.2, First: 0.2, Layers: 340, Walls: 3, Gap: 3, Brim: 1, Round: true,
		Section: func(n int, z float64) []island {
			r := profile(z, 0, 24, 6, 24, 6.01, 14, 43, 14, 54, 22.5, 64, 17, 68, 17)
			return []island{{outer: circle(mid, mid, r, 72), solid: n <= 4 || n >= 336 || z > 5.2 &&
				z < 6.2}}
		}}
}

// HarbourWall is 26 mm high and battered on both sides, sliced as coarse or as
// fine as asked.
func HarbourWall(layer float64) Solid {
	return Solid{Layer: layer, First: 0.3, Layers: 1 + int(math.Round((25.8-0.3)/layer)), Walls: 2,
		Gap: 3.2, Brim: 1,
		Section: func(n int, z float64) []island {
			half, deep := profile(z, 0, 32, 24, 25, 24.01, 25.6, 26, 25.6), profile(z, 0, 11, 24, 6, 24.01,
				6.6, 26, 6.6)
			return []island{{outer: rect(mid-half, mid-deep, mid+half, mid+deep), solid: n <= 3 || z > 25}}
		}}
}

// Pier is a small battered wall whose slicings at 0.3 and at 0.15 mm share every
// height of the coarser one. x moves it to the side.
func Pier(layer, x float64) Solid {
	return Solid{Layer: layer, First: 0.3, Layers: 1 + int(math.Round(4.5/layer)), Walls: 2, Gap: 3,
		Brim: 1,
		Section: func(n int, z float64) []island {
			in := profile(z, 0, 0, 4.8, 1.2)
			return []island{{outer: rect(mid+x-14+in, mid-6+in, mid+x+14-in, mid+6-in), solid: n <= 2 ||
				z > 4.4}}
		}}
}
