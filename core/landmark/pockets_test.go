package landmark_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"slices"
	"testing"

	"dogear/core/landmark"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestSockets measures pockets of exact sizes at many angles: to 0.05 mm, with their turn.
func TestSockets(t *testing.T) {
	for deg := 0.0; deg < 60; deg += 7.5 {
		for _, d := range demotest.Dialects(fmt.Sprint("sockets", deg)) {
			name := d.Name
			r, _ := look(t, demo.Sockets(deg), d)
			for _, w := range []struct {
				shape  string
				x, y   float64
				across float64
				size   [2]float64
				turns  float64 // it looks the same again; 0: round
			}{
				{"hex", -38, -8, 5.8, [2]float64{}, 60}, {"hex", -24, -8, 7.3, [2]float64{}, 60},
				{"hex", -9, -8, 8.3, [2]float64{}, 60},
				{"rect", 10, -8, 6, [2]float64{12, 6}, 90}, {"rect", 30, -8, 10, [2]float64{10, 10}, 90},
				{"round", -36, 8, 3, [2]float64{}, 0}, {"round", -22, 8, 8, [2]float64{}, 0},
				{"other", 5, 7, 5, [2]float64{14, 5}, 90},
			} {
				t.Run(w.shape, func(t *testing.T) {
					found := false
					for _, p := range r.Pockets {
						if math.Hypot(p.Centre[0]-110-w.x, p.Centre[1]-110-w.y) > 0.5 {
							continue
						}
						found = true
						long, short := max(p.Size[0], p.Size[1]), min(p.Size[0], p.Size[1])
						turn := math.Mod(p.Turn-deg, max(w.turns, 1))
						if turn = math.Abs(turn); turn > w.turns/2 {
							turn = w.turns - turn
						}
						if p.Shape != w.shape || math.Abs(p.Across-w.across) > 0.05 || w.size[0] > 0 &&
							(math.Abs(long-w.size[0]) > 0.05 || math.Abs(short-w.size[1]) > 0.05) || w.turns > 0 &&
							math.Abs(turn) > 1 {
							p.Sections = nil
							t.Errorf("%s, turned by %g: want %+v, found %s %g (%v) turned by %g", name, deg, w, p.Shape,
								p.Across, p.Size, p.Turn)
						}
					}
					if !found {
						t.Errorf("%s, turned by %g: no %s at %g, %g", name, deg, w.shape, w.x, w.y)
					}
				})
			}
		}
	}
}

// TestCounterbore finds a nut's pocket of its own depth, with a screw's hole below or above.
func TestCounterbore(t *testing.T) {
	for _, d := range demotest.Dialects("counterbore") {
		r, _ := look(t, demo.Counterbore(), d)
		for _, x := range []float64{99, 121} {
			found := false
			for _, p := range r.Pockets {
				if p.Shape != "hex" || math.Abs(p.Centre[0]-x) > 0.2 {
					continue
				}
				found = true
				if math.Abs(p.Across-13.2) > 0.05 || math.Abs(p.Depth-3) > 0.01 || p.FirstOpen != 16 ||
					p.LastOpen != 30 || p.Closes == nil || *p.Closes != 31 {
					p.Sections = nil
					t.Errorf("%s: %+v", d.Name, p)
				}
			}
			if !found {
				t.Errorf("%s: no nut's pocket at %g: %+v", d.Name, x, r.Pockets)
			}
		}
	}
}

// propped is a block with a pocket of 16 by 10 mm on layers 6 to 20, in which prop stands; it
// says what a line is for when named is set.
func propped(named bool, prop func(s *sheet, n int)) []byte {
	s := newSheet()
	for n := 1; n <= 25; n++ {
		s.layer(n, 0.2*float64(n))
		open := n > 5 && n <= 20
		kind := func(word string) {
			if named {
				s.kind(word)
			}
		}
		kind("outer wall")
		s.rect(110, 110, 15-.225, 12-.225)
		kind("inner wall")
		s.rect(110, 110, 15-.675, 12-.675)
		if open {
			kind("outer wall")
			s.rect(110, 110, 8+.225, 5+.225)
			kind("inner wall")
			s.rect(110, 110, 8+.675, 5+.675)
		}
		kind("fill")
		for x := 96.3; x < 124; x += 2.5 {
			if open && x > 100.6 && x < 119.4 {
				s.to(x, 98.9)
				s.lay(x, 104.1)
				s.to(x, 115.9)
				s.lay(x, 121.1)
			} else {
				s.to(x, 98.9)
				s.lay(x, 121.1)
			}
		}
		if open {
			prop(s, n)
		}
	}
	return s.b.Bytes()
}

