package site

import (
	"context"
	"fmt"
)

// Note adds a line to a print's diary. Nothing is held back because that fails.
func (s *Site) Note(ctx context.Context, print int64, kind, format string, a ...any) {
	if err := s.Store.Note(ctx, print, kind, fmt.Sprintf(format, a...)); err != nil {
		s.Log.Warn("writing the diary", "print", print, "err", err)
	}
}
