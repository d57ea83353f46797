package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"dogear/core/plan"
)

// Kit is what somebody owns, with the order in which each drawer is shown.
type Kit struct {
	plan.Kit
	Keys       map[string][]string // by drawer
	Undo, Redo bool                // there is a change to take back, or to do again
	Version    string              // changes with every change
	Signs      map[string]string   // of each item, by drawer and key: changes with the item
}

// Kit returns the whole Kit.
func (s *Store) Kit(ctx context.Context) (*Kit, error) {
	k := &Kit{Kit: plan.Kit{Format: plan.KitFormat, Printers: map[string]plan.Printer{},
		Filaments: map[string]plan.Filament{}, Inserts: map[string]plan.InsertPart{},
		Routines: map[string]plan.Routine{}}, Keys: map[string][]string{}, Signs: map[string]string{}}
	rows, err := s.db.QueryContext(ctx, `SELECT drawer, key, doc FROM kit ORDER BY drawer, sort, key`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var drawer, key, doc string
		if err := rows.Scan(&drawer, &key, &doc); err != nil {
			return nil, err
		}
		switch drawer {
		case plan.Printers:
			err = into(k.Printers, key, doc)
		case plan.Filaments:
			err = into(k.Filaments, key, doc)
		case plan.Inserts:
			err = into(k.Inserts, key, doc)
		case plan.Routines:
			err = into(k.Routines, key, doc)
		}
		if err != nil {
			return nil, fmt.Errorf("stored kit, %s %q: %w", drawer, key, err)
		}
		k.Keys[drawer] = append(k.Keys[drawer], key)
		k.Signs[drawer+"/"+key] = signOf(doc)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	err = s.db.QueryRowContext(ctx, `SELECT EXISTS(SELECT 1 FROM kit_log WHERE undone = 0),
		EXISTS(SELECT 1 FROM kit_log WHERE undone = 1),
		(SELECT COALESCE(MAX(id), 0) || '.' || COALESCE(SUM(undone), 0)
			FROM kit_log)`).Scan(&k.Undo, &k.Redo, &k.Version)
	return k, err
}

func into[T any](m map[string]T, key, doc string) error {
	var v T
	if err := json.Unmarshal([]byte(doc), &v); err != nil {
		return err
	}
	m[key] = v
	return nil
}

// ErrChanged is the cause when an item of the Kit is no longer what it was.
var ErrChanged = errors.New("somebody else has changed it meanwhile")

// signOf tells one state of an item from another.
func signOf(doc string) string { return fmt.Sprintf("%x", sha256.Sum256([]byte(doc)))[:12] }

// Put puts items into the Kit, over what is there under the same key, or takes
// them out, in one step that can be undone.
func (s *Store) Put(ctx context.Context, items ...plan.Item) error {
	return s.inTx(ctx, func(tx *sql.Tx) error { return putItems(ctx, tx, items) })
}

// PutFrom does so if an item is still what it was: as its sign says, and not there when
// that is empty.
func (s *Store) PutFrom(ctx context.Context, drawer, key, was string, items ...plan.Item) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		now, doc := "", ""
		err := tx.QueryRowContext(ctx, `SELECT doc FROM kit WHERE drawer = ? AND key = ?`, drawer,
			key).Scan(&doc)
		if err == nil {
			now = signOf(doc)
		} else if !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		if now != was {
			return ErrChanged
		}
		return putItems(ctx, tx, items)
	})
}

