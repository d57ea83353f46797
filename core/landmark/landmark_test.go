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

// dialects are all of them, or the first few with -short.
func dialects() []demo.Dialect {
	all := demo.Dialects()
	if testing.Short() {
		return all[:3]
	}
	return all
}

func look(t *testing.T, s demo.Solid, d demo.Dialect) (*landmark.Report, demo.Truth) {
	t.Helper()
	file, truth := demo.Slice(s, d)
	src, ix := bytes.NewReader(file), demotest.Index(t, file)
	r, err := landmark.Find(context.Background(), src, ix, nil)
	if err != nil {
		t.Fatal(err)
	}
	return r, truth
}

// TestLandmarks looks at parts whose folds are known, in every dialect. What is
// listed must be found; what is found beyond it must be little.
func TestLandmarks(t *testing.T) {
	buoy, house := demo.Buoy(), demo.Lighthouse()
	buoy.Layers, house.Layers = 95, 40
	for _, c := range []struct {
		name  string
		solid demo.Solid
		want  []string
		most  int
	}{
		{"gauge", demo.TideGauge(), []string{"raised 13"}, 3},
		{"buoy", buoy, []string{"closes 80", "last-open 80", "bridge 80"}, 6},
		{"house", house, []string{"flat-ends 16"}, 3},
		{"dome", demo.Dome(), []string{"height-changes 12", "height-changes 20"}, 4},
		{"arch", demo.Arch(), []string{"step 17", "bridge 17"}, 5},
		{"relief", demo.Relief(), []string{"flat-ends 9", "flat-ends 11", "raised 14"}, 5},
		{"engraved", demo.Engraved(), []string{"flat-ends 13"}, 4},
		{"piles", demo.Piles(), []string{"raised 5", "flat-ends 13", "flat-ends 15"}, 5},
		{"wall", demo.HarbourWall(0.3), nil, 2},
	} {
		for _, d := range dialects() {
			if c.name == "arch" && d.Mark == "" {
				continue // its thin layers count there
			}
			r, _ := look(t, c.solid, d)
			found := map[string]bool{}
			for _, m := range r.Landmarks {
				if m.BeforeLayer != nil {
					found[fmt.Sprintf("%s %d", m.Kind, *m.BeforeLayer)] = true
				}
				if (m.BeforeLayer == nil) == (m.BeforeLine == nil) || m.Reason == "" || m.Certainty <= 0 ||
					m.Certainty > 1 {
					t.Errorf("%s/%s: %+v", c.name, d.Name, m)
				}
			}
			for _, w := range c.want {
				if !found[w] {
					t.Errorf("%s/%s: %s is not among %v", c.name, d.Name, w, found)
				}
			}
			if len(r.Landmarks) > c.most {
				t.Errorf("%s/%s: %d landmarks are too many: %v", c.name, d.Name, len(r.Landmarks), found)
			}
		}
	}
}

// TestLetteringEnds finds where the nameplate's letters end inside layer 1.
func TestLetteringEnds(t *testing.T) {
	for _, d := range dialects() {
		r, truth := look(t, demo.Nameplate(), d)
		ground := int64(truth.Layers[0].Inside[4]) // the sixth island is the ground
		ok := false
		for _, m := range r.Landmarks {
			if m.BeforeLine != nil && m.Certainty > 0.8 && *m.BeforeLine <= ground &&
				*m.BeforeLine > ground-9 {
				ok = true
			}
		}
		if !ok {
			t.Errorf("%s: no border just before line %d: %+v", d.Name, ground, r.Landmarks)
		}
	}
}

func TestPockets(t *testing.T) {
	buoy := demo.Buoy()
	buoy.Layers = 95
	for _, d := range dialects() {
		r, _ := look(t, buoy, d)
		if len(r.Pockets) != 1 {
			t.Errorf("%s: %d pockets", d.Name, len(r.Pockets))
			continue
		}
		p := r.Pockets[0]
		if p.Shape != "hex" || math.Abs(p.Across-13.4) > 0.3 ||
			math.Hypot(p.Centre[0]-110, p.Centre[1]-110) > 0.3 || p.FirstOpen != 11 || p.LastOpen != 79 ||
			p.Closes == nil || *p.Closes != 80 || math.Abs(p.Depth-13.8) > 0.02 ||
			math.Abs(p.FloorZ-2) > 0.01 {
			t.Errorf("%s: %+v", d.Name, p)
		}
	}
}

