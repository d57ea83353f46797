package store

import (
	"context"
	"database/sql"
	"errors"
)

// Pack is the archive that a print came in.
type Pack struct {
	Plate   string // the entry that is the print
	Shell   []byte // the archive, that entry being empty
	Picture []byte // JPEG; nil when there is none
}

// MaxShell bounds what is kept of an archive beside its G-code, bytes.
const MaxShell = 64 << 20

func savePack(ctx context.Context, tx *sql.Tx, printID int64, p *Pack) error {
	_, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO packs (print_id, plate, shell, picture)
		VALUES (?, ?, ?, ?)`, printID, p.Plate, p.Shell, p.Picture)
	return err
}

// Pack returns the archive that a print came in, or ErrNone.
func (s *Store) Pack(ctx context.Context, printID int64) (*Pack, error) {
	p := &Pack{}
	err := s.db.QueryRowContext(ctx, `SELECT plate, shell, picture FROM packs WHERE print_id = ?`,
		printID).Scan(&p.Plate, &p.Shell, &p.Picture)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNone
	}
	return p, err
}

// PackPicture returns the picture that came with a print, or ErrNone.
func (s *Store) PackPicture(ctx context.Context, printID int64) ([]byte, error) {
	var data []byte
	err := s.db.QueryRowContext(ctx, `SELECT picture FROM packs WHERE print_id = ? AND
		picture IS NOT NULL`, printID).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNone
	}
	return data, err
}
