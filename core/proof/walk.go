package proof

import (
	"bufio"
	"bytes"
	"context"
	"io"
	"slices"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
)

// Change is a place where the edited file leaves the original: Cut bytes at
// Offset give way to what Put holds. Both are whole lines.
type Change struct {
	Offset, Cut int64
	Put         io.ReadSeeker // nil for nothing
	Jump        *Jump         // set where the original goes on elsewhere behind it
	Marks       []mark.Placed // what lines of Put are there for; see [edit.Edit]
}

// Jump says what the original is behind a change when the lines that were cut
// have not been carried out: the rest of a failed print, or another slicing.
type Jump struct {
	Src    layer.Source // the file that goes on, by itself
	Ix     *layer.Index
	Line   int64         // of that file
	At     gcode.State   // before that line
	Shift  [3]gcode.Nano // by which everything behind is moved
	Tip    gcode.Nano    // by how much the nozzle is longer than before
	Stands bool          // what that file lays in front of Line is on the bed
	Empty  bool          // the bed is empty: the lines put in may prime anywhere
	Rest   *Rest         // of the move in front of Line, which the lines put in lay

	swapped bool // the longer nozzle is in
}

// Rest is the end of a move that was cut: only that is laid.
type Rest struct {
	From, To [3]gcode.Nano
	Laid     gcode.Nano
}

// piece is a run of lines of one file whose plastic is on the bed.
type piece struct {
	src      layer.Source
	ix       *layer.Index
	from, to int64 // lines, to left out; 0 while it is being laid
	shift    [3]gcode.Nano
}

// walker goes through original and edited file together, line by line. o is the
// machine as the original has it, m as the edited file has it:
//
//	original  ─ copied ─┤ cut ├─ copied ─        o
//	edited    ─ copied ─┤ put ├─ copied ─        m
//
// Where both stand alike, a copied move does the same to both, and m alone is
// asked; that is nearly always.
type walker struct {
	ctx  context.Context
	src  layer.Source
	ix   *layer.Index
	next func() (Change, bool, error)

	o, m         gcode.Machine
	oLine, mLine int64
	jump         Jump // that was made last
	geo          bool // both stand alike: place, filament, ways of counting
	dirty        bool // something that moves do not change may differ
	told         map[string]bool
	excuse       bool // the next move begins where one that was named has ended

	lines   *gcode.Scanner
	puts    *gcode.Scanner
	c       gcode.Command
	a, b    gcode.Act
	run     gcode.Run
	openEnd bool // the last copied line had no end
	seen    int64

	x     *examiner
	marks marks
	r     *Report
	cmp   comparer
}

func newWalker(ctx context.Context, src layer.Source, ix *layer.Index, x *examiner) *walker {
	w := &walker{ctx: ctx, src: src, ix: ix, geo: true, told: map[string]bool{}, x: x,
		lines: gcode.NewScanner(nil), puts: gcode.NewScanner(nil), r: &Report{Format: Format,
			Rewritten: []Rewritten{}, Stops: []Stop{}}}
	w.o, w.m = gcode.NewMachine(ix.Dialect), gcode.NewMachine(ix.Dialect)
	w.run.Ends = make([][2]gcode.Nano, 0, layer.Stride)
	w.cmp.w, x.w = w, w
	w.marks.open = map[string]*active{}
	w.jump = Jump{Src: src, Ix: ix, Line: 1}
	x.bed = []piece{{src, ix, 1, 0, [3]gcode.Nano{}}}
	return w
}

// walk runs both files.
func (w *walker) walk() error {
	at := int64(0)
	for {
		c, more, err := w.next()
		if err != nil {
			return err
		}
		end := w.src.Size()
		if more {
			end = c.Offset
		}
		if err := w.copied(at, end); err != nil {
			return err
		}
		if !more {
			return nil
		}
		if err := w.replaced(&c); err != nil {
			return err
		}
		at = c.Offset + c.Cut
	}
}

func (w *walker) tick() error {
	if w.seen++; w.seen&0x3fff == 0 {
		if w.x.progress != nil {
			w.x.progress(w.mLine)
		}
		return w.ctx.Err()
	}
	return nil
}

