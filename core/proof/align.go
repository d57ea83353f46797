package proof

import (
	"bufio"
	"bytes"
	"hash/maphash"
	"io"
	"slices"
	"strconv"
	"strings"

	"dogear/core/gcode"
)

// Source is the bytes of a file.
type Source interface {
	io.ReaderAt
	Size() int64
}

// Rewritten is a line that was changed and stands where it stood.
type Rewritten struct {
	Line int64  `json:"line"` // of the original
	Was  string `json:"was"`
	Now  string `json:"now"`
	Why  string `json:"why"`
}

// Aligned is how the lines of two files answer to one another.
type Aligned struct {
	Inserted  int64
	Removed   int64
	Rewritten []Rewritten
	// runs of lines of the edited file that are not the original's; the first thousand
	Blocks [][2]int64
}

// maxRewritten bounds how many rewritten lines are listed.
const maxRewritten = 500

// queue is a file as one number a line, of which some lines ahead are held.
type queue struct {
	src  Source
	r    *bufio.Reader
	h    maphash.Hash
	sums []uint64
	ends []int64 // where each line that is held ends
	off  int64   // where the first one begins
	line int64   // and which it is
	read int64
	done bool
}

func newQueue(src Source, seed maphash.Seed) *queue {
	q := &queue{src: src, r: bufio.NewReaderSize(io.NewSectionReader(src, 0, src.Size()), 1<<20),
		line: 1}
	q.h.SetSeed(seed)
	return q
}

// hold makes sure that n lines are held, as far as there are so many. A line
// counts without its end, its number and its checksum.
func (q *queue) hold(n int) error {
	for len(q.sums) < n && !q.done {
		q.h.Reset()
		size := 0
		for {
			part, err := q.r.ReadSlice('\n')
			if size == 0 && err != bufio.ErrBufferFull {
				q.h.Write(unnumbered(bytes.TrimRight(part, "\r\n")))
			} else {
				q.h.Write(part)
			}
			size += len(part)
			if err == bufio.ErrBufferFull {
				continue
			}
			if err == io.EOF {
				q.done = true
			} else if err != nil {
				return err
			}
			break
		}
		if size > 0 {
			q.read += int64(size)
			q.sums, q.ends = append(q.sums, q.h.Sum64()), append(q.ends, q.read)
		}
	}
	return nil
}

// unnumbered is a line without the number in front of it and the checksum behind.
func unnumbered(s []byte) []byte {
	if len(s) < 2 || s[0] != 'N' && s[0] != 'n' || s[1]-'0' > 9 {
		return s
	}
	i := 1
	for i < len(s) && s[i]-'0' <= 9 {
		i++
	}
	s = bytes.TrimLeft(s[i:], " \t")
	if k := bytes.LastIndexByte(s, '*'); k >= 0 && !bytes.ContainsAny(s[k:], ";") {
		s = bytes.TrimRight(s[:k], " \t")
	}
	return s
}

// drop lets go of n lines.
func (q *queue) drop(n int) {
	if n > 0 {
		q.off = q.ends[n-1]
	}
	q.line += int64(n)
	q.sums, q.ends = q.sums[n:], q.ends[n:]
	if len(q.sums) == 0 { // begin anew, so that the room is used again
		q.sums, q.ends = q.sums[:0:0], q.ends[:0:0]
	}
}

// text returns a held line, without its end.
func (q *queue) text(i int) string {
	from := q.off
	if i > 0 {
		from = q.ends[i-1]
	}
	b := make([]byte, min(q.ends[i]-from, 400))
	n, _ := q.src.ReadAt(b, from)
	return strings.TrimRight(string(b[:n]), "\r\n")
}

// aligner follows two files line by line. Where they part, the nearest place is
// looked for where three lines agree again.
type aligner struct {
	own  *Own // what the edited file says of itself
	a, b *queue
	out  Aligned
	todo [][2]int // pieces of a place that was found: lines cut and put, then one that both have
}

func newAligner(original, edited Source, own *Own) *aligner {
	seed := maphash.MakeSeed()
	return &aligner{own: own, a: newQueue(original, seed), b: newQueue(edited, seed)}
}

// held is how many lines are looked at ahead at the least.
const held = 4096

// next returns the next place where the files part; false at the end.
func (l *aligner) next() (Change, bool, error) {
	a, b := l.a, l.b
	for {
		if n := len(l.todo); n > 0 {
			d := l.todo[0]
			if l.todo = l.todo[1:]; d == [2]int{} {
				a.drop(1)
				b.drop(1)
				continue
			}
			return l.change(d[0], d[1]), true, nil
		}
		if err := a.hold(held); err != nil {
			return Change{}, false, err
		}
		if err := b.hold(held); err != nil {
			return Change{}, false, err
		}
		n := 0
		for n < len(a.sums) && n < len(b.sums) && a.sums[n] == b.sums[n] {
			n++
		}
		a.drop(n)
		b.drop(n)
		if len(a.sums) == 0 && len(b.sums) == 0 {
			if a.done && b.done {
				return Change{}, false, nil
			}
			continue
		}
		if n > 0 && (len(a.sums) == 0 && !a.done || len(b.sums) == 0 && !b.done) {
			continue
		}
		di, dj, err := l.resync()
		if err != nil {
			return Change{}, false, err
		}
		l.part(di, dj)
		l.split(di, dj)
	}
}

