// Package book has prints that are open, and what is marked in them, ready for the core.
package book

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"math"
	"sync"

	"dogear/core/foreign"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/raster"
	"dogear/store"
	"dogear/web/cache"
)

// Book is a print that is open: its bytes, its index and its outline. They
// never change, so they may be shared.
type Book struct {
	Print   store.Print
	Src     layer.Source
	Ix      *layer.Index
	Outline *raster.Outline
	Marks   *landmark.Report

	cameWith struct { // the stops that the file came with, once somebody has asked
		sync.Mutex
		read  bool
		stops []foreign.Stop
	}
}

// Books keeps the books used last.
type Books struct {
	st    *store.Store
	books *cache.Cache[int64, *Book]
}

// maxOpened bounds what the books in memory weigh, bytes. Those of ordinary prints weigh
// a few megabytes at most.
const maxOpened = 192 << 20

// NewBooks returns none yet, of the prints of a store.
func NewBooks(st *store.Store) *Books {
	return &Books{st, cache.New[int64](maxOpened, (*Book).weight)}
}

// weight is about what a book takes in memory, bytes, with the pieces of its file that are
// at hand.
func (b *Book) weight() int64 {
	w := int64(1<<20) + int64(len(b.Ix.Layers))*200 + int64(len(b.Ix.States))*200
	if b.Outline != nil {
		for _, f := range b.Outline.Front {
			w += int64(len(f)) * 8
		}
	}
	return w
}

// Foreign returns the stops that the file came with.
func (b *Book) Foreign() ([]foreign.Stop, error) {
	b.cameWith.Lock()
	defer b.cameWith.Unlock()
	if !b.cameWith.read {
		stops, err := foreign.Read(b.Src, b.Ix, b.Marks)
		if err != nil {
			return nil, err
		}
		b.cameWith.stops, b.cameWith.read = stops, true
	}
	return b.cameWith.stops, nil
}

// Get returns a print's book.
func (o *Books) Get(ctx context.Context, p store.Print) (*Book, error) {
	return o.books.Get(ctx, p.ID, func(ctx context.Context) (*Book, error) {
		r, err := o.st.Reading(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		return &Book{Print: p, Src: o.st.Source(p), Ix: r.Index, Outline: r.Outline,
			Marks: r.Landmarks}, nil
	})
}

// Open is how many are open.
func (o *Books) Open() int { return o.books.Len() }

// Drop forgets what is known of a print: it is read anew when it is asked for.
func (o *Books) Drop(id int64) { o.books.Drop(id) }

// Reading tells one reading of a print from another: by the printer's dialect.
func (b *Book) Reading() string {
	j, err := json.Marshal(b.Ix.Dialect)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("%x", sha256.Sum256(j))[:8]
}

// Found are the pockets of a print; nil while they are still being looked for.
func (b *Book) Found() []landmark.Pocket {
	if b.Marks == nil {
		return nil
	}
	return b.Marks.Pockets
}

// OpenWords names a pocket on a page, where there is little room.
func OpenWords(p *landmark.Pocket) string {
	switch p.Shape {
	case "hex":
		return fmt.Sprintf("hex %.1f across", p.Across)
	case "ball":
		return fmt.Sprintf("ball ⌀ %.1f", p.Across)
	case "round":
		return fmt.Sprintf("⌀ %.1f", p.Across)
	case "rect":
		return fmt.Sprintf("%.1f × %.1f", math.Max(p.Size[0], p.Size[1]), math.Min(p.Size[0], p.Size[1]))
	}
	return fmt.Sprintf("%.1f wide", p.Across)
}