// TestHollows finds pockets of every shape in every dialect and at several
// layer heights: place and size to 0.3 mm, layers exactly.
func TestHollows(t *testing.T) {
	for _, h := range []float64{0.2, 0.25, 0.12} {
		layers := func(from, to float64) (first, last int) {
			for n := 1; float64(n)*h-h/2 < to; n++ {
				if float64(n)*h-h/2 > from {
					if first == 0 {
						first = n
					}
					last = n
				}
			}
			return
		}
		for _, d := range dialects() {
			t.Run(fmt.Sprint(h, "/", d.Name), func(t *testing.T) {
				t.Parallel()
				r, _ := look(t, demo.Hollows(h), d)
				if len(r.Pockets) != 5 {
					t.Errorf("%d pockets: %+v", len(r.Pockets), r.Pockets)
				}
				for _, w := range []struct {
					shape        string
					x, y, across float64
					from, to     float64
				}{
					{"ball", 88, 110, 8.4, 7 - math.Sqrt(4.2*4.2-0.5), 7 + math.Sqrt(4.2*4.2-0.5)},
					{"ball", 102, 115, 6.2, 5.6 - math.Sqrt(3.1*3.1-0.5), 5.6 + math.Sqrt(3.1*3.1-0.5)},
					{"hex", 116, 110, 10.4, 3, 9.6},
					{"round", 128, 116, 5.2, 4, 8},
					{"rect", 130, 104.5, 5, 4, 8},
				} {
					first, last := layers(w.from, w.to)
					found := false
					for _, p := range r.Pockets {
						if math.Hypot(p.Centre[0]-w.x, p.Centre[1]-w.y) > 0.3 {
							continue
						}
						found = true
						if p.Shape != w.shape || math.Abs(p.Across-w.across) > 0.3 || p.FirstOpen != first ||
							p.LastOpen != last || p.Closes == nil || *p.Closes != last+1 {
							p.Sections = nil
							t.Errorf("want %+v on layers %d to %d, found %+v", w, first, last, p)
						}
					}
					if !found {
						t.Errorf("no %s at %g, %g", w.shape, w.x, w.y)
					}
				}
			})
		}
	}
}

// TestSockets measures pockets of exact sizes at many angles: to 0.05 mm, with their turn.
func TestSockets(t *testing.T) {
	for deg := 0.0; deg < 60; deg += 7.5 {
		for k, d := range dialects() {
			name := d.Name
			if name != "plain" && (k+int(deg/7.5))%3 > 0 { // each at some of the angles
				continue
			}
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
			}
		}
	}
}

// TestCounterbore finds a nut's pocket of its own depth, with a screw's hole below or above.
func TestCounterbore(t *testing.T) {
	for _, d := range dialects() {
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

// TestPartsEnd checks that posts which end at different heights are counted, not measured
// by their area alone.
func TestPartsEnd(t *testing.T) {
	for _, d := range dialects() {
		r, _ := look(t, demo.Piles(), d)
		for n, want := range map[int]string{13: "2 parts end here; 3 go on",
			15: "One part ends here; 2 go on"} {
			ok := slices.ContainsFunc(r.Landmarks, func(m landmark.Landmark) bool {
				return m.BeforeLayer != nil && *m.BeforeLayer == n && m.Reason == want
			})
			if !ok {
				t.Errorf("%s: not %q before layer %d: %+v", d.Name, want, n, r.Landmarks)
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
			"lines": lines, "ring": ring, "ring and lines": both,
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
				t.Errorf("%s: a pocket %.1f mm wide on layers %d to %d", name, p.Across, p.FirstOpen, p.LastOpen)
			}
		}
	}
}
