package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
)

// ErrBroken is the cause when the database is damaged.
var ErrBroken = errors.New("the database is damaged")

// checkWhole is the size up to which the whole database is looked through when it is
// opened; of a larger one all but the files themselves, each of which carries its own
// checksum.
const checkWhole = 256 << 20

// check looks through the database before anything is done with it.
func (s *Store) check(ctx context.Context) error {
	tables, err := tablesOf(ctx, s.db)
	if err != nil {
		return broken(err)
	}
	if s.file.Size() <= checkWhole {
		return quick(ctx, s.db, "")
	}
	for _, t := range tables {
		if t == "chunks" {
			continue
		}
		if err := quick(ctx, s.db, t); err != nil {
			return err
		}
	}
	return nil
}

// quick asks SQLite for the first fault of a table, or of the whole database.
func quick(ctx context.Context, db *sql.DB, table string) error {
	arg := "1"
	if table != "" {
		arg = table
	}
	said := ""
	if err := db.QueryRowContext(ctx, `PRAGMA quick_check(`+arg+`)`).Scan(&said); err != nil {
		return broken(err)
	}
	if said != "ok" {
		return fmt.Errorf("%w: %s", ErrBroken, said)
	}
	return nil
}

// broken says of an error whether it means that the database is damaged.
func broken(err error) error {
	if r := result(err); r == resultCorrupt || r == resultNotADB {
		return fmt.Errorf("%w: %w", ErrBroken, err)
	}
	return err
}

func tablesOf(ctx context.Context, db *sql.DB) ([]string, error) {
	rows, err := db.QueryContext(ctx, `SELECT name FROM sqlite_master WHERE type = 'table'
		AND name NOT LIKE 'sqlite_%'`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var t string
		if err := rows.Scan(&t); err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return out, rows.Err()
}
