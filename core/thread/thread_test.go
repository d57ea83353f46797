package thread_test

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/thread"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestOf cuts a layer with a wall, a travel move behind a retraction, and an arc.
func TestOf(t *testing.T) {
	text := []string{
		"M104 S210", "G28", "M83", "G1 Z0.2 F600", // 4: the way to the wall
		"G0 X10 Y10 F6000",
		"G1 X30 E.7 F1200", "G1 Y30 E.7", "G1 E-.8", // 8
		"G0 X30 Y30", // nowhere
		"G0 X40 Y10", // the way to the arc
		"G1 E.8",
		"G2 X60 Y10 I10 J0 E1.2", // 12
		"G1 Z0.4", "G1 X70 E.4", "M104 S0", ""}
	file := []byte(strings.Join(text, "\n"))
	ix := demotest.Index(t, file)
	got, err := thread.Of(bytes.NewReader(file), ix, 1)
	if err != nil {
		t.Fatal(err)
	}
	if len(got.Paths) != 2 {
		t.Fatalf("%+v", got.Paths)
	}
	wall, arc := got.Paths[0], got.Paths[1]
	if wall.Line != 4 || wall.First != 6 || wall.Last != 7 || wall.To-wall.From != 2 ||
		wall.Length != 40 || wall.Feed != 20 || wall.End != 0 {
		t.Errorf("the wall: %+v", wall)
	}
	if arc.Line != 10 || arc.First != 12 || arc.Last != 12 || arc.To-arc.From < 20 ||
		math.Abs(arc.Length-10*math.Pi) > 1e-6 {
		t.Errorf("the arc: %+v", arc)
	}
	for k := arc.From; k < arc.To; k++ {
		p := got.XY[4*k : 4*k+4]
		for _, r := range []float64{math.Hypot(float64(p[0])-50, float64(p[1])-10),
			math.Hypot((float64(p[0])+float64(p[2]))/2-50, (float64(p[1])+float64(p[3]))/2-10)} {
			if math.Abs(r-10) > thread.ArcPrecision+1e-5 {
				t.Errorf("piece %d lies %g mm from the centre", k, r)
			}
		}
		if got.Lines[k] != 12 || got.Widths[k] == 0 || layer.Class(got.Classes[k]) != arc.Class {
			t.Errorf("piece %d: line %d, width %d, class %d", k, got.Lines[k], got.Widths[k],
				got.Classes[k])
		}
	}
	if k := slices.Index(got.Classes, byte(layer.Travel)); k < 0 || got.Widths[k] != 0 {
		t.Errorf("travel stands at %d: %v", k, got.Classes)
	}
}

// TestPieces cuts every layer of prints in several dialects: the pieces are what is laid, in order
// and without a gap, each belongs to one path, and paths follow each other in time.
func TestPieces(t *testing.T) {
	for part, solid := range map[string]demo.Solid{"gauge": demo.TideGauge(),
		"nameplate": demo.Nameplate(), "posts": demo.Posts()} {
		for _, d := range demotest.Dialects(part) {
			t.Run(part+"/"+d.Name, func(t *testing.T) {
				file, _ := demo.Slice(solid, d)
				ix := demotest.Index(t, file)
				for n := range ix.Layers {
					pieces(t, file, ix, n+1)
				}
			})
		}
	}
}

func pieces(t *testing.T, file []byte, ix *layer.Index, n int) {
	src := bytes.NewReader(file)
	got, err := thread.Timed(src, ix, n)
	if err != nil {
		t.Fatal(err)
	}
	moves, err := ix.Decode(src, n)
	if err != nil {
		t.Fatal(err)
	}
	laid := 0.0
	k := 0
	for i := range moves {
		m := &moves[i]
		if m.Kind != gcode.Lay || m.Line <= ix.Prime.Last {
			continue
		}
		laid += m.Length()
		for k < len(got.Classes) && got.Widths[k] == 0 {
			k++
		}
		from, to := ends(m)
		if k == len(got.Classes) || [2]float32(got.XY[4*k:]) != from {
			t.Fatalf("layer %d: line %d does not begin with piece %d", n, m.Line, k)
		}
		for k < len(got.Classes) && int64(got.Lines[k]) == m.Line {
			k++
		}
		if [2]float32(got.XY[4*k-2:]) != to {
			t.Fatalf("layer %d: line %d ends elsewhere", n, m.Line)
		}
	}
	length, at, time := 0.0, 0, 0.0
	for _, p := range got.Paths {
		length += p.Length
		for ; at < p.From; at++ {
			if got.Widths[at] != 0 {
				t.Fatalf("layer %d: piece %d belongs to no path", n, at)
			}
		}
		at = p.To
		if p.Line > p.First || p.First > p.Last || p.Begin < time-1e-9 || p.End < p.Begin {
			t.Fatalf("layer %d: %+v, and it is %g s already", n, p, time)
		}
		time = p.Begin
	}
	if math.Abs(length-laid) > 1e-6 || time > ix.Layers[n-1].Seconds {
		t.Errorf("layer %d: %g mm in paths, %g are laid", n, length, laid)
	}
}

// ends are where a move begins and ends, as a piece says it.
func ends(m *layer.Move) (from, to [2]float32) {
	for k := range from {
		from[k], to[k] = float32(m.From[k].Millimetres()), float32(m.To[k].Millimetres())
	}
	return from, to
}

// TestOverNothing lays a deck across two posts: what lies on a post alone lies on something.
func TestOverNothing(t *testing.T) {
	var b strings.Builder
	b.WriteString("M104 S210\nG28\nM83\n")
	line := func(x0, x1, y float64) {
		fmt.Fprintf(&b, "G0 X%g Y%g F6000\nG1 X%g E%.4f F1200\n", x0, y, x1, (x1-x0)*0.035)
	}
	for n := 1; n <= 6; n++ {
		fmt.Fprintf(&b, "G1 Z%.1f F600\n", 0.2*float64(n))
		for y := 100.0; y < 104; y += 0.4 {
			if n < 6 || y > 102 {
				line(100, 104, y)
				line(120, 124, y)
			} else {
				line(100, 124, y)
			}
		}
	}
	b.WriteString("M104 S0\n")
	file := []byte(b.String())
	ix := demotest.Index(t, file)
	src := bytes.NewReader(file)
	for n := 1; n <= 6; n++ {
		th, err := thread.Of(src, ix, n)
		if err != nil {
			t.Fatal(err)
		}
		over, err := thread.OverNothing(src, ix, n)
		if err != nil {
			t.Fatal(err)
		}
		var want []int
		for k, p := range th.Paths {
			if n == 6 && p.Length > 5 {
				want = append(want, k)
			}
		}
		if !slices.Equal(over, want) || n == 6 && len(want) < 5 {
			t.Errorf("layer %d: %v lie over nothing, want %v", n, over, want)
		}
	}
}
