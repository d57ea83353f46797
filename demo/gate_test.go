package demo_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"testing"

	"dogear/core/gate"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/pickup"
	"dogear/demo"
	"dogear/demo/demotest"
)

// TestPickupsPassTheGate picks up prints of every kind of slicing, corrected up and down,
// and has each file examined: what the print does itself beside its own walls stops none.
func TestPickupsPassTheGate(t *testing.T) {
	for part, solid := range small() {
		for _, name := range []string{"plain", "sloped", "slanting", "volumes"} {
			if testing.Short() && !demotest.Sampled(part, demo.DialectNamed(name)) {
				continue
			}
			t.Run(part+"/"+name, func(t *testing.T) {
				t.Parallel()
				file, _ := demo.Slice(solid, demo.DialectNamed(name))
				ix := index(t, file)
				for k, c := range []pickup.Choice{
					{Start: pickup.Next, DZ: 0.1}, {Start: pickup.Next, DZ: -0.05}, {Start: pickup.Next},
					{Start: pickup.Redo, DZ: 0.05}, {Start: pickup.Next, DX: 1, DZ: 0.02},
				} {
					c.Layer = 2 + (len(file)+k*7)%max(len(ix.Layers)-3, 1)
					c.Z = pickup.ByKept
					if c.DZ < 0 && ix.Kind == layer.Vase {
						continue // the spiral would begin inside the turn below
					}
					r, err := gate.Pickup(context.Background(), bytes.NewReader(file), ix, nil, nil, c,
						gate.Asked{})
					if err != nil {
						t.Fatal(fmt.Sprintf("%+v", c), err)
					}
					if f := r.Stopped(); f != nil {
						t.Errorf("%s, layer %d, %+.2f up: %s: %s", c.Start, c.Layer, c.DZ, f.Code, f.Message)
					}
				}
			})
		}
	}
}

// TestTouchCheckClear brings the nozzle, in a touch check, no nearer to anything than a
// sheet of paper, also where inner walls are half a layer higher than the one touched.
func TestTouchCheckClear(t *testing.T) {
	for part, solid := range small() {
		file, _ := demo.Slice(solid, demo.DialectNamed("plain"))
		ix := index(t, file)
		if ix.Kind == layer.Vase {
			continue
		}
		src := bytes.NewReader(file)
		n := len(ix.Layers) / 2
		moves, err := ix.Decode(src, n)
		if err != nil {
			t.Fatal(err)
		}
		lines, places, _, err := pickup.TouchCheck(src, ix, nil,
			pickup.Choice{Layer: n, Z: pickup.ByKept})
		if err != nil || len(places) == 0 {
			t.Fatal(part, err)
		}
		var m gcode.Machine
		var c gcode.Command
		var a gcode.Act
		for _, l := range lines {
			c.Parse([]byte(l.Text))
			m.Exec(&c, &a)
			if a.Kind != gcode.Travel || a.MoveX || m.Pos[2] >= a.From[2] {
				continue
			}
			for _, v := range moves { // ends of what is laid: the walls' corners are among them
				d := math.Hypot((v.To[0] - m.Pos[0]).Millimetres(), (v.To[1] - m.Pos[1]).Millimetres())
				if v.Kind == gcode.Lay && d < 0.8 && m.Pos[2] < v.To[2]+gcode.MM/10 {
					t.Fatalf("%s: down to %v beside a wall of %v", part, m.Pos[2], v.To[2])
				}
			}
		}
	}
}
