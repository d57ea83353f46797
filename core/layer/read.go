package layer

import (
	"context"
	"errors"
	"io"

	"dogear/core/gcode"
	"dogear/core/mark"
)

// Options say how to read. The zero value reads as most printers do.
type Options struct {
	Dialect  gcode.Dialect      // of the printer, as far as it is known
	Progress func(done float64) // called now and then with 0…1
}

// eps is how far two heights may lie apart and still be one (gcode.Nano).
const eps = 500

const (
	blockSize   = 256 << 10
	maxLine     = 16 << 20
	maxSnaps    = 256
	maxEarly    = 24   // runs at the beginning that may turn out to be prime lines
	sampleLines = 64   // laying lines from which the way of writing numbers is learned
	checkEach   = 4096 // laying moves between two looks at whether this is a vase
)

// errVase makes the reading start again with turns instead of heights.
var errVase = errors.New("a vase")

// Read reads a file from front to back and returns its index.
func Read(ctx context.Context, src Source, opt Options) (*Index, error) {
	head := make([]byte, headSize)
	n, err := src.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return nil, err
	}
	if err := sniff(head[:n]); err != nil {
		return nil, err
	}
	r := newReader(src, opt)
	defer func() { r.p.stop() }()
	err = r.run(ctx)
	if errors.Is(err, errVase) {
		turn, cut := r.flatStep(), r.l.counter()
		r.p.stop()
		r = newReader(src, opt)
		r.turns.vase, r.turns.turn, r.l.cut = true, turn, cut
		err = r.run(ctx)
	}
	if err != nil {
		return nil, err
	}
	return r.finish()
}

// point is a place in the file where a stop could stand.
type point struct {
	line, off int64
	at        gcode.State
}

// gap is what lies between two laying moves.
type gap struct {
	set   bool
	first point // in front of the first line that is neither wipe nor retraction nor blank
	// When only comments lay before a further wipe or retraction, the stop may
	// stand behind that one, unless a comment turns out to be a mark.
	comments []int
	only     bool // nothing but comments since first
	late     bool // a wipe or retraction came after them
	lateSet  bool
	second   point
}

type reader struct {
	src  Source
	opt  Options
	ix   *Index
	m    gcode.Machine
	c    gcode.Command
	a    gcode.Act
	p    *pacer
	l    learner
	line int64
	off  int64

	ahead ahead

	pre    gcode.State // before the present line, when it may open a gap
	preSet bool
	gap    gap
	start  point   // early: in front of the movement that leads to the next laying
	inMove bool    // early: since start there was only movement
	early  bool    // fewer than maxEarly runs so far: each path apart from the one before is one
	runs   []run   // one for each entry of ix.Layers
	starts []point // by early run: in front of the movement that leads to it
	hot    sums
	path   path
	end    [2]gcode.Nano // where the newest laying move ended
	begins []float64     // by layer: seconds from the start of the print to its fold
	steady bool          // moves at heights low … high may be summed up in hot
	low    gcode.Nano
	high   gcode.Nano
	snaps  []point      // early: in front of the newest comments
	gaps   map[int]*gap // by layer, from 0: gaps in which there is a choice

	feed  gcode.Nano
	aux   *gcode.Aux
	speed float64 // mm/s, by feed and factor

	lays   int
	tool   int32   // chosen last
	heats  uint64  // bit n: the nozzle of tool n is heated by its number
	left   float64 // minutes left, as the file first told the display
	moved  bool
	turns  turns
	own    own
	manner manner
	faults faults
}

// turns tells a spiral, whose wall rises all the way, from layers.
type turns struct {
	vase   bool // it is read as one, turn by turn
	turn   gcode.Nano
	top    gcode.Nano // where the present turn ends
	rising climber
	flatZ  gcode.Nano // of the highest level run so far
	rises  int        // times it went up
	steps  []gcode.Nano
}

// own is what Dogear has put into the file before.
type own struct {
	muted int64  // line of the newest muted line
	inEar string // id of the ear whose lines are being read
}

// manner is how the file writes.
type manner struct {
	commands       bool
	relLays        int
	numbered, crlf int64
	lower, sampled int
}

// faults are what somebody should know about the file.
type faults struct {
	openE               int64  // first line where the filament moves and it is up to the printer how
	strays              [4]int // lines that are not followed, by kind
	farLine             int64  // of the first laying move that ends where no printer reaches
	unknown             map[string]*count
	badLines, sumsWrong int
	nuls, returns       int
	strange             int64 // first line that is no G-code, behind the last laying move
	ended               bool  // heaters off or motors let go behind the last laying move
	noNewline           bool
}

type count struct {
	n     int
	first int64
}

func newReader(src Source, opt Options) *reader {
	r := &reader{src: src, opt: opt, ix: &Index{}, early: true, p: newPacer(),
		faults: faults{unknown: map[string]*count{}}}
	if src != nil {
		r.ix.Bytes = src.Size()
	}
	r.m, r.ix.Dialect = gcode.NewMachine(opt.Dialect), opt.Dialect
	return r
}

