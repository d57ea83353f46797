package layer

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/gcode"
)

// TestKindsOfSlicing reads what is common and hard: sloped starts of walls, runs at
// heights in between, a tower that stays lower, in files with marks and without.
func TestKindsOfSlicing(t *testing.T) {
	const n, h = 12, 0.3
	kinds := map[string]func(p *pen, k int, z float64){
		"plain": func(p *pen, k int,
			z float64) {
			p.square(20, 20, 20, z, h, 0)
			p.stripes(22, 22, 16, 4)
		},
		"sloped starts": func(p *pen, k int, z float64) {
			slope := 8
			if k == 1 {
				slope = 0
			}
			p.square(20.45, 20.45, 19.1, z, h, slope)
			p.square(20, 20, 20, z, h, slope)
			p.stripes(22, 22, 16, 4)
		},
		"only sloped walls": func(p *pen, k int, z float64) {
			slope := 10
			if k == 1 {
				slope = 0
			}
			p.square(20, 20, 8, z, h, slope)
		},
		"inner walls half a layer up": func(p *pen, k int, z float64) {
			p.square(20, 20, 20, z, h, 0)
			p.stripes(22, 22, 16, 4)
			p.up(z + h/2)
			p.square(20.45, 20.45, 19.1, z, h, 0)
		},
		"fill half a layer down": func(p *pen, k int, z float64) {
			p.square(20, 20, 20, z, h, 0)
			p.up(z - h/2)
			p.stripes(22, 22, 16, 4)
		},
		"ironed": func(p *pen, k int, z float64) {
			p.square(20, 20, 20, z, h, 0)
			p.stripes(21, 21, 18, 0.45)
			p.up(z - 0.03)
			p.stripes(21.2, 21, 18, 0.45)
		},
		"a tower that stays lower": func(p *pen, k int, z float64) {
			p.square(20, 20, 20, z, h, 0)
			p.up(h/2 + z/2)
			p.square(60, 20, 8, z, h, 0)
		},
		"supports at their own heights": func(p *pen, k int, z float64) {
			p.square(20, 20, 20, z, h, 0)
			p.stripes(22, 22, 16, 4)
			if k%3 == 1 {
				p.up(z + h/2)
				p.square(44, 20, 5, z, h, 0)
			}
		},
	}
	for name, draw := range kinds {
		for _, marks := range []string{"", "; sheet #", "; top at $", "M117 part # of 12"} {
			t.Run(name+"/"+marks, func(t *testing.T) {
				p := newPen(marks)
				for k := 1; k <= n; k++ {
					z := h * float64(k)
					p.layer(z)
					draw(p, k, z)
				}
				ix := p.read(t)
				if len(ix.Layers) != n || ix.Objects != 1 || ix.Kind != Layered {
					t.Fatalf("%d layers of %d objects, %s", len(ix.Layers), ix.Objects, ix.Kind)
				}
				for i, l := range ix.Layers {
					if d := l.Z.Millimetres() - p.z[i]; d > 1e-3 || d < -1e-3 || int(l.First) != p.first[i] {
						t.Fatalf("layer %d: z %v from line %d, want %v from line %d", i+1, l.Z, l.First, p.z[i],
							p.first[i])
					}
				}
				if ix.Layers[0].Fold <= hot || marks != "" && ix.Marks.Layer == "" || ix.Marks.Clock != "" {
					t.Errorf("fold of layer 1 at line %d, marks %+v", ix.Layers[0].Fold, ix.Marks)
				}
			})
		}
	}
}

