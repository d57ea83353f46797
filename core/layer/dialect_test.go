package layer

import (
	"bytes"
	"context"
	"fmt"
	"testing"

	"dogear/core/gcode"
)

// TestDialect reads a file that leaves open how its filament counts for both kinds of
// printers: each layer decoded from its fold lays what the reading counted.
func TestDialect(t *testing.T) {
	file := []byte("M104 S200\nG28\nG90\nG92 E0\nG0 X20 Y20 Z0.2\nG91\nG1 X9 E1\nG1 Y9 E2\nG1 Z.2\n" +
		"G1 X-9 E3\nBEACON\nG1 Z.2\nG1 Y-9 E4\nM104 S0\n")
	src := bytes.NewReader(file)
	for _, c := range []struct {
		d    gcode.Dialect
		laid gcode.Nano
		stop int
	}{
		{gcode.Dialect{}, 10 * gcode.MM, 0},
		{gcode.Dialect{KeepE: true}, 4 * gcode.MM, 0},
		{gcode.Dialect{KeepE: true, StopWords: []string{"BEACON"}}, 4 * gcode.MM, 1},
	} {
		t.Run(fmt.Sprintf("%+v", c.d), func(t *testing.T) {
			ix, err := Read(context.Background(), src, Options{Dialect: c.d})
			if err != nil {
				t.Fatal(err)
			}
			if ix.Filament != c.laid || len(ix.Stops) != c.stop || ix.OpenE != 7 {
				t.Errorf("%+v: %v laid, %d stops, open from line %d", c.d, ix.Filament, len(ix.Stops), ix.OpenE)
			}
			sum := gcode.Nano(0)
			for n := range ix.Layers {
				moves, err := ix.Decode(src, n+1)
				if err != nil {
					t.Fatal(err)
				}
				for i := range moves {
					sum += moves[i].Laid
				}
			}
			if sum != c.laid {
				t.Errorf("%+v: decoded %v, read %v", c.d, sum, c.laid)
			}
			for _, o := range []struct {
				d    gcode.Dialect
				same bool
			}{
				{c.d, true},
				{gcode.Dialect{KeepE: !c.d.KeepE, StopWords: c.d.StopWords}, false},
				{gcode.Dialect{KeepE: c.d.KeepE, StopWords: append([]string{"NOWHERE"}, c.d.StopWords...)},
					true},
				{gcode.Dialect{KeepE: c.d.KeepE, StopWords: []string{"BEACON"}}, c.stop == 1},
			} {
				if ix.ReadsAlike(o.d) != o.same {
					t.Errorf("read for %+v: alike for %+v is %v", c.d, o.d, !o.same)
				}
			}
		})
	}
}
