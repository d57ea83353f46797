package store

import (
	"errors"
	"fmt"
	"syscall"

	"modernc.org/sqlite"
)

// ErrFull is the cause when the disk takes no more.
var ErrFull = errors.New("the disk is full")

// ErrGone is the cause when the folder with the data is no longer where it was.
var ErrGone = errors.New("the folder with the data is gone")

// ErrBusy is the cause when the database was locked for too long.
var ErrBusy = errors.New("the database is busy")

// Results of SQLite, as sqlite.org/rescode.html numbers them.
const (
	resultBusy    = 5
	resultIO      = 10
	resultCorrupt = 11
	resultFull    = 13
	resultNotADB  = 26
	primaryResult = 0xff // of an extended result
)

// result returns the primary result of SQLite behind an error, 0 when there is none.
func result(err error) int {
	var e *sqlite.Error
	if errors.As(err, &e) {
		return e.Code() & primaryResult
	}
	return 0
}

// named gives an error of the database the name that people understand.
func named(err error) error {
	if err == nil || errors.Is(err, ErrFull) {
		return err
	}
	if result(err) == resultFull || errors.Is(err, syscall.ENOSPC) {
		return fmt.Errorf("%w: %w", ErrFull, err)
	}
	if result(err) == resultBusy && !errors.Is(err, ErrBusy) {
		return fmt.Errorf("%w: %w", ErrBusy, err)
	}
	return err
}

// named does so knowing the disk: where it is full, some writes fail without saying why.
func (s *Store) named(err error) error {
	err = named(err)
	if result(err) == resultIO && !errors.Is(err, ErrFull) {
		if n := free(s.dir); n >= 0 && n < 1<<20 {
			return fmt.Errorf("%w: %w", ErrFull, err)
		}
	}
	return err
}

// Free returns how many bytes the disk with the data still takes, -1 when unknown.
func (s *Store) Free() int64 { return free(s.dir) }
