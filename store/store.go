// Package store keeps prints, what was marked in them, and the Kit in SQLite.
//
// A print's bytes are written once, as compressed chunks, while they arrive;
// a print whose bytes did not all arrive is removed when the store is opened.
// Every change of what is marked is a new revision, so that it can be undone.
// Each method is one transaction: what it has confirmed survives a kill.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNone is the cause when something asked for is not there.
var ErrNone = errors.New("there is no such print")

// Store is an open database.
type Store struct {
	// Changed is called with a print's id when what is marked in it has changed;
	// set it before the store is used. It must return at once.
	Changed func(id int64)

	db     *sql.DB
	pack   *zstd.Encoder
	unpack *zstd.Decoder
}

// Open opens the store in a folder and creates what is missing.
func Open(ctx context.Context, dir string) (*Store, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	dsn := "file:" + filepath.Join(dir, fileName) + "?_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(10000)&_pragma=synchronous(NORMAL)&_txlock=immediate"
	db, err := sql.Open("sqlite", dsn)
	if err != nil {
		return nil, err
	}
	steps, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	sub, err := goose.NewProvider(goose.DialectSQLite3, db, steps)
	if err != nil {
		db.Close()
		return nil, err
	}
	if _, err := sub.Up(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("bringing the database up to date: %w", err)
	}
	s := &Store{db: db}
	s.pack, _ = zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1))
	s.unpack, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(2), zstd.WithDecoderMaxMemory(64<<20))
	if _, err := db.ExecContext(ctx, `DELETE FROM prints WHERE state = 'arriving'`); err != nil {
		db.Close()
		return nil, err
	}
	if err := outdated(db); err != nil {
		db.Close()
		return nil, err
	}
	return s, nil
}

// Close closes the database.
func (s *Store) Close() error {
	s.unpack.Close()
	return s.db.Close()
}

// Ping says whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

// Print is one row of the shelf.
type Print struct {
	ID      int64
	Name    string
	Title   string
	State   string
	Bytes   int64
	SHA256  string
	Created time.Time
	Rev     int64
	Older   int64 // the print of which it is a newer slicing; 0 when there is none
}

const printColumns = `id, name, title, state, bytes, sha256, created, rev, COALESCE(older, 0)`

func scanPrint(row interface{ Scan(...any) error }) (Print, error) {
	var p Print
	var created string
	err := row.Scan(&p.ID, &p.Name, &p.Title, &p.State, &p.Bytes, &p.SHA256, &created, &p.Rev, &p.Older)
	if errors.Is(err, sql.ErrNoRows) {
		return p, ErrNone
	}
	p.Created, _ = time.Parse(time.RFC3339Nano, created)
	return p, err
}

// Prints returns the prints whose bytes are here, newest first.
func (s *Store) Prints(ctx context.Context) ([]Print, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT `+printColumns+` FROM prints WHERE state <> 'arriving' ORDER BY created DESC, id DESC`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Print
	for rows.Next() {
		p, err := scanPrint(rows)
		if err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, rows.Err()
}

// Print returns one print.
func (s *Store) Print(ctx context.Context, id int64) (Print, error) {
	return scanPrint(s.db.QueryRowContext(ctx, `SELECT `+printColumns+` FROM prints WHERE id = ? AND state <> 'arriving'`, id))
}

// Remove deletes a print and all that belongs to it.
func (s *Store) Remove(ctx context.Context, id int64) error {
	res, err := s.db.ExecContext(ctx, `DELETE FROM prints WHERE id = ?`, id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNone
	}
	return nil
}
