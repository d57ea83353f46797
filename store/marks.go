package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"

	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
)

// indexVersion changes when the index changes its shape; older ones are made anew.
const indexVersion = 9

// Reading is what a reading of a print found.
type Reading struct {
	Index     *layer.Index
	Outline   *raster.Outline
	Landmarks *landmark.Report
}

// SaveReading stores what a reading found; the print is ready then.
func (s *Store) SaveReading(ctx context.Context, id int64, r *Reading) error {
	var b bytes.Buffer
	if err := gob.NewEncoder(&b).Encode(r); err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO indexes (print_id, version, data) VALUES (?, ?, ?)`, id, indexVersion, s.pack.EncodeAll(b.Bytes(), nil)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE prints SET state = 'ready' WHERE id = ?`, id)
		return err
	})
}

// Known reports whether a print has been read before, be it by an older version.
func (s *Store) Known(ctx context.Context, id int64) bool {
	var n int
	err := s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM indexes WHERE print_id = ?`, id).Scan(&n)
	return err == nil && n > 0
}

// outdated lets prints whose index an older version has made be read again.
func outdated(db *sql.DB) error {
	_, err := db.Exec(`UPDATE prints SET state = 'reading' WHERE state = 'ready' AND NOT EXISTS
		(SELECT 1 FROM indexes i WHERE i.print_id = prints.id AND i.version = ?)`, indexVersion)
	return err
}

// Reading returns the stored reading, or ErrNone when the print must be read.
func (s *Store) Reading(ctx context.Context, id int64) (*Reading, error) {
	var data []byte
	err := s.db.QueryRowContext(ctx, `SELECT data FROM indexes WHERE print_id = ? AND version = ?`, id, indexVersion).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNone
	}
	if err != nil {
		return nil, err
	}
	raw, err := s.unpack.DecodeAll(data, nil)
	if err != nil {
		return nil, fmt.Errorf("stored index: %w", err)
	}
	var x Reading
	if err := gob.NewDecoder(bytes.NewReader(raw)).Decode(&x); err != nil {
		return nil, fmt.Errorf("stored index: %w", err)
	}
	return &x, nil
}

func (s *Store) inTx(ctx context.Context, f func(*sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := f(tx); err != nil {
		_ = tx.Rollback()
		return err
	}
	return tx.Commit()
}

// Plan returns what is marked in a print, with whether there is something to
// undo and to redo.
func (s *Store) Plan(ctx context.Context, id int64) (p *plan.Plan, undo, redo bool, err error) {
	var doc sql.NullString
	var rev, top int64
	err = s.db.QueryRowContext(ctx, `SELECT p.rev, COALESCE((SELECT MAX(rev) FROM revisions r WHERE r.print_id = p.id), 0),
		(SELECT doc FROM revisions r WHERE r.print_id = p.id AND r.rev = p.rev) FROM prints p WHERE p.id = ?`, id).Scan(&rev, &top, &doc)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, false, ErrNone
	}
	if err != nil {
		return nil, false, false, err
	}
	p = &plan.Plan{Format: plan.Format}
	if doc.Valid {
		if err := json.Unmarshal([]byte(doc.String), p); err != nil {
			return nil, false, false, fmt.Errorf("stored plan: %w", err)
		}
	}
	return p, rev > 0, rev < top, nil
}

// Change reads what is marked, lets f change it and keeps the result as a new
// revision. Revisions that were undone are dropped.
func (s *Store) Change(ctx context.Context, id int64, f func(*plan.Plan) error) error {
	return s.told(id, s.inTx(ctx, func(tx *sql.Tx) error {
		var rev int64
		var doc sql.NullString
		err := tx.QueryRowContext(ctx, `SELECT p.rev, (SELECT doc FROM revisions r WHERE r.print_id = p.id AND r.rev = p.rev) FROM prints p WHERE p.id = ?`, id).Scan(&rev, &doc)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNone
		}
		if err != nil {
			return err
		}
		p := &plan.Plan{Format: plan.Format}
		if doc.Valid {
			if err := json.Unmarshal([]byte(doc.String), p); err != nil {
				return fmt.Errorf("stored plan: %w", err)
			}
		}
		if err := f(p); err != nil {
			return err
		}
		out, err := json.Marshal(p)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM revisions WHERE print_id = ? AND rev > ?`, id, rev); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO revisions (print_id, rev, doc) VALUES (?, ?, ?)`, id, rev+1, string(out)); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE prints SET rev = ? WHERE id = ?`, rev+1, id)
		return err
	}))
}

// told tells of a change that was made.
func (s *Store) told(id int64, err error) error {
	if err == nil && s.Changed != nil {
		s.Changed(id)
	}
	return err
}

// Undo goes one revision back, Redo one forward; at the end they do nothing.
func (s *Store) Undo(ctx context.Context, id int64) error {
	_, err := s.db.ExecContext(ctx, `UPDATE prints SET rev = rev - 1 WHERE id = ? AND rev > 0`, id)
	return s.told(id, err)
}

// Redo takes back an Undo.
func (s *Store) Redo(ctx context.Context, id int64) error {
	_, err := s.db.ExecContext(ctx, `UPDATE prints SET rev = rev + 1 WHERE id = ? AND rev < COALESCE((SELECT MAX(rev) FROM revisions WHERE print_id = prints.id), 0)`, id)
	return s.told(id, err)
}
