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
	lines := gcode.NewScanner(io.NewSectionReader(src, s.Offset, max(upTo-s.Offset, 0)))
	for line < end && lines.Scan(&c) {
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
func (ix *Index) Decode(src Source, n int) ([]Move, error) {
	if n < 1 || n > len(ix.Layers) {
		return nil, fmt.Errorf("layer %d: the file has %d layers", n, len(ix.Layers))
	}
	moves := make([]Move, 0, ix.Layers[n-1].Moves+ix.Layers[n-1].Moves/8)
	labels := make(map[string]string, len(ix.Labels))
	for _, l := range ix.Labels {
		labels[l] = strings.TrimSpace(l)
	}
	label := ""
	err := ix.Walk(src, n, ix.Until(n), func(line int64, _ []byte, c *gcode.Command, a *gcode.Act,
		m *gcode.Machine) bool {
		switch a.Kind {
		case gcode.Lay, gcode.Travel, gcode.Pull, gcode.Push:
			var arc *gcode.Arc
			if a.Arc.Turn != 0 {
				arc = new(gcode.Arc)
				*arc = a.Arc
			}
			moves = append(moves, Move{line, a.Kind, a.From, m.Pos, a.DE, a.Laid, m.Feed, arc, label})
		case gcode.Nothing:
			if c.Letter == 0 && c.Comment != nil {
				if l, ok := labels[string(c.Comment)]; ok {
					label = l
				}
			}
		}
		return true
	})
	return moves, err
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
