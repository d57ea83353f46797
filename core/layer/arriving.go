package layer

import (
	"context"
	"fmt"
)

// Arriving reads a file while its bytes arrive. It is an [io.Writer] that never fails:
// what goes wrong is told at the end.
type Arriving struct {
	opt    Options
	r      *reader
	cur    []byte
	size   int64
	blocks chan []byte
	spare  chan []byte
	done   chan struct{}
	err    error
	left   []byte // the beginning of a line
}

// NewArriving begins to read. End it with Finish or Abandon.
func NewArriving(opt Options) *Arriving {
	const ahead = 4 // blocks
	a := &Arriving{opt: opt, r: newReader(nil, opt), blocks: make(chan []byte, ahead),
		spare: make(chan []byte, ahead+1), done: make(chan struct{})}
	for range ahead {
		a.spare <- make([]byte, 0, blockSize)
	}
	a.cur = <-a.spare
	go func() {
		defer close(a.done)
		first := true
		for b := range a.blocks {
			if first && a.err == nil {
				a.err = sniff(b[:min(len(b), headSize)])
			}
			first = false
			if a.err == nil {
				a.err = a.feed(b)
			}
			a.spare <- b[:0]
		}
	}()
	return a
}

// feed reads the lines of a block, the first of which may have begun before it. What
// breaks down here is an error: nobody else could catch it.
func (a *Arriving) feed(b []byte) (err error) {
	defer func() {
		if broke := recover(); broke != nil {
			err = fmt.Errorf("the reading broke down: %v", broke)
		}
	}()
	if len(a.left)+len(b) > maxLine {
		return ErrNotGCode
	}
	data := b
	if len(a.left) > 0 {
		data = append(a.left, b...)
	}
	rest, err := a.r.take(data, false)
	if err != nil {
		return err
	}
	a.left = append([]byte(nil), rest...)
	return nil
}

// Write takes the next bytes.
func (a *Arriving) Write(p []byte) (int, error) {
	n := len(p)
	a.size += int64(n)
	for len(p) > 0 {
		k := min(len(p), cap(a.cur)-len(a.cur))
		a.cur = append(a.cur, p[:k]...)
		p = p[k:]
		if len(a.cur) == cap(a.cur) {
			a.blocks <- a.cur
			a.cur = <-a.spare
		}
	}
	return n, nil
}

// Finish returns the index of the file, all of whose bytes have been written and can be
// read from src again. A vase is read a second time, from there.
func (a *Arriving) Finish(ctx context.Context, src Source) (*Index, error) {
	a.close()
	defer a.r.p.stop()
	switch {
	case a.size != src.Size() || a.err == errVase:
		return Read(ctx, src, a.opt)
	case a.size == 0:
		return nil, ErrEmpty
	case a.err != nil:
		return nil, a.err
	}
	r := a.r
	if _, err := r.take(a.left, true); err != nil {
		return nil, err
	}
	if err := r.endOfLines(); err != nil {
		return Read(ctx, src, a.opt)
	}
	r.src, r.ix.Bytes = src, a.size
	return r.finish()
}

// Abandon ends a reading whose file does not come whole.
func (a *Arriving) Abandon() {
	a.close()
	a.r.p.stop()
}

func (a *Arriving) close() {
	if a.cur == nil {
		return
	}
	a.blocks <- a.cur
	a.cur = nil
	close(a.blocks)
	<-a.done
}
