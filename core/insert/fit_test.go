package insert

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// slab is an index of layers of 0.2 mm.
func slab(n int) *layer.Index {
	ix := &layer.Index{}
	for k := 1; k <= n; k++ {
		ix.Layers = append(ix.Layers, layer.Layer{Z: gcode.Nano(k) * gcode.MM / 5, Height: gcode.MM / 5,
			Object: 1})
	}
	return ix
}

func pocket(shape string, w, h, inscribed float64, first, last int) landmark.Pocket {
	closes := last + 1
	return landmark.Pocket{Shape: shape, Across: min(w, h), Size: [2]float64{w, h},
		Inscribed: inscribed, FirstOpen: first, LastOpen: last, Closes: &closes, FloorZ: 0.2 *
			float64(first-1), Depth: 0.2 * float64(last-first+1), Widest: first}
}

func TestFit(t *testing.T) {
	ix := slab(100)
	hex, round, rect := pocket("hex", 13.4, 15.47, 13.4, 11, 44), pocket("round", 15.4, 15.4, 15.4, 11,
		44), pocket("rect", 20.2, 10.2, 10.2, 11, 44)
	nut := plan.InsertPart{Name: "M8 nut", Shape: "hex", Across: 13, Height: 6.5, Steel: true}
	for name, c := range map[string]struct {
		p           landmark.Pocket
		part        plan.InsertPart
		n           int
		side, above float64
		level       finding.Level
		want        string
	}{
		"a nut in its hexagon":  {hex, nut, 45, 0.2, 0.3, "", "drops in"},
		"stopped too early":     {hex, nut, 43, 0.2, -0.1, finding.Care, "0.10 mm proud"},
		"one layer late":        {hex, nut, 46, 0.2, 0.5, finding.Stop, "closed by layer 45"},
		"before it begins":      {hex, nut, 11, 0.2, -6.5, finding.Stop, "begins with layer 11"},
		"a nut in a round hole": {round, nut, 45, 0.19, 0.3, "", "drops in"},
		"a nut too wide":        {rect, nut, 45, -1.4, -6.5, finding.Stop, "1.40 mm too wide"},
		"a magnet, loose": {round, plan.InsertPart{
			Shape: "disc", Across: 15, Height: 3, Magnet: true}, 45, 0.2, 3.8, finding.Care,
			"jumps to the nozzle"},
		"a magnet, pressed in": {round, plan.InsertPart{
			Shape: "disc", Across: 15.4, Height: 3, Magnet: true}, 45, 0, 3.8, finding.Care, "pressed in"},
		"a block": {rect, plan.InsertPart{
			Shape: "block", Across: 10, Length: 20, Height: 5}, 45, 0.1, 1.8, "", "drops in"},
		"a block across": {rect, plan.InsertPart{
			Shape: "block", Across: 12, Length: 20, Height: 5}, 45, -0.9, -5, finding.Stop, "too wide"},
		"a square nut": {rect, plan.InsertPart{
			Shape: "square", Across: 10, Height: 5}, 45, 0.1, 1.8, "", "drops in"},
		"a square nut in a circle": {round, plan.InsertPart{
			Shape: "square", Across: 10, Height: 5}, 45, 0.63, 1.8, "", "drops in"},
		"a ball": {round, plan.InsertPart{
			Shape: "ball", Across: 8, Height: 8, Steel: true}, 45, 3.7, -1.2, finding.Stop, "never covered"},
		"a weight with much room": {round, plan.InsertPart{
			Shape: "disc", Across: 8, Height: 5, Steel: true}, 45, 3.7, 1.8, "", "a drop of glue"},
	} {
		t.Run(name, func(t *testing.T) {
			f := Of(ix, &c.p, &c.part, 1, c.n)
			if f.Side != c.side || f.Above != c.above || f.Level != c.level ||
				!strings.Contains(f.Words, c.want) {
				t.Errorf("%+v, want %v, %v, %q with %q", f, c.side, c.above, c.level, c.want)
			}
		})
	}
}

