package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"

	"dogear/core/watch"
)

// Watch returns the newest watch of a print, or ErrNone.
func (s *Store) Watch(ctx context.Context, printID int64) (*watch.Watch, error) {
	_, w, err := watchOf(ctx, s.db, printID)
	return w, err
}

type querier interface {
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

func watchOf(ctx context.Context, q querier, printID int64) (int64, *watch.Watch, error) {
	var id int64
	var doc string
	err := q.QueryRowContext(ctx, `SELECT id, doc FROM watches WHERE print_id = ? ORDER BY id DESC
		LIMIT 1`, printID).Scan(&id, &doc)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil, ErrNone
	}
	if err != nil {
		return 0, nil, err
	}
	w := &watch.Watch{}
	return id, w, json.Unmarshal([]byte(doc), w)
}

// BeginWatch begins to watch a print anew.
func (s *Store) BeginWatch(ctx context.Context, printID int64, w *watch.Watch) error {
	doc, err := json.Marshal(w)
	if err != nil {
		return err
	}
	_, err = s.exec(ctx, `INSERT INTO watches (print_id, doc) VALUES (?, ?)`, printID, string(doc))
	return err
}

// ChangeWatch changes the newest watch of a print; change may refuse.
func (s *Store) ChangeWatch(ctx context.Context, printID int64,
	change func(*watch.Watch) error) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		id, w, err := watchOf(ctx, tx, printID)
		if err != nil {
			return err
		}
		if err := change(w); err != nil {
			return err
		}
		doc, err := json.Marshal(w)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE watches SET doc = ? WHERE id = ?`, string(doc), id)
		return err
	})
}

// Running returns the prints that are watched just now, the one begun last first.
func (s *Store) Running(ctx context.Context) ([]int64, error) {
	return s.numbers(ctx, `SELECT print_id FROM watches w JOIN prints p ON p.id = w.print_id
		WHERE w.id = (SELECT MAX(id) FROM watches o WHERE o.print_id = w.print_id)
		AND p.removed IS NULL AND json_extract(doc, '$.ended') IS NULL ORDER BY w.id DESC`)
}

// ticketLasts is how long a link can be used that lets one browser in.
const ticketLasts = "-10 minutes"

// AddTicket makes a link for one print; token is a hash of what is in it.
func (s *Store) AddTicket(ctx context.Context, token []byte, printID int64) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM tickets WHERE created <
			strftime('%Y-%m-%dT%H:%M:%fZ', 'now', ?)`, ticketLasts); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO tickets (token, print_id) VALUES (?, ?)`, token,
			printID)
		return err
	})
}

// TakeTicket uses a link up: the browser that holds session comes in, to the print that is
// returned and to no other. It is ErrNone for one that is used, too old, or was never made.
func (s *Store) TakeTicket(ctx context.Context, token, session []byte) (printID int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		err := tx.QueryRowContext(ctx, `DELETE FROM tickets WHERE token = ? AND created >=
			strftime('%Y-%m-%dT%H:%M:%fZ', 'now', ?) RETURNING print_id`, token,
			ticketLasts).Scan(&printID)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNone
		}
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `INSERT INTO sessions (token, print_id) VALUES (?, ?)`, session,
			printID)
		return err
	})
	return printID, err
}
