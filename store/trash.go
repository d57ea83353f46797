package store

import (
	"context"
	"strconv"
	"time"
)

// KeepRemoved is how long a print that was taken off the shelf can be put back.
const KeepRemoved = 30 * 24 * time.Hour

const removedDays = "-30 days"

// TakeOff takes a print off the shelf. For KeepRemoved it can be put back.
func (s *Store) TakeOff(ctx context.Context, id int64) error {
	return s.withRoom(ctx, func() error {
		n, err := s.exec(ctx, `UPDATE prints SET removed = strftime('%Y-%m-%dT%H:%M:%fZ', 'now')
			WHERE id = ? AND `+standing, id)
		return found(n, err)
	})
}

// PutBack puts a print back on the shelf, with all that was marked in it.
func (s *Store) PutBack(ctx context.Context, id int64) error {
	n, err := s.exec(ctx, `UPDATE prints SET removed = NULL WHERE id = ? AND removed IS NOT NULL`, id)
	return found(n, err)
}

func found(n int64, err error) error {
	if err == nil && n == 0 {
		return ErrNone
	}
	return err
}

// TakenOff is a print that can be put back.
type TakenOff struct {
	Print
	Removed time.Time
	Stored  int64 // bytes it takes in the database
}

// TakenOff returns the prints that can be put back, the latest first.
func (s *Store) TakenOff(ctx context.Context) ([]TakenOff, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT `+printColumns+`, removed,
		(SELECT COALESCE(SUM(LENGTH(data)), 0) FROM chunks WHERE print_id = prints.id)
		FROM prints WHERE removed IS NOT NULL ORDER BY removed DESC, id DESC`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []TakenOff
	for rows.Next() {
		var t TakenOff
		var removed string
		if t.Print, err = scanPrint(rows, &removed, &t.Stored); err != nil {
			return nil, err
		}
		t.Removed, _ = time.Parse(time.RFC3339Nano, removed)
		out = append(out, t)
	}
	return out, rows.Err()
}

// TakenOffPrint returns a print that can be put back.
func (s *Store) TakenOffPrint(ctx context.Context, id int64) (Print, error) {
	return scanPrint(s.db.QueryRowContext(ctx, `SELECT `+printColumns+` FROM prints
		WHERE id = ? AND removed IS NOT NULL`, id))
}

// CountTakenOff returns how many prints can be put back.
func (s *Store) CountTakenOff(ctx context.Context) (n int, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM prints WHERE removed IS NOT NULL`).Scan(&n)
	return n, err
}

// Remove deletes a print and all that belongs to it, for good, and gives its room back.
func (s *Store) Remove(ctx context.Context, id int64) error {
	return s.erase(ctx, id, `TRUE`)
}

// erase deletes a print that fulfils a condition. It is deleted too where its room cannot
// be given back now.
func (s *Store) erase(ctx context.Context, id int64, which string) error {
	if err := s.withRoom(ctx, func() error { return s.wipe(ctx, id, which) }); err != nil {
		return err
	}
	_ = s.withRoom(ctx, func() error { return s.shrink(ctx) })
	return nil
}

// wiped is how many chunks are deleted in one transaction: where the disk is full there
// is little room for what a transaction must write.
const wiped = 32

// wipe deletes a print that fulfils a condition, piece by piece.
func (s *Store) wipe(ctx context.Context, id int64, which string) error {
	// First of all it must no longer stand anywhere.
	n, err := s.exec(ctx,
		`UPDATE prints SET state = 'arriving', removed = NULL WHERE id = ? AND `+which, id)
	if err != nil || n == 0 {
		return found(n, err)
	}
	for {
		n, err := s.exec(ctx, `DELETE FROM chunks WHERE print_id = ?1 AND seq IN
			(SELECT seq FROM chunks WHERE print_id = ?1 LIMIT ?2)`, id, wiped)
		if err != nil {
			return err
		}
		if n == 0 {
			break
		}
		s.checkpoint(ctx)
	}
	_, err = s.exec(ctx, `DELETE FROM prints WHERE id = ?`, id)
	return err
}