// readLine reads one line. size counts its line end too.
func (r *reader) readLine(s []byte, size int) error {
	if r.line%Stride == 0 {
		r.ix.Offsets = append(r.ix.Offsets, r.off)
	}
	r.line++
	at := r.off
	r.off += int64(size)
	if n := len(s); size > n && n > 0 && s[n-1] == '\r' {
		r.manner.crlf++
	}
	c := &r.c
	c.Parse(s)
	r.odds(s)
	if c.Letter == 0 {
		if c.Comment != nil {
			r.comment(s, at)
		}
		return nil
	}
	if c.HasN {
		r.manner.numbered++
	}
	if len(c.Bad) > 0 && c.Numeric() {
		r.bad()
	}
	if c.HasSum && !c.SumOK {
		r.wrongSum()
	}
	return r.carry(s, at)
}

// carry carries out the command that was read from s, which begins at byte at.
func (r *reader) carry(s []byte, at int64) error {
	c := &r.c
	// What opens a gap needs the state before it. A move that most likely
	// lays is carried out first; if it does not, its effect is taken back.
	likely := c.Letter == 'G' && uint(c.Code) <= 1 && c.Lays() && r.steady && !r.turns.vase
	feed, known := r.m.Feed, r.m.Known
	r.preSet = false
	if !likely && (!r.gap.set || r.gap.late && !r.gap.lateSet || r.early || c.Has('Z') ||
		r.turns.vase) {
		r.pre, r.preSet = r.m.State, true
	}
	r.m.Exec(c, &r.a)
	if likely && r.a.Kind != gcode.Lay {
		r.pre, r.preSet = r.m.Before(&r.a, feed, known), true
	}
	if r.m.RelXYZ && !r.m.ESet && r.a.Step != 0 && r.faults.openE == 0 {
		r.faults.openE = r.line
	}
	if r.a.Curve || !likely && c.Letter == 'G' && (c.Has('A') || c.Has('B') || c.Code == 53) {
		r.unfollowed()
	}
	switch r.a.Kind {
	case gcode.Lay:
		if r.steady && !r.gap.set && r.m.Pos[2] == r.a.From[2] &&
			r.m.Pos[2] <= r.high && r.m.Pos[2] >= r.low && r.a.From[0] == r.end[0] &&
			r.a.From[1] == r.end[1] {
			r.goOn(s)
			return nil
		}
		return r.bookLay(s, at)
	case gcode.Travel, gcode.Push, gcode.Pull:
		r.moved = true
		r.reach()
		r.time()
		r.between(at, r.a.Kind == gcode.Pull, true)
		return nil
	}
	if r.a.Kind == gcode.Home {
		r.reach()
	}
	r.other(s, at)
	return nil
}

// between books a line that lays nothing.
func (r *reader) between(at int64, pull, movement bool) {
	if r.early {
		if !movement {
			r.inMove = false
		} else if !r.inMove {
			r.inMove = true
			r.start = point{r.line, at, r.pre}
		}
	}
	g := &r.gap
	switch {
	case pull:
		if g.set && g.only && !g.lateSet {
			g.late = true
		}
	case !g.set:
		g.set = true
		g.first = point{r.line, at, r.pre}
		r.p.open()
	case g.late && !g.lateSet:
		g.lateSet = true
		g.second = point{r.line, at, r.pre}
	default:
		g.only = false
	}
}

// comment books a line that is only a comment.
func (r *reader) comment(s []byte, at int64) {
	for len(s) > 0 && (s[len(s)-1] == '\r' || s[len(s)-1] == ' ') {
		s = s[:len(s)-1]
	}
	ours := r.ours(s)
	if !ours && r.ix.Bed == [4]float64{} {
		r.ix.Bed = bedIn(s)
	}
	id := 0
	if !ours { // ours repeat too, and say nothing about the file's layers
		if id = r.l.comment(s, r.line, r.m.Pos[2]); id < 0 {
			return
		}
	}
	if r.early {
		r.snaps = append(newest(r.snaps, maxSnaps), point{r.line, at, r.m.State})
	}
	g := &r.gap
	if !g.set {
		g.set, g.only = true, true
		g.first = point{r.line, at, r.m.State}
		r.p.open()
	} else if g.late && !g.lateSet {
		g.lateSet = true
		g.second = point{r.line, at, r.m.State}
	}
	if g.only && !g.late && len(g.comments) < 16 && !ours {
		g.comments = append(g.comments, id)
	}
}

// ours takes note of the comments that look as if Dogear had written them.
func (r *reader) ours(s []byte) bool {
	if !mark.IsOurs(s) {
		return false
	}
	m, _ := mark.Parse(s)
	r.ix.Marked = r.ix.Marked || m.TakesOut()
	switch {
	case m.Kind == mark.Ear && !m.Ends:
		r.own.inEar = m.ID
		r.ix.Ours++
	case m.Kind == mark.Ear && m.ID == r.own.inEar:
		r.own.inEar = ""
	case m.Kind == mark.Muted:
		if r.line > r.own.muted+1 {
			r.ix.Ours++
		}
		r.own.muted = r.line
	case m.Kind == mark.Change && !m.Ends:
		r.ix.Ours++
	}
	return true
}

// choice returns a copy of the gap when there is a second point in it.
func (g *gap) choice() *gap {
	if !g.lateSet {
		return nil
	}
	c := *g
	c.comments = append([]int(nil), g.comments...)
	return &c
}
