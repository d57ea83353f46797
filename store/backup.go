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

// Backup writes all that a store holds, as it is at one moment, to w. The store may be in
// use, and nothing in its folder is touched. What is written was looked through first. work
// is a folder in which there is room for a copy.
func Backup(ctx context.Context, dir, work string, w io.Writer) error {
	if _, err := os.Stat(filepath.Join(dir, fileName)); err != nil {
		return fmt.Errorf("there is no Dogear in %s", dir)
	}
	abs, err := filepath.Abs(filepath.Join(dir, fileName))
	if err != nil {
		return err
	}
	db, err := sql.Open("sqlite", address(abs, "mode=rw"))
	if err != nil {
		return err
	}
	defer db.Close()
	tmp, err := os.MkdirTemp(work, ".dogear-backup-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	copied := filepath.Join(tmp, fileName)
	if _, err := db.ExecContext(ctx, `VACUUM INTO ?`, copied); err != nil {
		return broken(wrapErr(err))
	}
	if err := checkBackup(ctx, copied); err != nil {
		return fmt.Errorf("%w: %w", ErrBroken, err)
	}
	return squeeze(copied, w)
}

// squeeze writes a file to w, compressed.
func squeeze(file string, w io.Writer) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	z := gzip.NewWriter(w)
	if _, err := io.Copy(z, f); err != nil {
		return wrapErr(err)
	}
	return wrapErr(z.Close())
}

// Verify reads a backup to its end and says what is wrong with it: it is what was
// written, or the checksum in it is wrong.
func Verify(r io.Reader) error {
	z, err := gzip.NewReader(r)
	if err == nil {
		_, err = io.Copy(io.Discard, z)
	}
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNoBackup, err)
	}
	return nil
}

// Restore puts a backup into a folder in which there is no store yet. A file that
// is no whole backup leaves nothing behind. What a lost database has left beside it is
// moved aside, since it would be taken for a part of the restored one.
func Restore(ctx context.Context, r io.Reader, dir string) (err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	lock, err := hold(dir)
	if err != nil {
		return err
	}
	to := filepath.Join(dir, fileName)
	defer func() {
		_ = lock.Unlock()
		if _, there := os.Lstat(to); there != nil { // nothing was restored
			_ = os.Remove(filepath.Join(dir, lockName))
		}
	}()
	if _, err := os.Lstat(to); err == nil {
		return ErrInUse
	}
	z, err := gzip.NewReader(r)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNoBackup, err)
	}
	f, err := os.CreateTemp(dir, "restore-*")
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
	if wrapErr(err) != err { // the disk is full
		return wrapErr(err)
	}
	if err == nil {
		err = checkBackup(ctx, f.Name())
	}
	if err != nil {
		return fmt.Errorf("%w: %w", ErrNoBackup, err)
	}
	for _, left := range []string{"-wal", "-shm", "-journal"} {
		if err := aside(to + left); err != nil {
			return err
		}
	}
	return os.Rename(f.Name(), to)
}

// aside gives a file that is in the way another name.
func aside(file string) error {
	if _, err := os.Lstat(file); err != nil {
		return nil
	}
	for k := 1; ; k++ {
		to := fmt.Sprintf("%s.left-%d", file, k)
		if _, err := os.Lstat(to); err != nil {
			return os.Rename(file, to)
		}
	}
}

// checkBackup says what is wrong with a database.
func checkBackup(ctx context.Context, file string) error {
	db, err := sql.Open("sqlite", address(file, "mode=ro", "immutable=1"))
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