// TestFirstThings tells prime lines from flat things that are laid first.
func TestFirstThings(t *testing.T) {
	body := func(p *pen) {
		for k := 1; k <= 6; k++ {
			if k > 1 {
				p.layer(0.2 * float64(k))
			}
			p.square(60, 60, 15, 0, 0, 0)
			p.stripes(62, 62, 11, 3)
		}
	}
	for _, c := range []struct {
		name  string
		marks string
		draw  func(p *pen)
		prime int // laying lines of it
	}{
		{"two strokes", "", func(p *pen) {
			p.up(0.28)
			p.to(4, 20)
			p.lay(4, 90, "")
			p.lay(4.4, 90, "")
			p.lay(4.4, 20, "")
			p.layer(0.2)
			body(p)
		}, 3},
		{"a line along two edges, before the first mark", "; sheet #", func(p *pen) {
			p.up(0.28)
			p.to(4, 4)
			p.lay(4, 90, "")
			p.lay(90, 90, "")
			p.layer(0.2)
			body(p)
		}, 2},
		{"a gasket", "", func(p *pen) {
			p.layer(0.2)
			p.square(10, 10, 20, 0, 0, 0)
			p.square(10.5, 10.5, 19, 0, 0, 0)
			body(p)
		}, 0},
		{"a frame of four strokes", "", func(p *pen) {
			p.layer(0.2)
			for _, s := range [][4]float64{{10, 10, 40, 10}, {40, 10.5, 40, 40}, {39.5, 40, 10, 40},
				{10, 39.5, 10, 10.5}} {
				p.to(s[0], s[1])
				p.lay(s[2], s[3], "")
			}
			body(p)
		}, 0},
		{"a plate of many strokes", "", func(p *pen) {
			p.layer(0.2)
			for k := range 30 {
				p.to(10, 10+float64(k)*0.45)
				p.lay(40, 10+float64(k)*0.45, "")
			}
			body(p)
		}, 0},
		{"a bar behind the first mark", "; sheet #", func(p *pen) {
			p.layer(0.2)
			p.to(4, 20)
			p.lay(4, 90, "")
			p.lay(4.4, 90, "")
			p.lay(4.4, 20, "")
			body(p)
		}, 0},
		{"a prime line in the bay of an L", "", func(p *pen) {
			p.up(0.28)
			p.to(70, 90)
			p.lay(100, 90, "")
			for k := 1; k <= 6; k++ {
				p.layer(0.2 * float64(k))
				p.to(50, 50)
				for _, to := range [][2]float64{{110, 50}, {110, 66}, {62, 66}, {62, 120}, {50, 120},
					{50, 50}} {
					p.lay(to[0], to[1], "")
				}
			}
		}, 1},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := newPen(c.marks)
			c.draw(p)
			ix := p.read(t)
			if len(ix.Layers) != 6 {
				t.Fatalf("%d layers", len(ix.Layers))
			}
			if int(ix.Layers[0].First) != p.first[0] || ix.Layers[0].Fold <= hot {
				t.Errorf("layer 1 from line %d, folded at %d; want %d", ix.Layers[0].First, ix.Layers[0].Fold,
					p.first[0])
			}
			prime := 0
			if ix.Prime.Last > 0 {
				prime = int(ix.Prime.Last-ix.Prime.First) + 1
			}
			if prime != c.prime {
				t.Errorf("prime lines %v, want %d lines", ix.Prime, c.prime)
			}
		})
	}
}

// TestDiagonal prints two round things one after another whose boxes overlap.
func TestDiagonal(t *testing.T) {
	for _, marks := range []string{"", "; sheet #"} {
		p := newPen(marks)
		for k := range 2 {
			c := 40 + 16*float64(k)
			p.up(9)
			for n := 1; n <= 8; n++ {
				z := 0.2 * float64(n)
				p.layer(z)
				p.to(c+9, c)
				for a := 1; a <= 24; a++ {
					s, q := math.Sincos(float64(a) / 12 * math.Pi)
					p.lay(c+9*q, c+9*s, "")
				}
			}
		}
		ix := p.read(t)
		if ix.Objects != 2 || len(ix.Layers) != 16 || ix.Layers[8].Object != 2 ||
			ix.Layers[7].Object != 1 {
			t.Errorf("%q: %d objects, %d layers", marks, ix.Objects, len(ix.Layers))
		}
	}
}

// TestOddPlaces names what lies where nothing should, with its line.
func TestOddPlaces(t *testing.T) {
	for _, c := range []struct {
		name   string
		base   float64
		extra  string
		want   string
		layers int
	}{
		{"below the bed", -0.3, "", "below-bed@10", 10},
		{"just below the bed", -0.1, "", "below-bed@10", 10},
		{"five metres away", 0.2, "G1 X5000 Y30 E1", "far-off@", 10},
		{"most of a metre away", 0.2, "G1 X900 Y30 E1", "far-off@", 10},
		{"far too high", 0.2, "G1 Z60\nG1 X30 Y31 E1", "far-too-high@", 10},
		{"a spline", 0.2, "G5 X30 Y30 I1 J1 P2 Q2 E1", "curve@", 10},
		{"an upright arc", 0.2, "G19\nG2 Y30 Z1 J3 K0 E1\nG17", "plane@", 10},
		{"the machine's own places", 0.2, "G53 G0 X9", "machine-places@", 10},
		{"an axis of its own", 0.2, "G1 X30 A1", "other-axis@", 10},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := newPen("")
			at := 0
			for k := range 10 {
				p.layer(c.base + 0.2*float64(k))
				p.square(20, 20, 20, 0, 0, 0)
				if k == 4 && c.extra != "" {
					at = p.line + 1 + strings.Count(c.extra, "\n")
					if strings.HasPrefix(c.extra, "G19") {
						at--
					}
					p.put(strings.Split(c.extra, "\n")...)
				}
			}
			ix := p.read(t)
			want := c.want
			if strings.HasSuffix(want, "@") {
				want += fmt.Sprint(at)
			}
			if got := codes(ix); !strings.Contains(" "+got+" ", " "+want+" ") {
				t.Errorf("found %s, want %s", got, want)
			}
			if len(ix.Layers) != c.layers || ix.Objects != 1 {
				t.Errorf("%d layers, %d objects", len(ix.Layers), ix.Objects)
			}
			for i := range ix.Layers {
				if h := ix.Layers[i].Height; h <= 0 || h > gcode.MM/4 {
					t.Fatalf("layer %d is %v high", i+1, h)
				}
			}
		})
	}
}