// TestPropped finds a pocket whose ceiling is held up by something that no comment calls
// support, and takes fill for no pocket.
func TestPropped(t *testing.T) {
	zigzag := func(gap float64) func(s *sheet, n int) {
		return func(s *sheet, _ int) {
			y0, y1 := 105+gap+.2, 115-gap-.2
			s.to(102+gap+.2, y0)
			for k, x := 0, 102+gap+.2; x <= 118-gap-.2; k, x = k+1, x+2.2 {
				if k%2 == 1 {
					y0, y1 = y1, y0
				}
				s.lay(x, y0)
				s.lay(x, y1)
				y0, y1 = min(y0, y1), max(y0, y1)
			}
		}
	}
	lines := func(s *sheet, _ int) {
		for x := 103.0; x < 118; x += 2 {
			s.to(x, 105.8)
			s.lay(x, 114.2)
		}
	}
	ring := func(s *sheet, _ int) { s.rect(110, 110, 7.2, 4.2) }
	both := func(s *sheet, n int) {
		ring(s, n)
		for x := 104.0; x < 117; x += 2 {
			s.to(x, 106.1)
			s.lay(x, 113.9)
		}
	}
	for _, named := range []bool{false, true} {
		for name, prop := range map[string]func(s *sheet, n int){
			"nothing": func(*sheet, int) {}, "zigzag": zigzag(0.6), "zigzag near by": zigzag(0.3),
			"lines": lines, "ring": ring, "said": func(s *sheet, n int) {
				s.kind("support")
				both(s, n)
			}, "ring and lines": both,
			"plate under it": func(s *sheet, n int) {
				if n < 9 {
					lines(s, n)
				}
			},
		} {
			t.Run(fmt.Sprintf("%s, named %v", name, named), func(t *testing.T) {
				data := propped(named, prop)
				r, err := landmark.Find(context.Background(), bytes.NewReader(data),
					demotest.Index(t, data), nil)
				if err != nil {
					t.Fatal(err)
				}
				if len(r.Pockets) != 1 {
					t.Fatalf("%d pockets: %+v", len(r.Pockets), r.Pockets)
				}
				p := r.Pockets[0]
				if p.Shape != "rect" || math.Abs(p.Across-10) > 0.05 || p.FirstOpen != 6 ||
					p.LastOpen != 20 || p.Closes == nil || *p.Closes != 21 {
					t.Errorf("%s, %.2f mm across, layers %d to %d", p.Shape, p.Across, p.FirstOpen, p.LastOpen)
				}
				support := 20
				switch name {
				case "nothing":
					support = 0
				case "plate under it":
					support = 8
				}
				if p.Support != support {
					t.Errorf("support up to layer %d, not %d", p.Support, support)
				}
			})
		}
	}
}

