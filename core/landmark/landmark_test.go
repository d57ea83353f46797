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
		t.Run(c.name, func(t *testing.T) {
			for _, d := range demotest.Dialects(c.name) {
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
		})
	}
}

// TestLetteringEnds finds where the nameplate's letters end inside layer 1.
func TestLetteringEnds(t *testing.T) {
	for _, d := range demotest.Dialects("nameplate") {
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
	for _, d := range demotest.Dialects("buoy") {
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
		for _, d := range demotest.Dialects("hollows") {
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
					t.Run(w.shape, func(t *testing.T) {
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
					})
				}
			})
		}
	}
}

// TestPartsEnd checks that posts which end at different heights are counted, not measured
// by their area alone.
func TestPartsEnd(t *testing.T) {
	for _, d := range demotest.Dialects("piles") {
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
