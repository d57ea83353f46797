package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"dogear/core/pickup"
)

// Pickup is how a print that failed is finished.
type Pickup struct {
	ID      int64
	PrintID int64
	Created time.Time
	Written time.Time // zero while it is being worked on
	Doc     PickupDoc
	Outcome string // "", Worked or Failed, as somebody has said
	Undo    bool   // there is a change to take back
	Redo    bool
}

// What came of a pick-up.
const (
	Worked = "worked"
	Failed = "failed"
)

// PickupDoc is what is known about a failure and what was decided.
type PickupDoc struct {
	Evidence []pickup.Evidence `json:"evidence"`
	Choice   pickup.Choice     `json:"choice"`
	Taken    bool              `json:"taken,omitempty"`   // the place was chosen by a person
	Layer    int               `json:"layer,omitempty"`   // that the written file begins with
	Line     int64             `json:"line,omitempty"`    // of the original, at which it begins
	Length   int               `json:"length,omitempty"`  // lines of the written file's opening
	GoesOn   bool              `json:"goes_on,omitempty"` // it does not wait where it primes
	Photo    *Photo            `json:"photo,omitempty"`   // of the part, from above
}

// history is a document with what it was before.
type history struct {
	Now  PickupDoc   `json:"now"`
	Past []PickupDoc `json:"past,omitempty"`
	Next []PickupDoc `json:"next,omitempty"`
}

// maxPast bounds how many changes of a pick-up can be taken back.
const maxPast = 50