// TestFitCare says what must be done or tried before something goes in.
func TestFitCare(t *testing.T) {
	ix := slab(100)
	block := plan.InsertPart{Shape: "block", Across: 10, Length: 20, Height: 5}
	support := func(p *landmark.Pocket) { p.Support = 44 }
	rough := func(across float64) func(p *landmark.Pocket) {
		return func(p *landmark.Pocket) {
			p.Rough, p.Across, p.Size = 0.2, across, [2]float64{across + 10, across}
		}
	}
	for name, c := range map[string]struct {
		change func(p *landmark.Pocket)
		n      int
		level  finding.Level
		code   string
		want   string
	}{
		"nothing":          {func(*landmark.Pocket) {}, 45, "", "", "drops in"},
		"support":          {support, 45, finding.Care, "insert-support", "take it out first"},
		"support goes on":  {support, 42, finding.Care, "insert-support", "stop before layer 45"},
		"rough":            {rough(10.2), 45, finding.Care, "insert-fit", "not sure"},
		"rough and wide":   {rough(10.6), 45, "", "", "drops in"},
		"rough and narrow": {rough(9.4), 45, finding.Stop, "insert-fit", "too wide"},
		"rough and flat": {func(p *landmark.Pocket) {
			rough(10.2)(p)
			p.FloorZ += 4
			p.FirstOpen += 20
		}, 45, finding.Stop, "insert-proud", "never covered"},
		"rough, stopped early": {rough(10.2), 33, finding.Care, "insert-proud", "measured to 0.2 mm"},
		"open at the side": {func(p *landmark.Pocket) { p.Side = true }, 45, finding.Care, "insert-open",
			"slide out"},
	} {
		t.Run(name, func(t *testing.T) {
			p := pocket("rect", 20.2, 10.2, 10.2, 11, 44)
			c.change(&p)
			f := Of(ix, &p, &block, 1, c.n)
			if f.Level != c.level || f.Code != c.code || !strings.Contains(f.Words, c.want) {
				t.Errorf("%s %s %q", f.Level, f.Code, f.Words)
			}
		})
	}
}

// hollow is a pocket for a ball: a sphere of the diameter, its lowest point at
// a height of 2 mm.
func hollow(across float64) landmark.Pocket {
	p := landmark.Pocket{Shape: "ball", Across: across, Size: [2]float64{across, across},
		Inscribed: across, FloorZ: 2}
	for k := 11; ; k++ {
		z := 0.2*float64(k) - 0.1
		d := z - 2 - across/2
		if math.Abs(d) >= across/2 {
			p.LastOpen = k - 1
			break
		}
		w := 2 * math.Sqrt(across*across/4-d*d)
		p.Sections = append(p.Sections, landmark.Opening{Layer: k, Across: w, Inscribed: w,
			Size: [2]float64{w, w}})
		if p.FirstOpen == 0 {
			p.FirstOpen = k
		}
		if d <= 0.1 {
			p.Widest = k
		}
	}
	closes := p.LastOpen + 1
	p.Closes = &closes
	p.Depth = 0.2 * float64(p.LastOpen-p.FirstOpen+1)
	return p
}

