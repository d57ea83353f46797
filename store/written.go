package store

import (
	"context"
	"time"
)

// Written is a file that was written of a print.
type Written struct {
	Marks string // names what was marked, with all it used of the Kit
	Name  string // of the file
	At    time.Time
}

// SaveWritten remembers that a file was written now.
func (s *Store) SaveWritten(ctx context.Context, printID int64, w Written) error {
	_, err := s.exec(ctx, `INSERT INTO written (print_id, marks, name) VALUES (?, ?, ?)
		ON CONFLICT (print_id, marks) DO UPDATE SET name = excluded.name,
		at = strftime('%Y-%m-%dT%H:%M:%fZ', 'now')`, printID, w.Marks, w.Name)
	return err
}

// Written returns what was written of a print, newest first, at most so many.
func (s *Store) Written(ctx context.Context, printID int64, most int) ([]Written, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT marks, name, at FROM written WHERE print_id = ?
		ORDER BY at DESC, marks LIMIT ?`, printID, most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Written
	for rows.Next() {
		var w Written
		var at string
		if err := rows.Scan(&w.Marks, &w.Name, &at); err != nil {
			return nil, err
		}
		w.At, _ = time.Parse(time.RFC3339Nano, at)
		out = append(out, w)
	}
	return out, rows.Err()
}
