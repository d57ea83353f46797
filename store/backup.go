package store

import (
	"compress/gzip"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// fileName is the database's in its folder.
const fileName = "dogear.db"

// ErrNoBackup is the cause when a file is no backup of a store.
var ErrNoBackup = errors.New("this is no backup of a Dogear")

// ErrInUse is the cause when a backup would be put over a store that is there.
var ErrInUse = errors.New("there is a Dogear in this folder already")

// Backup writes all that a store holds, as it is at one moment, to w. The store
// may be in use.
func Backup(ctx context.Context, dir string, w io.Writer) error {
	if _, err := os.Stat(filepath.Join(dir, fileName)); err != nil {
		return fmt.Errorf("there is no Dogear in %s", dir)
	}
	s, err := Open(ctx, dir)
	if err != nil {
		return err
	}
	defer s.Close()
	tmp, err := os.MkdirTemp(dir, "backup-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	whole := filepath.Join(tmp, fileName)
	if _, err := s.db.ExecContext(ctx, `VACUUM INTO ?`, whole); err != nil {
		return err
	}
	f, err := os.Open(whole)
	if err != nil {
		return err
	}
	defer f.Close()
	z := gzip.NewWriter(w)
	if _, err := io.Copy(z, f); err != nil {
		return err
	}
	return z.Close()
}

// Restore puts a backup into a folder in which there is no store yet. A file that
// is no whole backup leaves nothing behind.
func Restore(ctx context.Context, r io.Reader, dir string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	to := filepath.Join(dir, fileName)
	if _, err := os.Lstat(to); err == nil {
		return ErrInUse
	}
	z, err := gzip.NewReader(r)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNoBackup, err)
	}
	f, err := os.CreateTemp(dir, "restore-*.db")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = io.Copy(f, z)
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNoBackup, err)
	}
	if err := whole(ctx, f.Name()); err != nil {
		return fmt.Errorf("%w: %w", ErrNoBackup, err)
	}
	return os.Rename(f.Name(), to)
}

// whole says what is wrong with a database.
func whole(ctx context.Context, file string) error {
	db, err := sql.Open("sqlite", "file:"+file+"?mode=ro")
	if err != nil {
		return err
	}
	defer db.Close()
	said := ""
	if err := db.QueryRowContext(ctx, `PRAGMA integrity_check(1)`).Scan(&said); err != nil {
		return err
	}
	if said != "ok" {
		return errors.New(said)
	}
	n := 0
	return db.QueryRowContext(ctx, `SELECT COUNT(*) FROM prints`).Scan(&n)
}