// copied runs lines that both files have.
func (w *walker) copied(from, to int64) error {
	if from >= to {
		return nil
	}
	w.lines.Reset(io.NewSectionReader(w.src, from, to-from))
	for {
		if w.geo && !w.dirty && !w.x.every() {
			from, e := w.m.Pos, w.m.E
			w.run.Laid = 0
			if n := w.lines.LayRun(&w.m, &w.run); n > 0 {
				w.oLine, w.mLine = w.oLine+int64(n), w.mLine+int64(n)
				w.r.Moves += int64(n)
				w.follow(e)
				w.x.laidRun(from, &w.run)
				w.seen += int64(n) - 1
				if err := w.tick(); err != nil {
					return err
				}
				continue
			}
		}
		if !w.lines.Scan(&w.c) {
			break
		}
		if err := w.tick(); err != nil {
			return err
		}
		w.both()
		text := w.lines.Text()
		w.openEnd = text[len(text)-1] != '\n'
	}
	return w.lines.Err()
}

// follow lets the original's machine do what the edited file's has done since its
// axis stood at e, where both stand alike.
func (w *walker) follow(e gcode.Nano) {
	o, m, s := &w.o, &w.m, &w.jump.Shift
	o.E += m.E - e
	for k := range o.Pos {
		o.Pos[k] = m.Pos[k] - s[k]
	}
	o.Known, o.Debt, o.Pulled, o.Top = m.Known, m.Debt, m.Pulled, m.Top
}

// both carries out a line that both files have.
func (w *walker) both() {
	w.oLine++
	w.mLine++
	c := &w.c
	if w.geo && c.Letter == 'G' && c.Code >= 0 && c.Code <= 3 {
		e := w.m.E
		w.m.Exec(c, &w.a)
		w.follow(e)
		if c.Has('F') {
			w.o.Feed = w.m.Feed
		}
		if w.a.Kind == gcode.Lay {
			if w.dirty {
				w.cmp.state()
			}
			w.r.Moves++
		}
		w.x.copied(c, &w.a, nil)
		return
	}
	if c.Letter == 0 {
		return
	}
	before := w.o.State
	mine := w.m.State
	w.o.Exec(c, &w.b)
	w.x.uses(c, &w.b)
	w.m.Exec(c, &w.a)
	if c.Letter != 'G' || c.Code > 3 {
		w.dirty = true
	}
	if !w.geo {
		w.cmp.moves(&before, &mine)
	}
	w.x.copied(c, &w.a, &w.b)
	w.align()
}

// align looks whether both machines stand alike again.
func (w *walker) align() {
	was := w.geo
	w.geo = w.alike()
	if w.geo && !was {
		w.cmp.again()
	}
}

func (w *walker) alike() bool {
	o, m := &w.o.State, &w.m.State
	for k := range o.Pos {
		if m.Pos[k]-w.jump.Shift[k] != o.Pos[k] || m.Logical()[k] != o.Logical()[k] {
			return false
		}
	}
	return m.Debt == o.Debt && m.Pulled == o.Pulled && m.Tool == o.Tool && m.Known == o.Known &&
		m.RelXYZ == o.RelXYZ && m.RelE == o.RelE && m.Inch == o.Inch &&
		(m.RelE || m.LogicalE() == o.LogicalE()) && m.Plane() == o.Plane()
}