func putItems(ctx context.Context, tx *sql.Tx, items []plan.Item) error {
	if _, err := tx.ExecContext(ctx, `DELETE FROM kit_log WHERE undone = 1`); err != nil {
		return err
	}
	var step int64
	if err := tx.QueryRowContext(ctx, `SELECT COALESCE(MAX(step), 0) + 1 FROM kit_log`).Scan(
		&step); err != nil {
		return err
	}
	for _, it := range items {
		var now sql.NullString
		if it.Doc != nil {
			j, err := json.Marshal(it.Doc)
			if err != nil {
				return err
			}
			now = sql.NullString{String: string(j), Valid: true}
		}
		var was sql.NullString
		var sort int64
		err := tx.QueryRowContext(ctx, `SELECT doc, sort FROM kit WHERE drawer = ? AND key = ?`,
			it.Drawer, it.Key).Scan(&was, &sort)
		if errors.Is(err, sql.ErrNoRows) {
			err = tx.QueryRowContext(ctx, `SELECT COALESCE(MAX(sort), 0) + 1 FROM kit WHERE drawer = ?`,
				it.Drawer).Scan(&sort)
		}
		if err != nil {
			return err
		}
		if was == now {
			continue
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO kit_log (step, drawer, key, sort, was, now) `+
			`VALUES (?, ?, ?, ?, ?, ?)`, step, it.Drawer, it.Key, sort, was, now); err != nil {
			return err
		}
		if err := putItem(ctx, tx, it.Drawer, it.Key, sort, now); err != nil {
			return err
		}
	}
	return nil
}

// putItem makes an item be what doc says; NULL takes it out.
func putItem(ctx context.Context, tx *sql.Tx, drawer, key string, sort int64,
	doc sql.NullString) error {
	var err error
	if doc.Valid {
		_, err = tx.ExecContext(ctx, `INSERT OR REPLACE INTO kit (drawer, key, doc, sort) VALUES (?, `+
			`?, ?, ?)`, drawer, key, doc.String, sort)
	} else {
		_, err = tx.ExecContext(ctx, `DELETE FROM kit WHERE drawer = ? AND key = ?`, drawer, key)
	}
	return err
}

// UndoKit takes the last step back, RedoKit does it again; without one they do
// nothing.
func (s *Store) UndoKit(ctx context.Context) error {
	return s.replay(ctx, `SELECT id, drawer, key, sort, was FROM kit_log WHERE step = (SELECT `+
		`MAX(step) FROM kit_log WHERE undone = 0) ORDER BY id DESC`, 1)
}

// RedoKit takes back an UndoKit.
func (s *Store) RedoKit(ctx context.Context) error {
	return s.replay(ctx, `SELECT id, drawer, key, sort, now FROM kit_log WHERE step = (SELECT `+
		`MIN(step) FROM kit_log WHERE undone = 1) ORDER BY id`, 0)
}

func (s *Store) replay(ctx context.Context, query string, undone int) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		type change struct {
			id, sort    int64
			drawer, key string
			doc         sql.NullString
		}
		rows, err := tx.QueryContext(ctx, query)
		if err != nil {
			return err
		}
		var all []change
		for rows.Next() {
			var c change
			if err := rows.Scan(&c.id, &c.drawer, &c.key, &c.sort, &c.doc); err != nil {
				rows.Close()
				return err
			}
			all = append(all, c)
		}
		rows.Close()
		if err := rows.Err(); err != nil {
			return err
		}
		for _, c := range all {
			if err := putItem(ctx, tx, c.drawer, c.key, c.sort, c.doc); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `UPDATE kit_log SET undone = ? WHERE id = ?`, undone,
				c.id); err != nil {
				return err
			}
		}
		return nil
	})
}

// Ship puts items into a Kit that has never been touched; they are there from
// the beginning and cannot be undone.
func (s *Store) Ship(ctx context.Context, items ...plan.Item) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var touched bool
		if err := tx.QueryRowContext(ctx, `SELECT EXISTS(SELECT 1 FROM kit) OR EXISTS(SELECT 1 FROM `+
			`kit_log)`).Scan(&touched); err != nil || touched {
			return err
		}
		for i, it := range items {
			j, err := json.Marshal(it.Doc)
			if err != nil {
				return err
			}
			if err := putItem(ctx, tx, it.Drawer, it.Key, int64(i),
				sql.NullString{String: string(j), Valid: true}); err != nil {
				return err
			}
		}
		return nil
	})
}
