package layer

import (
	"dogear/core/gcode"
)

// closing is how near the end of a closed path comes to its beginning.
const closing = gcode.MM / 2

func near(a, b [2]gcode.Nano) bool {
	dx, dy := a[0]-b[0], a[1]-b[1]
	return dx <= closing && dx >= -closing && dy <= closing && dy >= -closing
}

// extent returns the box of the present move.
func (r *reader) extent() [4]gcode.Nano {
	a, p := &r.a, &r.m.Pos
	if a.Arc.Turn != 0 {
		b := a.Arc.Bounds()
		return [4]gcode.Nano{gcode.FromMM(b[0]), gcode.FromMM(b[1]),
			gcode.FromMM(b[2]), gcode.FromMM(b[3])}
	}
	return [4]gcode.Nano{min(a.From[0], p[0]), min(a.From[1], p[1]),
		max(a.From[0], p[0]), max(a.From[1], p[1])}
}

func union(a, b [4]gcode.Nano) [4]gcode.Nano {
	if b[0] < a[0] {
		a[0] = b[0]
	}
	if b[1] < a[1] {
		a[1] = b[1]
	}
	if b[2] > a[2] {
		a[2] = b[2]
	}
	if b[3] > a[3] {
		a[3] = b[3]
	}
	return a
}

// apart reports whether two boxes lie more than a distance from each other.
func apart(a, b [4]gcode.Nano, grow gcode.Nano) bool {
	return a[2]+grow < b[0] || a[0]-grow > b[2] || a[3]+grow < b[1] || a[1]-grow > b[3]
}

// farOff is how far from the origin no printer at home reaches.
const farOff = 1500 * gcode.MM

func beyond(b [4]gcode.Nano) bool {
	return b[0] < -farOff || b[1] < -farOff || b[2] > farOff || b[3] > farOff
}

// farOff notes the first laying move that ends where no printer reaches. ends are
// those of the present line and the lines behind it.
func (r *reader) farOff(ends [][2]gcode.Nano) {
	for i, e := range ends {
		if beyond([4]gcode.Nano{e[0], e[1], e[0], e[1]}) && r.faults.farLine == 0 {
			r.faults.farLine = r.line + int64(i)
			if len(ends) > 1 {
				r.faults.farLine++ // the run's first line is the one behind the present one
			}
		}
	}
}