// TestBall drops a ball of 8 mm into a hollow of 8.6: it goes in until the hollow
// narrows again, and stands proud until the layers have caught up.
func TestBall(t *testing.T) {
	ix := slab(100)
	p := hollow(8.6)
	ball := &plan.InsertPart{Name: "ball 8", Shape: "ball", Across: 8, Height: 8, Steel: true}
	n, why := Fold(ix, &p, ball, 1)
	if n <= p.Widest || n > p.Widest+10 || !strings.Contains(why, "narrows") {
		t.Fatal(n, why, p.Widest)
	}
	f := Of(ix, &p, ball, 1, n)
	if f.Level != finding.Care || f.Code != "insert-proud" || math.Abs(f.Top-10) > 0.1 ||
		math.Abs(f.Side-0.3) > 0.02 {
		t.Errorf("%+v", f)
	}
	if late := Of(ix, &p, ball, 1, n+1); late.Level != finding.Stop ||
		!strings.Contains(late.Words, fmt.Sprintf("Stop before layer %d", n)) {
		t.Errorf("%+v", late)
	}
	if u := f.Until(ix, n); math.Abs(float64(u)-50) > 1 {
		t.Error(u)
	}
	big := &plan.InsertPart{Shape: "ball", Across: 9, Height: 9}
	if n, _ := Fold(ix, &p, big, 1); n > p.Widest {
		t.Error("a ball wider than its hollow goes in before layer", n)
	}
	// In a shaft it lies on the floor and drops in as late as can be.
	shaft := pocket("round", 8.4, 8.4, 8.4, 11, 52)
	if n, why := Fold(ix, &shaft, ball, 1); n != 53 || !strings.Contains(why, "as late as possible") {
		t.Error(n, why)
	}
	if f := Of(ix, &shaft, ball, 1, 53); f.Level != "" || f.Top != 10 || f.Above != 0.4 {
		t.Errorf("%+v", f)
	}
}

// TestStep lets a part down onto a step: a shaft for a screw under a seat for its
// nut.
func TestStep(t *testing.T) {
	ix := slab(100)
	p := pocket("hex", 13.4, 15.5, 13.4, 11, 44)
	p.Widest = 21
	p.Sections = []landmark.Opening{{Layer: 11, Across: 5, Inscribed: 5, Size: [2]float64{5, 5}},
		{Layer: 21, Across: 13.4, Inscribed: 13.4, Size: [2]float64{13.4, 15.5}}}
	f := Of(ix, &p, &plan.InsertPart{Name: "M8 nut", Shape: "hex", Across: 13, Height: 4, Steel: true},
		1, 45)
	if f.Rest != 4 || f.Top != 8 || f.Level != "" || !strings.Contains(f.Words, "rests where the "+
		"pocket gets narrower") {
		t.Errorf("%+v", f)
	}
}

func TestChosen(t *testing.T) {
	ix := slab(100)
	pockets := []landmark.Pocket{pocket("round", 5, 5, 5, 20, 40), pocket("hex", 13.4, 15.47, 13.4, 11,
		44), pocket("hex", 13.4, 15.47, 13.4, 11, 44), pocket("round", 30, 30, 30, 30, 60)}
	for i := range pockets {
		pockets[i].Centre = [2]float64{float64(40 * i), 10}
	}
	ear := func(e plan.Ear) *plan.Ear {
		e.Kind, e.Insert = plan.Insert, &plan.InsertPart{Shape: "hex", Across: 13, Height: 3}
		return &e
	}
	for name, c := range map[string]struct {
		e    *plan.Ear
		n    int
		want []float64 // where they lie
		each int
	}{
		"one of two that are alike": {ear(plan.Ear{}), 45, []float64{40, 80}, 1},
		"two, each in its own":      {ear(plan.Ear{Count: 2}), 45, []float64{40, 80}, 1},
		"the one it names": {ear(plan.Ear{Count: 2, At: [][2]float64{{81, 9}}}), 45, []float64{
			80}, 2},
		"two on each other": {ear(plan.Ear{Count: 6}), 45, []float64{40, 80, 120}, 2},
		"nothing is open":   {ear(plan.Ear{}), 5, nil, 0},
	} {
		t.Run(name, func(t *testing.T) {
			got := Chosen(ix, pockets, c.e, c.n)
			var at []float64
			for _, f := range got {
				at = append(at, f.Pocket.Centre[0])
				if f.Count != c.each {
					t.Errorf("%d lie on one another", f.Count)
				}
			}
			if fmt.Sprint(at) != fmt.Sprint(c.want) {
				t.Errorf("at %v, want %v", at, c.want)
			}
		})
	}
	none := ear(plan.Ear{})
	none.Insert.Height = 0
	if Chosen(ix, pockets, none, 45) != nil {
		t.Error("something without a height is fitted")
	}
}

