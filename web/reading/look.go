package reading

import (
	"context"
	"time"

	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/raster"
	"dogear/store"
	"dogear/web/book"
)

// look is one way up through the layers of a print, for its landmarks and its outline. It
// can pause.
type look struct {
	finder  *landmark.Finder
	outline *raster.Outline
	next    int // layer
}

func newLook(ix *layer.Index) *look {
	return &look{finder: landmark.NewFinder(ix), outline: raster.NewOutline(ix), next: 1}
}

// on goes on until a time, and reports whether it has come to the end. tell may be nil.
func (l *look) on(ctx context.Context, src layer.Source, ix *layer.Index, until time.Time,
	tell func(done float64)) (bool, error) {
	layers := ix.NewDecoder(src)
	for ; l.next <= len(ix.Layers); l.next++ {
		if err := ctx.Err(); err != nil {
			return false, err
		}
		if !time.Now().Before(until) {
			return false, nil
		}
		moves, err := layers.Layer(l.next)
		if err != nil {
			return false, err
		}
		paths := layer.Paths(moves)
		l.outline.Add(ix, l.next, moves, paths)
		l.finder.Add(l.next, moves, paths)
		if tell != nil && l.next%16 == 0 {
			tell(float64(l.next) / float64(len(ix.Layers)))
		}
	}
	return true, nil
}

// How long a print is looked at before it opens, and how long behind it at a time: several
// prints take turns.
const (
	atOnce   = 500 * time.Millisecond
	lookTurn = 100 * time.Millisecond
)

// lookBehind goes on looking at a print that is open already. What is found appears on
// its bench by itself.
func (j *Jobs) lookBehind(p store.Print, ix *layer.Index, l *look) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.looking[p.ID] || j.ctx.Err() != nil {
		return
	}
	j.looking[p.ID] = true
	j.wg.Go(func() {
		err := survive(func() error { return j.lookInTurns(p, ix, l) })
		if err != nil && j.ctx.Err() == nil {
			j.Log.Error("finding landmarks", "print", p.ID, "err", err)
		}
		j.Books.Drop(p.ID)
		j.mu.Lock()
		delete(j.looking, p.ID)
		j.mu.Unlock()
		j.Hub.Announce(p.ID)
	})
}

// lookInTurns looks at a print whenever it is its turn, and keeps what was found, unless
// the print has been read for another printer meanwhile.
func (j *Jobs) lookInTurns(p store.Print, ix *layer.Index, l *look) error {
	src := j.Store.Source(p)
	for done := false; !done; {
		select {
		case j.behind <- struct{}{}:
		case <-j.ctx.Done():
			return nil
		}
		var err error
		func() {
			defer func() { <-j.behind }() // also when it breaks down
			done, err = l.on(j.ctx, src, ix, time.Now().Add(lookTurn), nil)
		}()
		if err != nil {
			return err
		}
	}
	now, err := j.Books.Get(j.ctx, p)
	if err != nil {
		return err
	}
	j.mu.Lock()
	other := j.rereads[p.ID] || now.Reading() != (&book.Book{Ix: ix}).Reading()
	j.mu.Unlock()
	if other {
		return nil
	}
	return j.Store.SaveReading(j.ctx, p.ID, &store.Reading{Index: ix, Outline: l.outline,
		Landmarks: l.finder.Report()})
}

// Landmarks finds the landmarks of a print that was opened without them.
func (j *Jobs) Landmarks(b *book.Book) { j.lookBehind(b.Print, b.Ix, newLook(b.Ix)) }
