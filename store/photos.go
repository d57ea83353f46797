package store

import (
	"context"
	"database/sql"
	"errors"
)

// Photo is a picture of the part as a pick-up compares it: two places of it that are known on
// the bed too.
type Photo struct {
	ID   int64         `json:"id"`
	Pins [2][2]float64 `json:"pins"` // shares of its width and height, from the upper left corner
	At   [2][2]float64 `json:"at"`   // the same places on the bed, mm; alike until it is pinned
}

// MaxPhotos bounds the pictures of one print.
const MaxPhotos = 20

// ErrPhotos is the cause when a print has pictures enough.
var ErrPhotos = errors.New("there are pictures enough of this print")

// PutPhoto keeps a picture and returns its number.
func (s *Store) PutPhoto(ctx context.Context, printID int64, data []byte) (id int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRowContext(ctx, `SELECT COUNT(*) FROM photos WHERE print_id = ?`,
			printID).Scan(&n); err != nil {
			return err
		}
		if n >= MaxPhotos {
			return ErrPhotos
		}
		r, err := tx.ExecContext(ctx, `INSERT INTO photos (print_id, data) VALUES (?, ?)`, printID,
			data)
		if err != nil {
			return err
		}
		id, err = r.LastInsertId()
		return err
	})
	return id, err
}

// Photo returns a picture of a print, or ErrNone.
func (s *Store) Photo(ctx context.Context, printID, id int64) ([]byte, error) {
	var data []byte
	err := s.db.QueryRowContext(ctx, `SELECT data FROM photos WHERE print_id = ? AND id = ?`, printID,
		id).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNone
	}
	return data, err
}