func TestWatch(t *testing.T) {
	ix := slab(100)
	p := pocket("hex", 13.4, 15.47, 13.4, 11, 44)
	p.Centre = [2]float64{50, 50}
	nut := &plan.InsertPart{Shape: "hex", Across: 13, Height: 6.5}
	w := NewWatch([]Fit{Of(ix, &p, nut, 1, 30)}) // its top is at 8.5 mm
	at := func(x, y, z float64) [3]gcode.Nano {
		return [3]gcode.Nano{gcode.FromMM(x), gcode.FromMM(y), gcode.FromMM(z)}
	}
	for name, c := range map[string]struct {
		from, to [3]gcode.Nano
		cross    float64
	}{
		"across, low":       {at(30, 50, 6), at(70, 50, 6), 8.5},
		"across, high":      {at(30, 50, 8.5), at(70, 50, 8.5), 0},
		"beside it":         {at(30, 58, 6), at(70, 58, 6), 0},
		"along the edge":    {at(30, 57.2, 6), at(70, 57.2, 6), 8.5},
		"ends before it":    {at(30, 50, 6), at(40, 50, 6), 0},
		"comes down on it":  {at(50, 50, 20), at(50, 50, 6), 8.5},
		"past a corner":     {at(58, 40, 6), at(58, 60, 6), 8.5},
		"wide of a corner":  {at(58.6, 40, 6), at(58.6, 60, 6), 0},
		"across on a slope": {at(30, 50, 6), at(70, 50, 20), 8.5},
	} {
		t.Run(name, func(t *testing.T) {
			if got := w.Crosses(c.from, c.to); got != c.cross {
				t.Errorf("%v, want %v", got, c.cross)
			}
		})
	}
	if got := w.Hits(at(30, 50, 6), at(70, 50, 6), gcode.MM/5); math.Abs(got-2.7) > 1e-9 {
		t.Errorf("laid into it by %v", got)
	}
	if got := w.Hits(at(30, 56.8, 6), at(70, 56.8, 6), gcode.MM/5); got != 0 {
		t.Errorf("a wall beside it counts as laid into it, %v", got)
	}
	if got := w.Hits(at(30, 50, 8.7), at(70, 50, 8.7), gcode.MM/5); got != 0 {
		t.Errorf("what is laid right on it counts as laid into it, %v", got)
	}
	arc := gcode.Arc{CX: 50, CY: 50, R0: 20, R1: 20, A0: 0, Turn: math.Pi}
	n := 0
	Pieces(at(70, 50, 6), at(30, 50, 6), &arc, func(a, b [3]gcode.Nano) {
		n++
		if w.Crosses(a, b) > 0 {
			t.Error("an arc around it counts as across")
		}
	})
	if n < 10 {
		t.Error(n)
	}
}

func ExampleWords() {
	p := pocket("hex", 13.2, 15.2, 13.2, 21, 53)
	fmt.Println(Words(&p))
	// Output: hex, 13.2 across flats, 6.6 deep, open until layer 53
}

