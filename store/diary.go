package store

import (
	"context"
	"database/sql"
	"time"
)

// Entry is a line of a print's diary.
type Entry struct {
	At   time.Time
	Kind string // one of those below
	Text string
}

// Kinds of entries.
const (
	NoteWritten   = "written"
	NoteRehearsed = "rehearsed"
	NoteStarted   = "started"
	NoteStopped   = "stopped"
	NoteWentOn    = "went on"
	NoteDone      = "done"
	NoteWrong     = "went wrong"
	NotePickup    = "pick-up"
	NoteLearned   = "learned"
)

// MaxEntries bounds the diary of one print; the oldest lines make room.
const MaxEntries = 500

// Note adds a line to the diary of a print.
func (s *Store) Note(ctx context.Context, printID int64, kind, text string) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO diary (print_id, kind, text) VALUES (?, ?, ?)`,
			printID, kind, text); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM diary WHERE print_id = ?1 AND id NOT IN
			(SELECT id FROM diary WHERE print_id = ?1 ORDER BY id DESC LIMIT ?2)`, printID, MaxEntries)
		return err
	})
}

// Diary returns what happened to a print, the newest first.
func (s *Store) Diary(ctx context.Context, printID int64) ([]Entry, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT at, kind, text FROM diary WHERE print_id = ?
		ORDER BY id DESC`, printID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Entry
	for rows.Next() {
		var e Entry
		var at string
		if err := rows.Scan(&at, &e.Kind, &e.Text); err != nil {
			return nil, err
		}
		e.At, _ = time.Parse(time.RFC3339Nano, at)
		out = append(out, e)
	}
	return out, rows.Err()
}