// change lets go of lines that were cut and put in.
func (l *aligner) change(di, dj int) Change {
	c := Change{Offset: l.a.off}
	from, line := l.b.off, l.b.line
	l.a.drop(di)
	l.b.drop(dj)
	c.Cut = l.a.off - c.Offset
	if l.b.off > from {
		c.Put = io.NewSectionReader(l.b.src, from, l.b.off-from)
		c.Marks = l.own.within(line, int64(dj))
	}
	return c
}

// split looks for single lines that both have within a place where the files part:
// two insertions may stand so near that only few lines agree between.
func (l *aligner) split(di, dj int) {
	if di == 0 || di > 64 || dj > 1<<16 {
		l.todo = append(l.todo, [2]int{di, dj})
		return
	}
	a, b := l.a.sums[:di], l.b.sums[:dj]
	from, next := 0, 0
	for k := range a {
		n := slices.Index(b[next:], a[k])
		if n < 0 {
			continue
		}
		if k > from || n > 0 {
			l.todo = append(l.todo, [2]int{k - from, n})
		}
		l.todo = append(l.todo, [2]int{})
		from, next = k+1, next+n+1
	}
	if from < di || next < dj {
		l.todo = append(l.todo, [2]int{di - from, dj - next})
	}
}

// together is how many lines in a row must agree for two files to be together
// again; near the end of a file fewer do.
const together = 3

// widest is how far both files are looked through for the place, lines.
const widest = 1 << 19

// resync returns how many lines to leave out of each so that both go on with the
// same. It widens its search until something is found.
func (l *aligner) resync() (di, dj int, err error) {
	for r := 16; ; r *= 4 {
		if err = l.a.hold(min(r, widest) + together); err != nil {
			return
		}
		if err = l.b.hold(min(r, widest) + together); err != nil {
			return
		}
		a, b := l.a.sums, l.b.sums
		wa, wb := min(r, len(a), widest), min(r, len(b), widest)
		at := make(map[uint64]int, wb)
		for k := wb - 1; k >= 0; k-- {
			at[key(b, k)] = k
		}
		best := -1
		for k := 0; k < wa; k++ {
			if p, ok := at[key(a, k)]; ok && (best < 0 || k+p < di+dj) {
				best, di, dj = k, k, p
			}
			if best >= 0 && k > di+dj {
				break
			}
		}
		if best >= 0 {
			return di, dj, nil
		}
		if (wa == len(a) || wa == widest) && (wb == len(b) || wb == widest) &&
			(l.a.done || len(a) > widest) && (l.b.done || len(b) > widest) {
			return wa, wb, nil
		}
	}
}

// key joins the lines from k on.
func key(s []uint64, k int) uint64 {
	h := uint64(0)
	for n := range together {
		if k+n < len(s) {
			h = h*0x9e3779b97f4a7c15 + s[k+n]
		}
	}
	return h
}

// part books a place where the files part: lines that pair up by their word are
// rewritten, the rest is removed or inserted.
func (l *aligner) part(di, dj int) {
	r, a, b := &l.out, l.a, l.b
	if dj > 0 && len(r.Blocks) < 1000 {
		r.Blocks = append(r.Blocks, [2]int64{b.line, b.line + int64(dj) - 1})
	}
	inserted, removed := int64(dj), int64(di)
	if di > 0 && di <= 64 && dj <= 4096 {
		next := 0
		for k := 0; k < di && len(r.Rewritten) < maxRewritten; k++ {
			// Two insertions may stand so near that less than that agrees between.
			if n := slices.Index(b.sums[next:dj], a.sums[k]); n >= 0 {
				next += n + 1
				inserted--
				removed--
				continue
			}
			was := a.text(k)
			w := wordOf(was)
			if w == "" {
				continue
			}
			for n := next; n < dj; n++ {
				if now := b.text(n); wordOf(now) == w {
					r.Rewritten = append(r.Rewritten, Rewritten{a.line + int64(k), was, now,
						"the same command with other numbers"})
					next = n + 1
					inserted--
					removed--
					break
				}
			}
		}
	}
	r.Inserted += inserted
	r.Removed += removed
}

// wordOf is the command of a line; "" for comments and moves, which do not pair
// up by their word alone.
func wordOf(line string) string {
	var c gcode.Command
	c.Parse([]byte(line))
	if c.Letter != 'M' && (c.Letter != 'G' || c.Code <= 3) {
		return ""
	}
	return c.Word()
}

func itoa(n int) string { return strconv.Itoa(n) }