// TestOddLines names lines that printers read otherwise than they look, and lets pass
// what only looks odd.
func TestOddLines(t *testing.T) {
	for line, want := range map[string]string{
		"\x00\x00\x00G0 X50": "nul-bytes@7",
		"G1 X1 Y2\rG1 X5":    "second-command@7 lone-return@7",
		"; a\rG1 X5":         "lone-return@7",
		"G1 X2 E1e0":         "bad-number@7",
		"G1 X-1.2e-05":       "bad-number@7",
		"M486 ACube_0":       "unknown-command@7",
		"M862.3 P \"X\"":     "unknown-command@7",
		"M98 P\"a.g\"":       "unknown-command@7",
		"M115 U3.13.0":       "",
		"N-1 M110":           "",
		"%":                  "",
		"M104 S2O0":          "",
		"M104 S--1":          "bad-number@7",
	} {
		p := newPen("")
		p.layer(0.2)
		p.put(line)
		p.square(20, 20, 20, 0, 0, 0)
		ix := p.read(t)
		got := strings.Fields(codes(ix))
		if len(got) != len(strings.Fields(want)) {
			t.Errorf("%q: %v, want %s", line, got, want)
			continue
		}
		for _, w := range strings.Fields(want) {
			if !strings.Contains(codes(ix), w) {
				t.Errorf("%q: %v, want %s", line, got, want)
			}
		}
	}
	p := newPen("")
	p.layer(0.2)
	p.square(20, 20, 20, 0, 0, 0)
	p.put("M104 S0", "%", "@done")
	if got := codes(read(t, p.String())); got != "unknown-command@16" {
		t.Errorf("behind the end: %s", got)
	}
	if _, err := Read(t.Context(), strings.NewReader(strings.ReplaceAll(p.String(), "\n", "\r")),
		Options{}); err != ErrReturn {
		t.Errorf("carriage returns alone: %v", err)
	}
}

// TestHeightIsNoClock reads a mark of heights that all stand a little too high.
func TestHeightIsNoClock(t *testing.T) {
	p := newPen("")
	for k := range 30 {
		z := 0.35 + 0.2*float64(k)
		p.put(fmt.Sprintf(";Z:%.2f", z+0.05))
		p.layer(z)
		p.square(20, 20, 40, 0, 0, 0)
	}
	ix := p.read(t)
	if ix.Marks.Height != ";Z:#" || ix.Marks.Clock != "" || ix.Scale != 1 || len(ix.Layers) != 30 {
		t.Errorf("%+v, times stretched by %v, %d layers", ix.Marks, ix.Scale, len(ix.Layers))
	}
}

// TestCountsThatAreNoMarks reads files in which a comment counts up by one, but not with
// the layers: parts in a hundred, or every other layer. Geometry decides.
func TestCountsThatAreNoMarks(t *testing.T) {
	for every := 2; every <= 5; every++ {
		for name, draw := range map[string]func(p *pen, k int){
			"tower": func(p *pen, k int) { p.square(20, 20, 20, 0, 0, 0); p.stripes(22, 22, 16, 4) },
			"cone": func(p *pen, k int) {
				s := 24 - 0.35*float64(k)
				p.square(30-s/2, 30-s/2, s, 0, 0, 0)
				p.stripes(31-s/2, 31-s/2, s-2, 4)
			},
		} {
			p := newPen("")
			for k := 1; k <= 40; k++ {
				if k%every == 1 {
					p.put(fmt.Sprintf("; part %d of this", k/every))
				}
				p.layer(0.2 * float64(k))
				draw(p, k)
			}
			if ix := p.read(t); len(ix.Layers) != 40 {
				t.Errorf("%s, counted every %d layers: %d layers", name, every, len(ix.Layers))
			}
		}
	}
}
