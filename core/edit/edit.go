// Package edit writes a document that differs from its original in a few
// places only.
//
// In go the original's bytes and a list of edits; out comes the edited file.
// Every byte that no edit names is copied as it is:
//
//	original   ├──── span ────┤ cut ├──── span ────┤
//	edited     ├──── span ────┤text ├──── span ────┤
//
// With no edits the output equals the original, whatever its bytes are.
package edit

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"sort"

	"dogear/core/mark"
)

// Source is the original.
type Source interface {
	io.ReaderAt
	Size() int64
}

// Edit replaces Cut bytes at Offset by Text. Cut 0 inserts.
type Edit struct {
	Offset int64
	Cut    int64
	Text   []byte
	// Marks say what lines of Text are there for, as data: what is examined believes them and no
	// comment. Lines count from 0; a line end that Text begins with, to end the line before, does not.
	Marks []mark.Placed `json:",omitempty"`
}

// ErrOverlap is the cause when two edits want the same bytes, or bytes that
// are not there.
var ErrOverlap = errors.New("edits overlap or lie outside the file")

// Sort brings edits into the order of the file. Insertions at one place keep
// their order, and stand in front of what replaces the bytes there.
func Sort(edits []Edit) {
	sort.SliceStable(edits, func(i, j int) bool {
		a, b := &edits[i], &edits[j]
		if a.Offset != b.Offset {
			return a.Offset < b.Offset
		}
		return a.Cut == 0 && b.Cut > 0
	})
}

// Write writes src with the edits, which must be sorted, and returns the
// number of bytes written.
func Write(w io.Writer, src Source, edits []Edit) (int64, error) {
	var done, at int64
	buf := make([]byte, 256<<10)
	span := func(end int64) error {
		n, err := io.CopyBuffer(struct{ io.Writer }{w},
			struct{ io.Reader }{io.NewSectionReader(src, at, end-at)}, buf)
		done += n
		if err == nil && n != end-at {
			err = io.ErrUnexpectedEOF
		}
		return err
	}
	for _, e := range edits {
		if e.Offset < at || e.Cut < 0 || e.Offset+e.Cut > src.Size() {
			return done, fmt.Errorf("byte %d: %w", e.Offset, ErrOverlap)
		}
		if err := span(e.Offset); err != nil {
			return done, err
		}
		n, err := w.Write(e.Text)
		done += int64(n)
		if err != nil {
			return done, err
		}
		at = e.Offset + e.Cut
	}
	return done, span(src.Size())
}

// NewReader returns the edited document as a stream.
func NewReader(src Source, edits []Edit) io.Reader {
	var parts []io.Reader
	at := int64(0)
	for _, e := range edits {
		parts = append(parts, io.NewSectionReader(src, at, e.Offset-at), bytes.NewReader(e.Text))
		at = e.Offset + e.Cut
	}
	return io.MultiReader(append(parts, io.NewSectionReader(src, at, src.Size()-at))...)
}