// replaced runs a place where the files part: first what was cut, on the
// original's machine, then what was put in, on the edited file's.
func (w *walker) replaced(c *Change) error {
	if w.geo {
		w.cmp.start()
	}
	muted, err := mutedIn(c)
	if err != nil {
		return err
	}
	skip := w.openEnd
	w.openEnd = false
	j := &region{at: w.oLine + 1, put: w.mLine + 1,
		pushed: w.x.counts["filament-jump"] + w.x.counts["prime-on-part"]}
	if c.Jump == nil {
		if err := w.cut(c, j, muted); err != nil {
			return err
		}
	} else {
		if !c.Jump.Stands {
			w.x.leave(w.oLine + 1)
		}
		if n := c.Jump; n.Rest != nil {
			j.a = append(j.a, step{n.Line - 1, n.Rest.From, n.Rest.To, n.Rest.Laid, n.Rest.Laid, n.At.Feed,
				n.At.Fan, n.At.Aux, n.At.Tool})
		}
	}
	w.marks.jump = c.Jump
	if c.Put != nil {
		if _, err := c.Put.Seek(0, io.SeekStart); err != nil {
			return err
		}
		w.puts.Reset(c.Put)
		first, marks := w.mLine+1, c.Marks
		for w.puts.Scan(&w.c) {
			line := w.puts.Text()
			if skip && len(bytes.TrimRight(line, "\r\n")) == 0 {
				skip = false // it ends the line before
				continue
			}
			skip = false
			if err := w.tick(); err != nil {
				return err
			}
			w.mLine++
			if w.c.Letter == 0 {
				for len(marks) > 0 && first+marks[0].Line < w.mLine {
					marks = marks[1:]
				}
				if len(marks) > 0 && first+marks[0].Line == w.mLine {
					w.marks.read(w, &marks[0].Mark)
				}
				continue
			}
			before := w.m.State
			w.m.Exec(&w.c, &w.a)
			if n := c.Jump; n != nil && n.Tip != 0 && !n.swapped && w.a.Kind == gcode.Stop {
				w.jump.Tip, n.swapped = w.jump.Tip+n.Tip, true // the other nozzle is put in here
			}
			j.edited(w, &before)
			w.x.putIn(line, &w.c, &w.a, &before)
		}
		if err := w.puts.Err(); err != nil {
			return err
		}
	}
	if n := c.Jump; n != nil {
		w.goOn(n)
	}
	w.cmp.region(j)
	w.dirty = true
	w.align()
	return nil
}

// mutedIn returns the lines that are left out on purpose, as they stand among those put in.
func mutedIn(c *Change) ([][]byte, error) {
	marks := slices.DeleteFunc(slices.Clone(c.Marks),
		func(m mark.Placed) bool { return m.Kind != mark.Muted })
	if c.Cut == 0 || c.Put == nil || len(marks) == 0 {
		return nil, nil
	}
	if _, err := c.Put.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	var out [][]byte
	lines := bufio.NewReader(c.Put)
	for n := int64(0); ; n++ {
		line, err := lines.ReadBytes('\n')
		for len(marks) > 0 && marks[0].Line < n {
			marks = marks[1:]
		}
		if rest, ok := mark.MutedText(line); ok && len(marks) > 0 && marks[0].Line == n {
			out = append(out, rest)
		}
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// goOn makes the original's machine what it is behind a jump.
func (w *walker) goOn(n *Jump) {
	shift := w.jump.Shift
	tip := w.jump.Tip
	if n.swapped {
		tip -= n.Tip
	}
	w.jump = *n
	for k := range shift {
		w.jump.Shift[k] += shift[k]
	}
	w.jump.Tip += tip
	if n.Stands {
		w.jump.Shift, w.jump.Tip = n.Shift, n.Tip
	}
	w.o.State, w.oLine, w.ix = n.At, n.Line-1, n.Ix
	// A file that leaves the axis to G90 and G91 is read the same way on both sides.
	w.o.ESet = w.o.ESet || w.m.ESet && w.o.RelE == w.m.RelE
	w.x.enter(n)
}

// cut runs lines of the original that the edited file does not have.
func (w *walker) cut(c *Change, j *region, muted [][]byte) error {
	if c.Cut == 0 {
		return nil
	}
	w.lines.Reset(io.NewSectionReader(w.src, c.Offset, c.Cut))
	for w.lines.Scan(&w.c) {
		if err := w.tick(); err != nil {
			return err
		}
		w.oLine++
		if w.c.Letter == 0 {
			continue
		}
		left := false
		if len(muted) > 0 {
			text := bytes.TrimRight(w.lines.Text(), "\r\n")
			if k := slices.IndexFunc(muted[:min(len(muted), 64)],
				func(t []byte) bool { return bytes.Equal(t, text) }); k >= 0 {
				muted, left = muted[k+1:], true
				w.r.Muted++
			}
		}
		w.o.Exec(&w.c, &w.a)
		j.original(w, left)
		w.x.cut(&w.c, &w.a)
	}
	return w.lines.Err()
}