// PurgeExpired deletes what was taken off the shelf too long ago.
func (s *Store) PurgeExpired(ctx context.Context) error { return s.purgeExpired(ctx) }

func (s *Store) purgeExpired(ctx context.Context) error {
	old, err := s.ids(ctx, `removed < strftime('%Y-%m-%dT%H:%M:%fZ', 'now', '`+removedDays+`')`)
	for _, id := range old {
		if err == nil {
			err = s.Remove(ctx, id)
		}
	}
	return err
}

// dropArriving deletes uploads that broke off.
func (s *Store) dropArriving(ctx context.Context) error {
	broken, err := s.ids(ctx, `state = 'arriving'`)
	for _, id := range broken {
		if err == nil {
			err = s.wipe(ctx, id, `TRUE`)
		}
	}
	return err
}

// ids are the numbers of the prints that fulfil a condition.
func (s *Store) ids(ctx context.Context, which string) ([]int64, error) {
	return s.numbers(ctx, `SELECT id FROM prints WHERE `+which)
}

// numbers returns the first column of all rows.
func (s *Store) numbers(ctx context.Context, query string, args ...any) ([]int64, error) {
	rows, err := s.db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []int64
	for rows.Next() {
		var n int64
		if err := rows.Scan(&n); err != nil {
			return nil, err
		}
		out = append(out, n)
	}
	return out, rows.Err()
}

// checkpoint writes what was committed into the database itself, so that the file beside
// it stays small. Where somebody reads, some of it waits for the next time.
func (s *Store) checkpoint(ctx context.Context) {
	var busy, pages, done int
	_ = s.db.QueryRowContext(ctx, `PRAGMA wal_checkpoint(TRUNCATE)`).Scan(&busy, &pages, &done)
}

// shrinkPages is how many free pages are given back at a time.
const shrinkPages = 4096

// shrink gives free pages of the database back to the disk.
func (s *Store) shrink(ctx context.Context) error {
	for {
		was, err := s.freePages(ctx)
		if err != nil || was == 0 {
			return err
		}
		if err := s.vacuum(ctx, shrinkPages); err != nil {
			return s.wrapErr(err)
		}
		s.checkpoint(ctx)
		now, err := s.freePages(ctx)
		if err != nil || now >= was { // a database of an older version gives none back
			return err
		}
	}
}

func (s *Store) freePages(ctx context.Context) (n int64, err error) {
	err = s.db.QueryRowContext(ctx, `PRAGMA freelist_count`).Scan(&n)
	return n, err
}

func (s *Store) vacuum(ctx context.Context, pages int) error {
	rows, err := s.db.QueryContext(ctx, `PRAGMA incremental_vacuum(`+strconv.Itoa(pages)+`)`)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() { // each row is a page
	}
	return rows.Err()
}

// loosenUpTo is the size up to which a database that older versions made is rewritten so
// that it can give room back.
const loosenUpTo = 2 << 30

// loosen makes a database able to give room back, which older versions did not ask for.
func (s *Store) loosen(ctx context.Context) error {
	var how int
	if err := s.db.QueryRowContext(ctx, `PRAGMA auto_vacuum`).Scan(&how); err != nil || how == 2 {
		return err
	}
	size := s.file.Size()
	if room := free(s.dir); size > loosenUpTo || room >= 0 && room < 3*size {
		return nil
	}
	conn, err := s.db.Conn(ctx) // both lines on one connection
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := conn.ExecContext(ctx, `PRAGMA auto_vacuum = 2`); err != nil {
		return err
	}
	_, err = conn.ExecContext(ctx, `VACUUM`)
	if result(err) == resultFull {
		return nil // it works as well as before
	}
	return err
}
