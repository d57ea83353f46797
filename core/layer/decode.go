package layer

import (
	"fmt"
	"io"
	"sort"
	"strings"

	"dogear/core/gcode"
)

// Move is one movement of a decoded layer.
type Move struct {
	Line  int64
	Kind  gcode.Kind
	From  [3]gcode.Nano
	To    [3]gcode.Nano
	DE    gcode.Nano
	Laid  gcode.Nano
	Feed  gcode.Nano // per minute
	Arc   *gcode.Arc // nil for a straight move
	Label string     // the file's own name for its path; empty when it has none
}

// Walk runs the file from a layer's fold up to (not including) line end and
// calls f for every line with the state after it. It stops when f returns
// false. Layer 0 means the beginning of the file.
func (ix *Index) Walk(src Source, n int, end int64,
	f func(line int64, text []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool) error {
	if n > len(ix.Layers) {
		return fmt.Errorf("layer %d: the file has %d layers", n, len(ix.Layers))
	}
	from := int64(1)
	if n > 0 {
		from = ix.Layers[n-1].Fold
	}
	return ix.WalkFrom(src, from, end, f)
}

// WalkFrom runs the file from a line up to (not including) another, as Walk does.
func (ix *Index) WalkFrom(src Source, from, end int64,
	f func(line int64, text []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool) error {
	return ix.walk(src, new(gcode.Scanner), from, end, gcode.Run{}, nil, f)
}

// walk is WalkFrom. Runs of plain laying moves go to lays, when it is given, with the line of
// the first of them, where that begins and the state after all; room is for them.
func (ix *Index) walk(src Source, lines *gcode.Scanner, from, end int64, room gcode.Run,
	lays func(line int64, at [3]gcode.Nano, run *gcode.Run, m *gcode.Machine),
	f func(line int64, text []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool) error {
	s := ix.nearest(from)
	m := gcode.NewMachine(ix.Dialect)
	m.State = s.State
	line := s.Line
	var c gcode.Command
	var a gcode.Act
	// No more is read than up to the next fold that is known to lie at or behind the end.
	upTo := ix.Bytes
	if k := sort.Search(len(ix.Layers), func(i int) bool { return ix.Layers[i].Fold >= end }); k < len(
		ix.Layers) {
		upTo = ix.Layers[k].Offset
	}
	lines.Reset(io.NewSectionReader(src, s.Offset, max(upTo-s.Offset, 0)))
	run := room
	for line < end {
		if lays != nil && line >= from {
			run.Ends = room.Ends[:0:min(int64(cap(room.Ends)), end-line)]
			at := m.Pos
			if k := lines.LayRun(&m, &run); k > 0 {
				lays(line, at, &run, &m)
				line += int64(k)
				continue
			}
		}
		if !lines.Scan(&c) {
			break
		}
		m.Exec(&c, &a)
		if line >= from && !f(line, lines.Text(), &c, &a, &m) {
			return nil
		}
		line++
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("line %d: %w", line, err)
	}
	return nil
}

// runRoom is how many laying moves are carried out at once.
const runRoom = 512

// Until returns the line behind layer n: the fold line of the next layer, or,
// for the last one, the line behind its last laying move.
func (ix *Index) Until(n int) int64 {
	if n < len(ix.Layers) {
		return ix.Layers[n].Fold
	}
	return ix.Layers[n-1].Last + 1
}

// Decode returns the movements of layer n (1-based) in order, from its fold to
// the next one.
func (ix *Index) Decode(src Source, n int) ([]Move, error) { return ix.NewDecoder(src).Layer(n) }

// Decoder decodes one layer after another, and uses its room again.
type Decoder struct {
	ix     *Index
	src    Source
	lines  gcode.Scanner
	labels map[string]string // comments, with the blanks round them, by what they say
	room   gcode.Run
	moves  []Move
}

// NewDecoder returns a decoder of the layers of a source.
func (ix *Index) NewDecoder(src Source) *Decoder {
	d := &Decoder{ix: ix, src: src, labels: make(map[string]string, len(ix.Labels))}
	for _, l := range ix.Labels {
		d.labels[l] = strings.TrimSpace(l)
	}
	return d
}

// Layer returns what Decode does; it is good until the next call.
func (d *Decoder) Layer(n int) ([]Move, error) {
	ix := d.ix
	if n < 1 || n > len(ix.Layers) {
		return nil, fmt.Errorf("layer %d: the file has %d layers", n, len(ix.Layers))
	}
	count := ix.Layers[n-1].Moves
	if room := min(runRoom, count+1); cap(d.room.Each) < room {
		d.room.Ends, d.room.Each = make([][2]gcode.Nano, 0, room), make([]gcode.Nano, 0, room)
	}
	if d.moves = d.moves[:0]; cap(d.moves) < count+count/8 {
		d.moves = make([]Move, 0, count+count/8)
	}
	label := ""
	lays := func(line int64, at [3]gcode.Nano, run *gcode.Run, m *gcode.Machine) {
		to := at
		for i, p := range run.Ends {
			to[0], to[1] = p[0], p[1]
			e := run.Each[i]
			d.moves = append(d.moves, Move{line + int64(i), gcode.Lay, at, to, e, e, m.Feed, nil, label})
			at = to
		}
	}
	err := ix.walk(d.src, &d.lines, ix.Layers[n-1].Fold, ix.Until(n), d.room, lays, func(line int64,
		_ []byte, c *gcode.Command, a *gcode.Act, m *gcode.Machine) bool {
		switch a.Kind {
		case gcode.Lay, gcode.Travel, gcode.Pull, gcode.Push:
			var arc *gcode.Arc
			if a.Arc.Turn != 0 {
				arc = new(gcode.Arc)
				*arc = a.Arc
			}
			d.moves = append(d.moves, Move{line, a.Kind, a.From, m.Pos, a.DE, a.Laid, m.Feed, arc, label})
		case gcode.Nothing:
			if c.Letter == 0 && c.Comment != nil {
				if l, ok := d.labels[string(c.Comment)]; ok {
					label = l
				}
			}
		}
		return true
	})
	return d.moves, err
}

// StateAt returns the machine's state before a line.
func (ix *Index) StateAt(src Source, line int64) (gcode.State, error) {
	if line < 1 || line > ix.Lines+1 {
		return gcode.State{}, fmt.Errorf("line %d: the file has %d lines", line, ix.Lines)
	}
	s := ix.nearest(line).State
	err := ix.WalkFrom(src, line-1, line, func(_ int64, _ []byte, _ *gcode.Command, _ *gcode.Act,
		m *gcode.Machine) bool {
		s = m.State
		return true
	})
	return s, err
}

// Before returns the machine's state before the fold of layer n.
func (ix *Index) Before(src Source, n int) (gcode.State, error) {
	return ix.StateAt(src, ix.Layers[n-1].Fold)
}
