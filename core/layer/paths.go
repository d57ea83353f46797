package layer

import (
	"math"
	"slices"
	"strings"

	"dogear/core/gcode"
)

// Class says what a path is for.
type Class uint8

// Classes of paths.
const (
	Travel  Class = iota // lays nothing
	Outer                // the wall one sees
	Inner                // walls behind it
	Fill                 // sparse fill
	Solid                // top and bottom
	Support              // to be taken off
	Skirt                // skirt and brim
	Other
)

// Names of the classes in plain words.
var classNames = [...]string{"travel", "outer wall", "inner wall", "fill", "solid fill", "support",
	"skirt or brim", "other"}

func (c Class) String() string { return classNames[c] }

// Path is a run of moves that is laid in one go, or one run of travel.
type Path struct {
	From, To int // moves From … To-1
	Class    Class
	Named    bool // the class is what the file's own label says
	Closed   bool
	Length   float64 // mm
	Laid     gcode.Nano
	Bent     bool          // an arc is in it
	box      [4]gcode.Nano // of its ends
}

// Box holds the ends of all moves of the path, and the moves themselves unless it is Bent.
func (p *Path) Box() [4]gcode.Nano { return p.box }

// Paths groups the moves of a layer. Classes come from the file's own labels
// where their words are plain, else from shape: a closed path is a wall, an
// open one is fill.
func Paths(moves []Move) []Path {
	var out []Path
	for i := range moves {
		m := &moves[i]
		lay := m.Kind == gcode.Lay
		if n := len(out); n > 0 {
			p := &out[n-1]
			prev := &moves[p.To-1]
			if lay == (prev.Kind == gcode.Lay) && p.To == i && (!lay || prev.To == moves[i].From &&
				prev.Label == moves[i].Label && !closes(moves, p)) {
				p.add(i, m)
				continue
			}
		}
		p := Path{From: i, To: i, box: [4]gcode.Nano{m.From[0], m.From[1], m.From[0], m.From[1]}}
		if lay {
			p.Class = Other
		}
		p.add(i, m)
		out = append(out, p)
	}
	classify(moves, out)
	return out
}

func (p *Path) add(i int, m *Move) {
	p.To = i + 1
	p.Laid += m.Laid
	p.Length += m.Length()
	p.Bent = p.Bent || m.Arc != nil
	b := &p.box
	b[0], b[1] = min(b[0], m.To[0]), min(b[1], m.To[1])
	b[2], b[3] = max(b[2], m.To[0]), max(b[3], m.To[1])
}

// Length returns the way of a move in mm.
func (m *Move) Length() float64 {
	dx, dy, dz := float64(m.To[0]-m.From[0]), float64(m.To[1]-m.From[1]), float64(m.To[2]-m.From[2])
	if m.Arc != nil {
		return math.Hypot(m.Arc.Length(), dz/float64(gcode.MM))
	}
	return math.Sqrt(dx*dx+dy*dy+dz*dz) / float64(gcode.MM)
}

// closes reports whether a path has come back to where it began.
func closes(moves []Move, p *Path) bool {
	const near = gcode.MM / 10
	dx, dy := moves[p.To-1].To[0]-moves[p.From].From[0], moves[p.To-1].To[1]-moves[p.From].From[1]
	return dx < near && dx > -near && dy < near && dy > -near && p.Length > 1
}

// words a label may use for a class; ordinary words of the trade.
var classWords = []struct {
	word  string
	class Class
}{
	{"skirt", Skirt}, {"brim", Skirt}, {"support", Support}, {"outer", Outer}, {"outside", Outer},
	{"external", Outer},
	{"inner", Inner}, {"inside", Inner}, {"wall", Inner}, {"solid", Solid}, {"top", Solid},
	{"bottom", Solid}, {"bridge", Solid},
	{"fill", Fill},
}

func labelClass(label string) Class {
	l := strings.ToLower(label)
	for _, w := range classWords {
		if strings.Contains(l, w.word) {
			return w.class
		}
	}
	return Other
}

func classify(moves []Move, paths []Path) {
	var loops []*Path
	for i := range paths {
		p := &paths[i]
		if p.Class == Travel {
			continue
		}
		p.Closed = closes(moves, p)
		if p.Class = labelClass(moves[p.From].Label); p.Class != Other {
			p.Named = true
			continue
		}
		p.Class = Fill
		if p.Closed {
			p.Class = Outer
			loops = append(loops, p)
		}
	}
	// A loop that lies just inside another one is an inner wall. The lower left corner of
	// that one lies in the square of its own or in one of those left and below.
	type square [2]gcode.Nano
	at := func(p *Path) square { return square{div(p.box[0]), div(p.box[1])} }
	corners := make(map[square][]*Path, len(loops))
	for _, q := range loops {
		corners[at(q)] = append(corners[at(q)], q)
	}
	for _, p := range loops {
		c := at(p)
		for _, s := range [4]square{c, {c[0] - 1, c[1]}, {c[0], c[1] - 1}, {c[0] - 1, c[1] - 1}} {
			if slices.ContainsFunc(corners[s], func(q *Path) bool { return q != p && hugs(q.box, p.box) }) {
				p.Class = Inner
				break
			}
		}
	}
}

// lineWide is about the width of a line and a half.
const lineWide = gcode.MM * 8 / 10

// div is the square of lineWide that a coordinate lies in.
func div(v gcode.Nano) gcode.Nano {
	if v < 0 {
		v -= lineWide - 1
	}
	return v / lineWide
}

// hugs reports whether box b lies inside a and within a line's width of it.
func hugs(a, b [4]gcode.Nano) bool {
	for k := range 4 {
		d := b[k] - a[k]
		if k > 1 {
			d = -d
		}
		if d <= gcode.MM/20 || d > lineWide {
			return false
		}
	}
	return true
}

// Width returns the mean width of a laid move in mm: V = e·π·d²/4, w = V/(l·h),
// for filament of diameter d and a layer of height h, kept within 0.1 and 3.
func (m *Move) Width(height gcode.Nano, diameter float64) float64 {
	l, h := m.Length(), height.Millimetres()
	if l <= 0 || h <= 0 {
		return 0.4
	}
	v := m.Laid.Millimetres() * math.Pi * diameter * diameter / 4
	return max(0.1, min(3, v/(l*h)))
}
