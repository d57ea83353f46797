package proof

import (
	"bytes"
	"errors"
	"hash/maphash"
	"io"
	"slices"
	"strings"
	"sync"

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
	Blocks    [][2]int64 // runs of lines of the edited file that are not the original's
}

// mostRewritten bounds how many rewritten lines are listed.
const mostRewritten = 500

// lined is a file as one number a line, and where each line begins.
type lined struct {
	src  Source
	sums []uint64
	offs []int64
}

func newLined(src Source, seed maphash.Seed) (*lined, error) {
	l := &lined{src: src}
	buf := make([]byte, 1<<20)
	var h maphash.Hash
	h.SetSeed(seed)
	off, start := int64(0), int64(0)
	open := false
	for {
		n, err := src.ReadAt(buf, off)
		part := buf[:n]
		for len(part) > 0 {
			i := bytes.IndexByte(part, '\n')
			if i < 0 {
				h.Write(bytes.TrimSuffix(part, []byte("\r")))
				off += int64(len(part))
				open = true
				break
			}
			h.Write(bytes.TrimSuffix(part[:i], []byte("\r")))
			l.sums, l.offs = append(l.sums, h.Sum64()), append(l.offs, start)
			h.Reset()
			off += int64(i + 1)
			start, open = off, false
			part = part[i+1:]
		}
		if err == io.EOF || n == 0 {
			if open {
				l.sums, l.offs = append(l.sums, h.Sum64()), append(l.offs, start)
			}
			return l, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// text returns a line, without its end.
func (l *lined) text(i int) string {
	end := l.src.Size()
	if i+1 < len(l.offs) {
		end = l.offs[i+1]
	}
	b := make([]byte, min(end-l.offs[i], 400))
	n, _ := l.src.ReadAt(b, l.offs[i])
	return strings.TrimRight(string(b[:n]), "\r\n")
}

// Align finds what was inserted, removed and rewritten. Lines that stayed are
// followed one by one; where the files part, the nearest place is looked for
// where three lines agree again.
func Align(original, edited Source) (*Aligned, error) {
	seed := maphash.MakeSeed()
	var a, b *lined
	var errA, errB error
	var side sync.WaitGroup
	side.Go(func() { a, errA = newLined(original, seed) })
	b, errB = newLined(edited, seed)
	side.Wait()
	if err := errors.Join(errA, errB); err != nil {
		return nil, err
	}
	out := &Aligned{}
	i, j := 0, 0
	for i < len(a.sums) || j < len(b.sums) {
		if i < len(a.sums) && j < len(b.sums) && a.sums[i] == b.sums[j] {
			i++
			j++
			continue
		}
		di, dj := resync(a.sums[i:], b.sums[j:])
		out.part(a, b, i, j, di, dj)
		i, j = i+di, j+dj
	}
	return out, nil
}

// together is how many lines in a row must agree for two files to be together
// again; near the end of a file fewer do.
const together = 3

// widest is how far the edited file is looked through for an insertion, lines.
const widest = 1 << 17

// resync returns how many lines to leave out of each so that both go on with the
// same. It widens its search until something is found.
func resync(a, b []uint64) (di, dj int) {
	for r := 16; ; r *= 4 {
		wa, wb := min(r, len(a)), min(r, widest, len(b))
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
			return di, dj
		}
		if wa == len(a) && (wb == len(b) || wb == widest) {
			return len(a), len(b)
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
func (r *Aligned) part(a, b *lined, i, j, di, dj int) {
	if dj > 0 {
		r.Blocks = append(r.Blocks, [2]int64{int64(j + 1), int64(j + dj)})
	}
	inserted, removed := int64(dj), int64(di)
	if di > 0 && di <= 64 && dj <= 4096 {
		next := j
		for k := i; k < i+di && len(r.Rewritten) < mostRewritten; k++ {
			// Two insertions may stand so near that less than that agrees between.
			if n := slices.Index(b.sums[next:j+dj], a.sums[k]); n >= 0 {
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
			for n := next; n < j+dj; n++ {
				if now := b.text(n); wordOf(now) == w {
					r.Rewritten = append(r.Rewritten, Rewritten{int64(k + 1), was, now, "the same command with other numbers"})
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
