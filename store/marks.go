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
const indexVersion = 12

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
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO indexes (print_id, version, data) `+
			`VALUES (?, ?, ?)`, id, indexVersion, s.pack.EncodeAll(b.Bytes(), nil)); err != nil {
			return err
		}
		if err := saveFace(ctx, tx, id, faceOf(r)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE prints SET state = 'ready' WHERE id = ? AND state = `+
			`'reading'`, id)
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
func (s *Store) outdated(ctx context.Context) error {
	n := 0
	const which = `state = 'ready' AND NOT EXISTS (SELECT 1 FROM indexes i JOIN faces USING (print_id)
		WHERE i.print_id = prints.id AND i.version = ?)`
	err := s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM prints WHERE `+which, indexVersion).Scan(&n)
	if err != nil || n == 0 {
		return err
	}
	_, err = s.exec(ctx, `UPDATE prints SET state = 'reading' WHERE `+which, indexVersion)
	return err
}

// ErrStale is the cause when a print must be read again: what was kept of its reading is
// of another version, or damaged.
var ErrStale = errors.New("the print must be read again")

// Again lets a print be read again.
func (s *Store) Again(ctx context.Context, id int64) error {
	_, err := s.exec(ctx, `UPDATE prints SET state = 'reading' WHERE id = ? AND state = 'ready'`, id)
	return err
}

// Reading returns the stored reading, or ErrStale when the print must be read.
func (s *Store) Reading(ctx context.Context, id int64) (*Reading, error) {
	var data []byte
	err := s.db.QueryRowContext(ctx, `SELECT data FROM indexes WHERE print_id = ? AND version = ?`, id,
		indexVersion).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrStale
	}
	if err != nil {
		return nil, err
	}
	raw, err := s.unpack.DecodeAll(data, nil)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrStale, err)
	}
	var x Reading
	if err := gob.NewDecoder(bytes.NewReader(raw)).Decode(&x); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrStale, err)
	}
	return &x, nil
}

// current is what is marked in a print, with the row it comes from.
type current struct {
	rev, top int64
	doc      sql.NullString
}

func (s *Store) current(ctx context.Context, id int64) (c current, p *plan.Plan, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT p.rev,
		COALESCE((SELECT MAX(rev) FROM revisions r WHERE r.print_id = p.id), 0),
		(SELECT doc FROM revisions r WHERE r.print_id = p.id AND r.rev = p.rev)
		FROM prints p WHERE p.id = ?`, id).Scan(&c.rev, &c.top, &c.doc)
	if errors.Is(err, sql.ErrNoRows) {
		return c, nil, ErrNone
	}
	if err != nil {
		return c, nil, err
	}
	p = &plan.Plan{Format: plan.Format}
	if c.doc.Valid {
		if err := json.Unmarshal([]byte(c.doc.String), p); err != nil {
			return c, nil, fmt.Errorf("stored plan: %w", err)
		}
	}
	return c, p, nil
}

// Plan returns what is marked in a print, with whether there is something to
// undo and to redo.
func (s *Store) Plan(ctx context.Context, id int64) (p *plan.Plan, undo, redo bool, err error) {
	c, p, err := s.current(ctx, id)
	return p, c.rev > 0, c.rev < c.top, err
}

// errMoved makes a change be tried again: somebody else was faster.
var errMoved = errors.New("somebody else has changed it meanwhile")

// maxTries bounds how often a change is tried again.
const maxTries = 50

// optimistic tries a change until nobody else is faster.
func optimistic(try func() error) error {
	for k := 1; ; k++ {
		if err := try(); !errors.Is(err, errMoved) || k == maxTries {
			return err
		}
	}
}

// Change reads what is marked, lets f change it and keeps the result as a new
// revision. Revisions that were undone are dropped. f may compute as long as it likes;
// it is called again when something else was marked meanwhile.
func (s *Store) Change(ctx context.Context, id int64, f func(*plan.Plan) error) error {
	return s.announced(id, optimistic(func() error {
		was, p, err := s.current(ctx, id)
		if err != nil {
			return err
		}
		if err := f(p); err != nil {
			return err
		}
		out, err := json.Marshal(p)
		if err != nil {
			return err
		}
		return s.inTx(ctx, func(tx *sql.Tx) error {
			res, err := tx.ExecContext(ctx, `UPDATE prints SET rev = rev + 1 WHERE id = ?1 AND rev = ?2
				AND (SELECT doc FROM revisions WHERE print_id = ?1 AND rev = ?2) IS ?3`, id, was.rev, was.doc)
			if err != nil {
				return err
			}
			if n, err := res.RowsAffected(); err != nil || n == 0 {
				return errors.Join(err, errMoved)
			}
			if _, err := tx.ExecContext(ctx, `DELETE FROM revisions WHERE print_id = ? AND rev > ?`,
				id, was.rev); err != nil {
				return err
			}
			_, err = tx.ExecContext(ctx, `INSERT INTO revisions (print_id, rev, doc) VALUES (?, ?, ?)`,
				id, was.rev+1, string(out))
			return err
		})
	}))
}

// announced tells of a change that was made.
func (s *Store) announced(id int64, err error) error {
	if err == nil && s.Changed != nil {
		s.Changed(id)
	}
	return err
}

// Undo goes one revision back, Redo one forward; at the end they do nothing.
func (s *Store) Undo(ctx context.Context, id int64) error {
	_, err := s.exec(ctx, `UPDATE prints SET rev = rev - 1 WHERE id = ? AND rev > 0`, id)
	return s.announced(id, err)
}

// Redo takes back an Undo.
func (s *Store) Redo(ctx context.Context, id int64) error {
	_, err := s.exec(ctx, `UPDATE prints SET rev = rev + 1 WHERE id = ? AND rev < COALESCE((SELECT `+
		`MAX(rev) FROM revisions WHERE print_id = prints.id), 0)`, id)
	return s.announced(id, err)
}
