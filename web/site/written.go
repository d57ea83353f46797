package site

import (
	"context"
	"time"

	"dogear/web/book"
)

// WrittenView says what was written of a print, and when.
type WrittenView struct {
	ID       int64
	Name     string // of the newest file; "" when nothing was written
	When     string
	Outdated bool // the marks are others by now
}

// Written says what was written last.
func (s *Site) Written(ctx context.Context, id int64, m *book.Marked) (WrittenView, error) {
	all, err := s.Store.Written(ctx, id, 1)
	if err != nil || len(all) == 0 {
		return WrittenView{ID: id}, err
	}
	w := all[0]
	return WrittenView{id, w.Name, when(w.At, time.Now()), w.Marks != m.Name()}, nil
}

// when says a moment of the past as one would today.
func when(t, now time.Time) string {
	t, now = t.Local(), now.Local()
	day := func(t time.Time) string { return t.Format("2006-01-02") }
	switch day(t) {
	case day(now):
		return "today at " + t.Format("15:04")
	case day(now.AddDate(0, 0, -1)):
		return "yesterday at " + t.Format("15:04")
	}
	if t.Year() == now.Year() {
		return "on " + t.Format("2 January at 15:04")
	}
	return "on " + t.Format("2 January 2006")
}
