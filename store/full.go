package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
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

// wrapErr gives an error of the database the name that people understand.
func wrapErr(err error) error {
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

// wrapErr does so knowing the disk: where it is full, some writes fail without saying why.
func (s *Store) wrapErr(err error) error {
	err = wrapErr(err)
	if result(err) == resultIO && !errors.Is(err, ErrFull) {
		if n := free(s.dir); n >= 0 && n < 1<<20 {
			return fmt.Errorf("%w: %w", ErrFull, err)
		}
	}
	return err
}

// On a full disk even deleting needs room, for what is committed lies beside the database
// first. So a file is kept whose room is given up for that.
const (
	reserveName = "dogear.reserve"
	reserveSize = 16 << 20 // more than what an upload writes at once, and its copy
	uploadLeave = 4 << 20  // what uploads leave of the disk
)

// reserve keeps room for deleting, where there is some to spare.
func (s *Store) reserve() {
	name := filepath.Join(s.dir, reserveName)
	if _, err := os.Stat(name); err == nil || s.closed.Load() {
		return
	}
	room := free(s.dir)
	if room < 4*uploadLeave {
		return
	}
	f, err := os.OpenFile(name, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return
	}
	noise := make([]byte, 1<<20) // so that no disk stores it smaller than it is
	for i := range noise {
		noise[i] = byte(i*i>>7 ^ i)
	}
	for size := int64(0); size < min(reserveSize, room/4) && err == nil; size += int64(len(noise)) {
		_, err = f.Write(noise)
	}
	if cerr := f.Close(); err != nil || cerr != nil {
		_ = os.Remove(name)
	}
}

// withRoom carries out what frees room: again with the room that was reserved, where the
// disk is full.
func (s *Store) withRoom(ctx context.Context, f func() error) error {
	err := f()
	if errors.Is(err, ErrFull) {
		_ = os.Remove(filepath.Join(s.dir, reserveName))
		s.checkpoint(ctx)
		err = f()
	}
	s.checkpoint(ctx)
	s.reserve()
	return err
}

// Free returns how many bytes the disk with the data still takes, -1 when unknown.
func (s *Store) Free() int64 { return free(s.dir) }
