// Package picture draws prints: as models in their colours, and as they stand on the shelf.
package picture

import (
	"context"
	"fmt"
	"log/slog"
	"slices"

	"dogear/core/apply"
	"dogear/core/layer"
	"dogear/core/raster"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/cache"
)

// Cover is a model with the first line of each of its parts.
type Cover struct {
	Model *raster.Model
	Parts []CoverPart
}

// CoverPart is where a part of a model begins.
type CoverPart struct {
	Layer int
	Line  int64 // 0 for the beginning of the layer
}

// keepCovers is how many models are kept: one print is looked at a time.
const keepCovers = 4

// Painter draws prints: their models, and how they stand on the shelf.
type Painter struct {
	Store *store.Store
	Books *book.Books
	Log   *slog.Logger

	covers *cache.Cache[string, *Cover]
}

// New returns a painter for the prints of a store.
func New(st *store.Store, books *book.Books, log *slog.Logger) *Painter {
	return &Painter{Store: st, Books: books, Log: log,
		covers: cache.New[string](keepCovers, func(*Cover) int64 { return 1 })}
}

// Model is the model of layers 1 … end, cut where ears lie inside layers, and in front of
// line unless that is 0.
func (s *Painter) Model(ctx context.Context, b *book.Book, m *book.Marked, end int,
	line int64) (*Cover,
	error) {
	inside := map[int][]int64{}
	key := fmt.Sprint(b.Print.ID, "/", end, "/", b.Reading())
	for _, e := range apply.Ears(m.Plan, b.Ix) {
		if n, line := apply.Place(b.Ix, &e); line > 0 && n <= end {
			inside[n] = append(inside[n], line)
			key += fmt.Sprint(",", line)
		}
	}
	if n := b.Ix.At(line); n > 0 && n <= end && !slices.Contains(inside[n], line) {
		inside[n] = append(inside[n], line)
		slices.Sort(inside[n])
		key += fmt.Sprint("/", line)
	}
	return s.covers.Get(ctx, key, func(ctx context.Context) (*Cover, error) {
		return newCover(ctx, b, inside, end)
	})
}

// newCover builds a model; inside are the lines at which its layers are cut.
func newCover(ctx context.Context, b *book.Book, inside map[int][]int64, end int) (*Cover, error) {
	cv := &Cover{Model: raster.NewModel(b.Ix)}
	for n := 1; n <= end; n++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		moves, err := b.Ix.Decode(b.Src, n)
		if err != nil {
			return nil, err
		}
		from := int64(0)
		for _, line := range append(slices.Clone(inside[n]), 1<<62) {
			k := slices.IndexFunc(moves, func(v layer.Move) bool { return v.Line >= line })
			if k < 0 {
				k = len(moves)
			}
			cv.Model.Add(b.Ix, n, moves[:k])
			cv.Parts = append(cv.Parts, CoverPart{n, from})
			moves, from = moves[k:], line
		}
	}
	return cv, nil
}
