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
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"github.com/gofrs/flock"
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
	dir    string
	lock   *flock.Flock
	file   os.FileInfo // of the database, as it was opened
	closed atomic.Bool
	pack   *zstd.Encoder
	unpack *zstd.Decoder
}

// address is the database's for its driver. A commit is on the disk when it returns.
func address(file string, more ...string) string {
	u := url.URL{Path: filepath.ToSlash(file)}
	return "file:" + u.EscapedPath() + "?" + strings.Join(append([]string{
		"_pragma=busy_timeout(10000)", "_pragma=foreign_keys(1)"}, more...), "&")
}

// Open opens the store in a folder and creates what is missing. While it is open no other
// Dogear works with the folder ([ErrHeld]).
func Open(ctx context.Context, dir string) (*Store, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	s := &Store{dir: dir}
	if s.lock, err = hold(dir); err != nil {
		return nil, err
	}
	sweep(dir)
	err = s.open(ctx)
	if errors.Is(s.wrapErr(err), ErrFull) { // even that takes room
		_ = os.Remove(filepath.Join(dir, reserveName))
		if s.db != nil {
			s.db.Close()
		}
		err = s.open(ctx)
	}
	if err != nil {
		if s.db != nil {
			s.db.Close()
		}
		_ = s.unlock()
		return nil, s.wrapErr(err)
	}
	s.pack, s.unpack = packers()
	s.reserve()
	_ = s.Hold("") // who cannot say so works all the same
	return s, nil
}

// packers compress chunks, each with a checksum, and undo that.
func packers() (*zstd.Encoder, *zstd.Decoder) {
	pack, _ := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest),
		zstd.WithEncoderConcurrency(1))
	unpack, _ := zstd.NewReader(nil, zstd.WithDecoderConcurrency(2), zstd.WithDecoderMaxMemory(64<<20))
	return pack, unpack
}

func (s *Store) open(ctx context.Context) error {
	file := filepath.Join(s.dir, fileName)
	// Nobody else on this machine reads what somebody prints, wherever the folder lies.
	f, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	if err = f.Chmod(0o600); err == nil {
		s.file, err = f.Stat()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return err
	}
	s.db, err = sql.Open("sqlite", address(file, "_pragma=auto_vacuum(2)",
		"_pragma=journal_mode(WAL)", "_pragma=synchronous(FULL)", "_txlock=immediate"))
	if err != nil {
		return err
	}
	if err := s.check(ctx); err != nil {
		return err
	}
	steps, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	sub, err := goose.NewProvider(goose.DialectSQLite3, s.db, steps)
	if err != nil {
		return err
	}
	if _, err := sub.Up(ctx); err != nil {
		return fmt.Errorf("bringing the database up to date: %w", err)
	}
	for _, tidy := range []func(context.Context) error{s.dropArriving, s.purgeExpired} {
		if err := tidy(ctx); err != nil && !errors.Is(err, ErrFull) { // where the disk is full, next time
			return err
		}
	}
	if err := s.outdated(ctx); err != nil {
		return err
	}
	return s.loosen(ctx)
}

// Close closes the database and lets the folder go.
func (s *Store) Close() error {
	s.closed.Store(true)
	s.unpack.Close()
	err := s.db.Close()
	if lerr := s.unlock(); err == nil {
		err = lerr
	}
	return err
}

// present reports with ErrGone that the database is no longer where it was opened: what
// would be confirmed would be lost.
func (s *Store) present() error {
	st, err := os.Stat(filepath.Join(s.dir, fileName))
	if err != nil || !os.SameFile(st, s.file) {
		return fmt.Errorf("%w: %s", ErrGone, s.dir)
	}
	return nil
}

// inTx carries out f in one transaction. f must not wait for anything but the database,
// and computes nothing: while it runs nobody else can write.
func (s *Store) inTx(ctx context.Context, f func(*sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return s.wrapErr(err)
	}
	defer func() { _ = tx.Rollback() }() // after a panic too; nothing after a commit
	if err := f(tx); err != nil {
		return s.wrapErr(err)
	}
	if err := s.present(); err != nil {
		return err
	}
	return s.wrapErr(tx.Commit())
}

// exec carries out one statement that changes something.
func (s *Store) exec(ctx context.Context, query string, args ...any) (n int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, query, args...)
		if err != nil {
			return err
		}
		n, err = res.RowsAffected()
		return err
	})
	return n, err
}

// Ping says whether the database answers, and is where it was.
func (s *Store) Ping(ctx context.Context) error {
	if err := s.present(); err != nil {
		return err
	}
	return s.db.PingContext(ctx)
}

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

// standing are the prints that stand on the shelf: their bytes are here, and nobody has
// taken them off.
const standing = `state <> 'arriving' AND removed IS NULL`

const printColumns = `id, name, title, state, bytes, sha256, created, rev, COALESCE(older, 0)`

// scanPrint reads the columns of a print, and what else was asked for behind them.
func scanPrint(row interface{ Scan(...any) error }, more ...any) (Print, error) {
	var p Print
	var created string
	err := row.Scan(append([]any{&p.ID, &p.Name, &p.Title, &p.State, &p.Bytes, &p.SHA256, &created,
		&p.Rev, &p.Older}, more...)...)
	if errors.Is(err, sql.ErrNoRows) {
		return p, ErrNone
	}
	p.Created, _ = time.Parse(time.RFC3339Nano, created)
	return p, err
}

// Prints returns the prints whose bytes are here, newest first.
func (s *Store) Prints(ctx context.Context) ([]Print, error) {
	rows, err := s.db.QueryContext(ctx,
		`SELECT `+printColumns+` FROM prints WHERE `+standing+` ORDER BY created DESC, id DESC`)
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
	return scanPrint(s.db.QueryRowContext(ctx, `SELECT `+printColumns+` FROM prints WHERE id = ? `+
		`AND `+standing, id))
}
