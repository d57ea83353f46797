package store

import (
	"context"
	"database/sql"
	"errors"
)

// sessionDays is how long a browser that has given the passphrase may come back.
const sessionDays = "-90 days"

// Passphrase returns the hash of the passphrase; nil when none has been set.
func (s *Store) Passphrase(ctx context.Context) ([]byte, error) {
	var hash []byte
	err := s.db.QueryRowContext(ctx, `SELECT hash FROM access WHERE id = 1`).Scan(&hash)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return hash, err
}

// SetPassphrase keeps the hash of a new passphrase; whoever came in with another
// one must come in again.
func (s *Store) SetPassphrase(ctx context.Context, hash []byte) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM sessions`); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO access (id, hash) VALUES (1, ?) ON CONFLICT (id) DO `+
			`UPDATE SET hash = excluded.hash`, hash)
		return err
	})
}

// AddSession lets a browser in; token is a hash of what it holds.
func (s *Store) AddSession(ctx context.Context, token []byte) error {
	if _, err := s.exec(ctx, `DELETE FROM sessions WHERE created < strftime('%Y-%m-%dT%H:%M:%fZ', `+
		`'now', ?)`, sessionDays); err != nil {
		return err
	}
	_, err := s.exec(ctx, `INSERT INTO sessions (token) VALUES (?)`, token)
	return err
}

// HasSession reports whether a browser has been let in; only is the one print that it may see, 0
// for all.
func (s *Store) HasSession(ctx context.Context, token []byte) (in bool, only int64, err error) {
	var id sql.NullInt64
	err = s.db.QueryRowContext(ctx, `SELECT print_id FROM sessions WHERE token = ? AND created >= `+
		`strftime('%Y-%m-%dT%H:%M:%fZ', 'now', ?)`, token, sessionDays).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return false, 0, nil
	}
	return err == nil, id.Int64, err
}

// DropSession shows a browser out.
func (s *Store) DropSession(ctx context.Context, token []byte) error {
	_, err := s.exec(ctx, `DELETE FROM sessions WHERE token = ?`, token)
	return err
}
