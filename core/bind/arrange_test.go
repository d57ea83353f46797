package bind

import (
	"bytes"
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/demo"
	"dogear/demo/demotest"
)

// pieces are slicings of the harbour wall with layers of some heights, mm.
func pieces(t *testing.T, heights ...float64) []Piece {
	t.Helper()
	var out []Piece
	for _, h := range heights {
		file, _ := demo.Slice(demo.HarbourWall(h), demo.DialectNamed("plain"))
		out = append(out, Piece{Name: "wall", Src: bytes.NewReader(file), Ix: demotest.Index(t, file)})
	}
	return out
}

// fits checks that each piece goes on at the height at which the one below it ends.
func fits(t *testing.T, all []Piece) {
	t.Helper()
	for i := 1; i < len(all); i++ {
		below, above := &all[i-1], &all[i]
		ends := below.Ix.Layers[below.To-1].Z
		begins := above.Ix.Layers[above.From-1].Z - above.Ix.Layers[above.From-1].Height
		if d := ends - begins; d < -within || d > within || below.From > below.To {
			t.Errorf("piece %d ends at %v mm, the next begins at %v mm", i, ends, begins)
		}
	}
}

// TestArrange puts joints where pieces meet: spread over the height, on top of the others, and
// where somebody wants them.
func TestArrange(t *testing.T) {
	all := pieces(t, 0.3, 0.15, 0.3)
	Spread(all)
	fits(t, all)
	top := all[2].Ix.Height()
	for i, want := range []gcode.Nano{top / 3, top * 2 / 3} {
		if z := all[i].Ix.Layers[all[i].To-1].Z; z < want-300_000 || z > want+300_000 {
			t.Errorf("joint %d at %v mm, want about %v", i+1, z, want)
		}
	}
	MoveJoint(all, 0, 2_000_000)
	fits(t, all)
	if z := all[0].Ix.Layers[all[0].To-1].Z; z != 2_100_000 {
		t.Errorf("moved to %v mm", z)
	}
	MoveJoint(all, 0, top*2) // no further than the joint above it
	fits(t, all)
	if all[1].From > all[1].To {
		t.Errorf("layers %d to %d are left of the middle piece", all[1].From, all[1].To)
	}
	more := append(pieces(t, 0.3, 0.15), Piece{})
	Spread(more[:2])
	more[2] = pieces(t, 0.3)[0]
	OnTop(more)
	fits(t, more)
	if z, low := more[1].Ix.Layers[more[1].To-1].Z, more[0].Ix.Layers[more[0].To-1].Z; z <= low {
		t.Errorf("put on at %v mm, below %v", z, low)
	}
	if err := Meet(more); err != nil {
		t.Error(err)
	}
	never := pieces(t, 0.3, 0.3)
	for i := range never[1].Ix.Layers {
		never[1].Ix.Layers[i].Z += 100_000
	}
	Spread(never)
	if err := Meet(never); err == nil || !strings.Contains(err.Error(), "share no height") {
		t.Error(err)
	}
}