// Pickups returns the pick-ups of a print, newest first.
func (s *Store) Pickups(ctx context.Context, printID int64) ([]Pickup, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT `+pickupColumns+` FROM pickups `+
		`WHERE print_id = ? ORDER BY id DESC`, printID)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Pickup
	for rows.Next() {
		p, _, err := scanPickup(rows)
		if err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, rows.Err()
}

func scanPickup(row interface{ Scan(...any) error }) (Pickup, history, error) {
	var p Pickup
	var h history
	var created, doc string
	var written sql.NullString
	err := row.Scan(&p.ID, &p.PrintID, &created, &written, &doc, &p.Outcome)
	if errors.Is(err, sql.ErrNoRows) {
		return p, h, ErrNone
	}
	if err != nil {
		return p, h, err
	}
	p.Created, _ = time.Parse(time.RFC3339Nano, created)
	p.Written, _ = time.Parse(time.RFC3339Nano, written.String)
	if err := json.Unmarshal([]byte(doc), &h); err != nil {
		return p, h, err
	}
	p.Doc, p.Undo, p.Redo = h.Now, len(h.Past) > 0, len(h.Next) > 0
	return p, h, nil
}

const pickupColumns = `id, print_id, created, written, doc, outcome`

// Draft returns the pick-up of a print that is being worked on, or ErrNone.
func (s *Store) Draft(ctx context.Context, printID int64) (Pickup, error) {
	p, _, err := scanPickup(s.db.QueryRowContext(ctx, `SELECT `+pickupColumns+` FROM pickups WHERE `+
		`print_id = ? AND written IS NULL ORDER BY id DESC LIMIT 1`, printID))
	return p, err
}

// Pickup returns one pick-up of a print.
func (s *Store) Pickup(ctx context.Context, printID, id int64) (Pickup, error) {
	p, _, err := scanPickup(s.db.QueryRowContext(ctx, `SELECT `+pickupColumns+` FROM pickups WHERE `+
		`print_id = ? AND id = ?`, printID, id))
	return p, err
}

// ChangeDraft lets f change the pick-up that is being worked on; without one a
// new one is begun. The change can be taken back.
func (s *Store) ChangeDraft(ctx context.Context, printID int64, f func(*PickupDoc) error) error {
	return s.draft(ctx, printID, func(h *history) error {
		now := clone(h.Now)
		if err := f(&now); err != nil {
			return err
		}
		h.Past = append(h.Past, h.Now)
		if len(h.Past) > maxPast {
			h.Past = h.Past[1:]
		}
		h.Now, h.Next = now, nil
		return nil
	})
}

func clone(d PickupDoc) PickupDoc {
	var out PickupDoc
	j, _ := json.Marshal(d)
	_ = json.Unmarshal(j, &out)
	return out
}

// UndoDraft takes the last change back, RedoDraft does it again.
func (s *Store) UndoDraft(ctx context.Context, printID int64) error {
	return s.draft(ctx, printID, func(h *history) error {
		if n := len(h.Past); n > 0 {
			h.Next = append(h.Next, h.Now)
			h.Now, h.Past = h.Past[n-1], h.Past[:n-1]
		}
		return nil
	})
}

// RedoDraft takes back an UndoDraft.
func (s *Store) RedoDraft(ctx context.Context, printID int64) error {
	return s.draft(ctx, printID, func(h *history) error {
		if n := len(h.Next); n > 0 {
			h.Past = append(h.Past, h.Now)
			h.Now, h.Next = h.Next[n-1], h.Next[:n-1]
		}
		return nil
	})
}

// latest reads the pick-up that is being worked on, as it stands in the database too.
func (s *Store) latest(ctx context.Context, printID int64) (Pickup, history, string, error) {
	var id int64
	var doc string
	err := s.db.QueryRowContext(ctx, `SELECT id, doc FROM pickups
		WHERE print_id = ? AND written IS NULL ORDER BY id DESC LIMIT 1`, printID).Scan(&id, &doc)
	var h history
	if errors.Is(err, sql.ErrNoRows) {
		return Pickup{}, h, "", ErrNone
	}
	if err == nil {
		err = json.Unmarshal([]byte(doc), &h)
	}
	return Pickup{ID: id}, h, doc, err
}

// draft lets f change the pick-up that is being worked on; it is called again when somebody
// else has changed that meanwhile.
func (s *Store) draft(ctx context.Context, printID int64, f func(*history) error) error {
	return optimistic(func() error {
		p, h, was, err := s.latest(ctx, printID)
		fresh := errors.Is(err, ErrNone)
		if err != nil && !fresh {
			return err
		}
		if err := f(&h); err != nil {
			return err
		}
		j, err := json.Marshal(h)
		if err != nil {
			return err
		}
		var n int64
		if fresh {
			n, err = s.exec(ctx, `INSERT INTO pickups (print_id, doc) SELECT ?1, ?2 WHERE NOT EXISTS
				(SELECT 1 FROM pickups WHERE print_id = ?1 AND written IS NULL)`, printID, string(j))
		} else {
			n, err = s.exec(ctx, `UPDATE pickups SET doc = ? WHERE id = ? AND doc = ?
				AND written IS NULL`, string(j), p.ID, was)
		}
		if err == nil && n == 0 {
			return errMoved
		}
		return err
	})
}

// FinishDraft books that the file of the pick-up being worked on was written, with what was
// made of it, and returns its number. From then on that never changes.
func (s *Store) FinishDraft(ctx context.Context, printID int64, layer int, line int64,
	length int, made []byte) (int64, error) {
	var id int64
	err := s.inTx(ctx, func(tx *sql.Tx) error {
		p, h, err := scanPickup(tx.QueryRowContext(ctx, `SELECT `+pickupColumns+` FROM pickups WHERE `+
			`print_id = ? AND written IS NULL ORDER BY id DESC LIMIT 1`, printID))
		if err != nil {
			return err
		}
		id = p.ID
		h.Now.Layer, h.Now.Line, h.Now.Length = layer, line, length
		j, err := json.Marshal(history{Now: h.Now})
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE pickups SET doc = ?, made = ?, written = `+
			`strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE id = ?`, string(j), made, id)
		return err
	})
	return id, err
}

// MadeOf returns what was made of a pick-up when it was written; nil when that was not kept.
func (s *Store) MadeOf(ctx context.Context, printID, id int64) ([]byte, error) {
	var made []byte
	err := s.db.QueryRowContext(ctx, `SELECT made FROM pickups WHERE print_id = ? AND id = ?
		AND written IS NOT NULL`, printID, id).Scan(&made)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNone
	}
	return made, err
}

// SaveOutcome notes what came of a pick-up that was written.
func (s *Store) SaveOutcome(ctx context.Context, printID, id int64, outcome string) error {
	_, err := s.exec(ctx, `UPDATE pickups SET outcome = ? WHERE print_id = ? AND id = ?
		AND written IS NOT NULL`, outcome, printID, id)
	return err
}

// RemovePickup forgets a pick-up.
func (s *Store) RemovePickup(ctx context.Context, printID, id int64) error {
	_, err := s.exec(ctx, `DELETE FROM pickups WHERE print_id = ? AND id = ?`, printID, id)
	return err
}
