package bind

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"
	"testing"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// heights makes an index with layers at these heights, µm.
func heights(um ...int) *layer.Index {
	ix := &layer.Index{}
	for _, z := range um {
		ix.Layers = append(ix.Layers, layer.Layer{Z: gcode.Nano(z) * 1000})
	}
	return ix
}

func TestShared(t *testing.T) {
	for _, c := range []struct {
		name string
		a, b []int
		want string
	}{
		{"one twice the other", []int{300, 600, 900, 1200}, []int{300, 450, 600, 750, 900, 1050, 1200},
			"[{0.30 1 1} {0.60 2 3} {0.90 3 5}]"},
		{"first layers differ", []int{200, 500, 800, 1100}, []int{350, 500, 650, 800, 950, 1100, 1250},
			"[{0.50 2 2} {0.80 3 4}]"},
		{"nearly", []int{300, 600, 900}, []int{301, 602, 899, 1200}, "[{0.30 1 1}]"},
		{"none", []int{200, 400, 600}, []int{300, 500, 700}, "[]"},
		{"the last of either does not count", []int{300, 600}, []int{300, 600}, "[{0.30 1 1}]"},
		{"nothing", nil, []int{300}, "[]"},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := fmt.Sprint(Shared(heights(c.a...), heights(c.b...)))
			if got != c.want {
				t.Errorf("%s, want %s", got, c.want)
			}
		})
	}
	all := Shared(heights(300, 600, 900, 1200), heights(300, 600, 900, 1200))
	for z, want := range map[gcode.Nano]int{0: 0, 440: 0, 460: 1, 600: 1, 5000: 2} {
		if got := Nearest(all, z*1000); got != want {
			t.Errorf("nearest to %d µm: %d, want %d", z, got, want)
		}
	}
	if Nearest(nil, 0) != -1 {
		t.Error("something is near where nothing is")
	}
}

// TestJoined reads sources that lie behind one another like one.
func TestJoined(t *testing.T) {
	whole := []byte("first\nsecond\nthird\n")
	for i := range len(whole) {
		for j := i; j < len(whole); j++ {
			src := after(after(after(nil, bytes.NewReader(whole[:i])), bytes.NewReader(whole[i:j])),
				bytes.NewReader(whole[j:]))
			if src.Size() != int64(len(whole)) {
				t.Fatal(src.Size())
			}
			for off := range len(whole) {
				got, err := io.ReadAll(io.NewSectionReader(src, int64(off), 7))
				if want := whole[off:min(off+7, len(whole))]; err != nil || !bytes.Equal(got, want) {
					t.Fatalf("%d/%d at %d: %q, want %q (%v)", i, j, off, got, want, err)
				}
			}
		}
	}
}

func ExampleMake() {
	wall := func(h float64, n int) Piece {
		var b strings.Builder
		b.WriteString("G90\nM82\nM104 S210\nM109 S210\nG28\n")
		e := 0.0
		for i := 1; i <= n; i++ {
			fmt.Fprintf(&b, "; course %d\nG1 Z%.2f F600\nG0 X80 Y100 F6000\n", i, h*float64(i))
			for _, p := range [4][2]int{{120, 100}, {120, 110}, {80, 110}, {80, 100}} {
				e += h / 0.3
				fmt.Fprintf(&b, "G1 X%d Y%d E%.2f F1500\n", p[0], p[1], e)
			}
		}
		b.WriteString("M104 S0\n")
		src := strings.NewReader(b.String())
		ix, _ := layer.Read(context.Background(), src, layer.Options{})
		return Piece{Name: fmt.Sprintf("wall at %g", h), Src: src, Ix: ix, From: 1}
	}
	coarse, fine := wall(0.3, 4), wall(0.15, 8)
	coarse.To, fine.From = 2, 5
	b, err := Make(context.Background(), []Piece{coarse, fine}, []Joint{{}}, &plan.Plan{})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, l := range b.Joints[0].Lines {
		fmt.Println(l.Text)
	}
	n, err := edit.Write(io.Discard, b.Src, b.Edits)
	fmt.Println(len(b.Findings), n > 0, err)
	// Output:
	// ; dogear joint 1: goes on with wall at 0.15 from layer 5
	// M83 ; filament counts in steps while we are away
	// G1 E-1 F2100 ; draws 1 mm back
	// G1 Z2.6 F600 ; up, 2 mm above the highest plastic
	// G1 Z0.6 F600 ; down
	// G1 E1 F2100 ; gives back what we drew
	// G1 F1500 ; speed as it was
	// M82 ; filament counts from the start, as the file had it
	// G92 E8 ; the axis stands exactly where it stood
	// ; dogear seal d8bb6cf2
	// ; dogear joint 1 ends
	// 0 true <nil>
}

// FuzzMake binds what it can be made to read: whatever the bytes are, each piece
// is copied as it is.
func FuzzMake(f *testing.F) {
	wall := func(h float64, rel bool) []byte {
		var b strings.Builder
		b.WriteString("G90\nM83\nM104 S210\nM109 S210\nG28\n")
		for i := 1; i <= 4; i++ {
			fmt.Fprintf(&b, "; course %d\nG1 Z%.2f F600\nG0 X80 Y100 F6000\nG1 X120 Y100 E1 F1500\n"+
				"G1 X120 Y110 E1\nG1 X80 Y110 E1\nG1 E-1 F2100\n", i, h*float64(i))
			if rel {
				b.WriteString("M106 S99\n")
			}
		}
		b.WriteString("M104 S0\n")
		return []byte(b.String())
	}
	f.Add(wall(0.3, false), wall(0.15, true), uint8(0))
	f.Add(wall(0.2, true), wall(0.2, false), uint8(1))
	f.Fuzz(func(t *testing.T, one, other []byte, pick uint8) {
		if len(one)+len(other) > 20000 {
			return
		}
		var p [2]Piece
		for i, b := range [2][]byte{one, other} {
			ix, err := layer.Read(context.Background(), bytes.NewReader(b), layer.Options{})
			if err != nil || len(ix.Layers) < 2 || len(ix.Layers) > 200 ||
				ix.Box[2]-ix.Box[0] > 400*gcode.MM || ix.Box[3]-ix.Box[1] > 400*gcode.MM {
				return // no bed is larger, and grids of that size take their time
			}
			p[i] = Piece{Name: "piece", Src: bytes.NewReader(b), Ix: ix, From: 1}
		}
		all := Shared(p[0].Ix, p[1].Ix)
		if len(all) == 0 {
			return
		}
		h := all[int(pick)%len(all)]
		p[0].To, p[1].From = h.A, h.B+1
		b, err := Make(context.Background(), p[:], []Joint{{}}, &plan.Plan{})
		if err != nil {
			return
		}
		var out bytes.Buffer
		if _, err := edit.Write(&out, b.Src, b.Edits); err != nil {
			t.Fatal(err)
		}
		rest := other[p[1].Ix.Layers[h.B].Offset:]
		if !bytes.HasSuffix(out.Bytes(), rest) ||
			!bytes.HasPrefix(out.Bytes(), one[:p[0].Ix.Layers[h.A].Offset]) {
			t.Error("a piece is not what it was")
		}
	})
}