// TestNotPropped takes a pin that turns in its hole, and fill that runs round, for no support.
func TestNotPropped(t *testing.T) {
	pin := func(s *sheet, _ int) {
		s.rect(110, 110, 7.2, 4.2)
		s.rect(110, 110, 6.75, 3.75)
		for x := 104.0; x < 117; x += 2 {
			s.to(x, 106.5)
			s.lay(x, 113.5)
		}
	}
	named := func(s *sheet, n int) {
		s.kind("outer wall")
		s.rect(110, 110, 7.2, 4.2)
		s.kind("fill")
	}
	islands := newSheet() // small blocks with a ring of fill in them
	for n := 1; n <= 25; n++ {
		islands.layer(n, 0.2*float64(n))
		for _, half := range []float64{6, 5.55, 4.5} {
			islands.rect(110, 110, half, half)
		}
	}
	for name, data := range map[string][]byte{"pin": propped(false, pin),
		"named": propped(true, named), "islands": islands.b.Bytes()} {
		r, err := landmark.Find(context.Background(), bytes.NewReader(data), demotest.Index(t, data), nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range r.Pockets {
			if p.Across > 9.5 {
				t.Errorf("%s: a pocket %.1f mm wide on layers %d to %d", name, p.Across, p.FirstOpen,
					p.LastOpen)
			}
		}
	}
}

// TestSlots finds slots that are open at one end or at both until a layer covers them, and takes
// bridges, ledges and slopes for none.
func TestSlots(t *testing.T) {
	// block is 40 by 24 mm, 25 layers high; on layers 6 to 20 its outline is another one.
	block := func(outline func(s *sheet, in float64), support bool) []byte {
		s := newSheet()
		for n := 1; n <= 25; n++ {
			s.layer(n, 0.2*float64(n))
			s.kind("outer wall")
			for _, in := range []float64{.225, .675} {
				if n > 5 && n <= 20 {
					outline(s, in)
				} else {
					s.rect(110, 110, 20-in, 12-in)
				}
			}
			if n <= 5 || n > 20 {
				s.kind("solid")
				for x := 91.1; x < 129; x += 0.45 {
					s.to(x, 99)
					s.lay(x, 121)
				}
			}
			if support && n > 5 && n <= 20 {
				s.kind("support")
				s.to(91, 109)
				s.lay(99, 109)
				s.lay(99, 111)
				s.lay(91, 111)
			}
		}
		return s.b.Bytes()
	}
	way := func(s *sheet, pts ...[2]float64) {
		s.to(pts[0][0], pts[0][1])
		for _, p := range append(pts[1:], pts[0]) {
			s.lay(p[0], p[1])
		}
	}
	// A slot 12 long and 6 wide, open at the left.
	left := func(s *sheet, in float64) {
		x0, y0, x1, y1 := 90+in, 98+in, 130-in, 122-in
		way(s, [2]float64{x0, y0}, [2]float64{x1, y0}, [2]float64{x1, y1}, [2]float64{x0, y1},
			[2]float64{x0, 113 + in}, [2]float64{102 + in, 113 + in}, [2]float64{102 + in, 107 - in},
			[2]float64{x0, 107 - in})
	}
	through := func(s *sheet, in float64) {
		s.rect(110, 102.5, 20-in, 4.5-in)
		s.rect(110, 117.5, 20-in, 4.5-in)
	}
	pillars := func(s *sheet, in float64) {
		s.rect(93, 110, 3-in, 12-in)
		s.rect(127, 110, 3-in, 12-in)
	}
	smaller := func(s *sheet, in float64) { s.rect(110, 110, 15-in, 9-in) }
	for name, c := range map[string]struct {
		outline func(s *sheet, in float64)
		support bool
		long    float64 // 0: no slot
	}{
		"left": {left, false, 12}, "propped": {left, true, 12}, "through": {through, false, 40},
		"pillars": {pillars, false, 0}, "ledge": {smaller, false, 0},
	} {
		t.Run(name, func(t *testing.T) {
			data := block(c.outline, c.support)
			ix := demotest.Index(t, data)
			r, err := landmark.Find(context.Background(), bytes.NewReader(data), ix, nil)
			if err != nil {
				t.Fatal(err)
			}
			var slots []landmark.Pocket
			for _, p := range r.Pockets {
				if p.Side {
					slots = append(slots, p)
				}
			}
			if c.long == 0 {
				if len(slots) > 0 {
					t.Errorf("%+v", slots)
				}
				return
			}
			if len(slots) != 1 {
				t.Fatalf("%d slots: %+v", len(slots), r.Pockets)
			}
			p := slots[0]
			if long := max(p.Size[0], p.Size[1]); p.Shape != "rect" || math.Abs(p.Across-6) > 0.3 ||
				math.Abs(long-c.long) > 0.5 || p.FirstOpen != 6 || p.LastOpen != 20 || p.Closes == nil ||
				*p.Closes != 21 || p.Rough == 0 || (p.Support == 20) != c.support {
				t.Errorf("%+v", p)
			}
			if !slices.ContainsFunc(r.Landmarks, func(m landmark.Landmark) bool {
				return m.Kind == landmark.Closes && *m.BeforeLayer == 21
			}) {
				t.Errorf("no landmark says that it closes: %+v", r.Landmarks)
			}
		})
	}
}
