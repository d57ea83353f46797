package layer

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"runtime"

	"dogear/core/gcode"
)

// lead is the room before a block for the beginning of its first line.
const lead = 4 << 10

// portion is a piece of the source, with room before it.
type portion struct {
	buf  []byte
	n    int
	rows []gcode.Row // what has been taken apart already; offsets count from behind the lead
	last bool
	err  error
}

// ahead holds the lines of the present portion that have been taken apart already.
type ahead struct {
	rows []gcode.Row
	end  int // where the portion ends, counted as the rows count
}

// behind drops the lines in front of the last n bytes of the portion, and returns where
// these begin.
func (a *ahead) behind(n int) int {
	at := a.end - n
	k := 0
	for k < len(a.rows) && int(a.rows[k].From) < at {
		k++
	}
	a.rows = a.rows[k:]
	return at
}

// fetch reads the source block by block, ahead of the reader and on another core where
// there is one, until quit is closed. While the reader has blocks to go on with, those that
// follow are taken apart for it: as many as keep both cores at work.
func (r *reader) fetch(quit <-chan struct{}) (full <-chan *portion, empty chan<- *portion) {
	const blocks = 4
	out, back := make(chan *portion, blocks), make(chan *portion, blocks)
	cores := runtime.GOMAXPROCS(0)
	for range blocks {
		back <- &portion{buf: make([]byte, lead+blockSize)}
	}
	size := r.src.Size()
	go func() {
		defer close(out)
		for pos := int64(0); ; {
			var b *portion
			select {
			case b = <-back:
			case <-quit:
				return
			}
			n, err := r.src.ReadAt(b.buf[lead:], pos)
			pos += int64(n)
			b.n, b.err = n, nil
			if err != nil && err != io.EOF {
				b.err = fmt.Errorf("byte %d: %w", pos, err)
			}
			b.last = err != nil || pos >= size || n == 0
			b.rows = b.rows[:0]
			if cores > 1 && len(out) > 1 {
				b.rows = gcode.Ahead(b.buf[lead:lead+n], b.rows)
			}
			out <- b
			if b.last {
				return
			}
		}
	}()
	return out, back
}

// run reads the whole source.
func (r *reader) run(ctx context.Context) error {
	quit := make(chan struct{})
	full, empty := r.fetch(quit)
	defer func() { // nobody reads the source any more when run returns
		close(quit)
		for range full {
		}
	}()
	var long []byte // a line longer than the room before a block
	rest := 0       // bytes of a line that begin the next block
	pos := int64(0)
	var held [lead]byte
	for b := range full {
		if b.err != nil {
			return b.err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		pos += int64(b.n)
		data := b.buf[lead-rest : lead+b.n]
		copy(data, held[:rest])
		if long != nil {
			if len(long)+b.n > maxLine {
				return ErrNotGCode
			}
			long = append(long, b.buf[lead:lead+b.n]...)
			data = long
		}
		r.ahead = ahead{b.rows, b.n}
		left, err := r.take(data, b.last)
		if err != nil {
			return err
		}
		if b.last {
			return r.endOfLines()
		}
		if len(left) > lead {
			long, rest = append([]byte(nil), left...), 0
		} else {
			long, rest = nil, copy(held[:], left)
		}
		empty <- b
		if size := r.src.Size(); r.opt.Progress != nil && size > 0 {
			r.opt.Progress(float64(pos) / float64(size))
		}
	}
	return io.ErrUnexpectedEOF
}

// take reads the lines that data holds whole, and returns what is left: the beginning of
// a line, or nothing when it is the last of the file.
func (r *reader) take(data []byte, last bool) ([]byte, error) {
	for len(data) > 0 {
		if r.steady && !r.gap.set && r.manner.sampled >= sampleLines {
			if n, err := r.layRun(data); err != nil {
				return nil, err
			} else if n > 0 {
				data = data[n:]
				continue
			}
		}
		if n := r.c.ParseMove(data); n > 0 {
			if r.line%Stride == 0 {
				r.ix.Offsets = append(r.ix.Offsets, r.off)
			}
			r.line++
			at := r.off
			r.off += int64(n)
			if data[n-2] == '\r' {
				r.manner.crlf++
			}
			if err := r.carry(data[:n-1], at); err != nil {
				return nil, err
			}
			data = data[n:]
			continue
		}
		i := bytes.IndexByte(data, '\n')
		if i < 0 {
			break
		}
		if err := r.readLine(data[:i], i+1); err != nil {
			return nil, err
		}
		data = data[i+1:]
	}
	if last && len(data) > 0 {
		r.faults.noNewline = true
		return nil, r.readLine(data, len(data))
	}
	return data, nil
}

// endOfLines ends the reading of lines.
func (r *reader) endOfLines() error {
	if !r.turns.vase && r.turns.rising.vase(r.m.Laid) {
		return errVase
	}
	r.settle()
	return nil
}