// TestBrushes passes a disc and a ball that stand proud at several distances.
func TestBrushes(t *testing.T) {
	shape := Nozzle{Tip: 0.5, Free: 6, Reach: 20}
	at := func(d float64) (from, to [3]gcode.Nano) {
		return [3]gcode.Nano{gcode.FromMM(-9), gcode.FromMM(d), gcode.FromMM(5)},
			[3]gcode.Nano{gcode.FromMM(9), gcode.FromMM(d), gcode.FromMM(5)}
	}
	round := landmark.Pocket{Shape: "round", Across: 8.2, LastOpen: 9, Widest: 5}
	for _, c := range []struct {
		name  string
		part  plan.InsertPart
		top   float64 // mm; the line is laid at 5
		d     float64 // of the line from its middle
		want  float64
		shape Nozzle
	}{
		{"flat, beside it", plan.InsertPart{Shape: "disc", Across: 8}, 5, 4.5, 0, shape},
		{"2 mm proud, beside it", plan.InsertPart{Shape: "disc", Across: 8}, 7, 4.5, 2, shape},
		{"2 mm proud, 2 mm away", plan.InsertPart{Shape: "disc", Across: 8}, 7, 6, 0.5, shape},
		{"2 mm proud, 3 mm away", plan.InsertPart{Shape: "disc", Across: 8}, 7, 7, 0, shape},
		{"7 mm proud, 10 mm away", plan.InsertPart{Shape: "disc", Across: 8}, 12, 14, 8, shape},
		{"7 mm proud, 10 mm away, a slender head", plan.InsertPart{Shape: "disc", Across: 8}, 12, 14, 0,
			Nozzle{Tip: 0.5, Free: 6, Reach: 8}},
		{"a ball, nearly in", plan.InsertPart{Shape: "ball", Across: 8}, 6, 4.1, 0, shape},
		{"half a ball", plan.InsertPart{Shape: "ball", Across: 8}, 9, 4.6, 1.56, shape},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := NewWatch([]Fit{{Seat: Seat{Part: c.part, Pocket: &round, Top: c.top, Count: 1}}})
			from, to := at(c.d)
			if got := w.Brushes(from, to, c.shape); math.Abs(got-c.want) > 0.12 {
				t.Errorf("%.2f, want %.2f", got, c.want)
			}
		})
	}
}

// TestSay says each sentence once, and for how many pockets it holds.
func TestSay(t *testing.T) {
	fits := []Fit{{Level: finding.Care, Code: "insert-fit", Words: "It is tight."}, {},
		{Level: finding.Care, Code: "insert-fit", Words: "It is tight."},
		{Level: finding.Stop, Code: "insert-late", Words: "It is closed."}}
	got := Say(fits, 7)
	if len(got) != 2 || got[0].Message != "In each of 2 pockets: it is tight." || got[0].Line != 7 ||
		got[1].Message != "It is closed." {
		t.Errorf("%+v", got)
	}
}

// TestAfterwards seats what is put in when the print is done.
func TestAfterwards(t *testing.T) {
	ix := slab(60)
	nut := plan.InsertPart{Shape: "hex", Across: 13, Height: 6.4}
	open := pocket("hex", 13.4, 15.47, 13.4, 28, 60)
	open.Closes = nil
	closed, wide, deep := pocket("hex", 13.4, 15.47, 13.4, 28, 59), open, open
	wide.Across, wide.Size, wide.Inscribed = 16, [2]float64{18.5, 16}, 16
	deep.FirstOpen, deep.FloorZ, deep.Depth = 50, 9.8, 2.2
	round := open
	round.Shape = "round"
	for name, c := range map[string]struct {
		p    landmark.Pocket
		want bool
	}{"as if made for it": {open, true}, "closed": {closed, false}, "too wide": {wide, false},
		"too flat": {deep, false}, "round": {round, false}} {
		t.Run(name, func(t *testing.T) {
			if s, ok := Afterwards(ix, &c.p, &nut); ok != c.want || ok && s.Top != s.Rest+6.4 {
				t.Errorf("%v %+v", ok, s)
			}
		})
	}
}

// TestWanted asks for the pockets of a print only when something of a known size goes in.
func TestWanted(t *testing.T) {
	nut := &plan.InsertPart{Shape: "hex", Across: 13, Height: 6.4}
	for want, e := range map[bool]plan.Ear{true: {Kind: plan.Insert, Insert: nut},
		false: {Kind: plan.Colour, Insert: nut}} {
		if Wanted(&plan.Plan{Ears: []plan.Ear{{Kind: plan.Insert}, e}}) != want {
			t.Errorf("%+v", e)
		}
	}
	pr := plan.Generic()
	pr.Head = [2]float64{30, 9}
	if n := NozzleOf(pr); n.Reach != 30 || n.Free != 9 || NozzleOf(nil).Tip != n.Tip {
		t.Errorf("%+v", n)
	}
	p := pocket("rect", 20, 10, 10, 11, 44)
	p.Side, p.Support = true, 30
	if got := Words(&p); got !=
		"rect, 20.0 × 10.0, 6.8 deep, open until layer 44, and to the side, support in it" {
		t.Error(got)
	}
}
