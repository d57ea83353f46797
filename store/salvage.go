package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// Salvaged says what was saved from a damaged database.
type Salvaged struct {
	Prints int
	Lost   []string // what could not be read, a line each
}

// Salvage reads what can be read of a damaged database and writes it to w as a backup.
// The folder is left as it is. A print is saved when every byte of it is.
func Salvage(ctx context.Context, dir, work string, w io.Writer) (*Salvaged, error) {
	tmp, err := os.MkdirTemp(work, ".dogear-backup-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(tmp)
	// A copy, since reading may write: what was committed last lies beside the database.
	bad := filepath.Join(tmp, "damaged.db")
	for _, end := range []string{"", "-wal"} {
		if err := copyFile(filepath.Join(dir, fileName)+end, bad+end); err != nil &&
			(end == "" || !os.IsNotExist(err)) {
			return nil, wrapErr(err)
		}
	}
	fresh, err := Open(ctx, filepath.Join(tmp, "saved"))
	if err != nil {
		return nil, err
	}
	out := &Salvaged{}
	err = fresh.salvage(ctx, bad, out)
	if cerr := fresh.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return nil, err
	}
	return out, squeeze(filepath.Join(tmp, "saved", fileName), w)
}

func copyFile(from, to string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	t, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(t, f)
	if cerr := t.Close(); err == nil {
		err = cerr
	}
	return err
}

// salvage takes over the rows of a damaged database, from both ends of each table: what
// lies behind a damaged page is reached from the other end.
func (s *Store) salvage(ctx context.Context, bad string, out *Salvaged) error {
	db, err := sql.Open("sqlite", address(bad, "_pragma=writable_schema(1)"))
	if err != nil {
		return err
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	if _, err := tablesOf(ctx, db); err != nil {
		return fmt.Errorf("its list of tables cannot be read, so nothing can be saved: %w",
			broken(err))
	}
	// A print may come before the one it is a newer slicing of.
	to, err := s.db.Conn(ctx)
	if err != nil {
		return err
	}
	defer to.Close()
	if _, err := to.ExecContext(ctx, `PRAGMA foreign_keys = 0`); err != nil {
		return err
	}
	for _, t := range []struct{ name, key string }{
		{"prints", "id"}, {"kit", "drawer, key"}, {"kit_log", "id"}, {"access", "id"},
		{"revisions", "print_id, rev"}, {"pickups", "id"}, {"photos", "id"},
		{"packs", "print_id"}, {"watches", "id"}, {"diary", "id"},
	} {
		if err := s.saveRows(ctx, db, to, t.name, t.key, out); err != nil {
			return err
		}
	}
	last := int64(0)
	_ = db.QueryRowContext(ctx, `SELECT MAX(last) FROM numbers`).Scan(&last)
	for _, tidy := range []string{
		`UPDATE numbers SET last = MAX(last, ` + strconv.FormatInt(last, 10) + `)`,
		`UPDATE prints SET older = NULL WHERE older NOT IN (SELECT id FROM prints)`,
		`DELETE FROM revisions WHERE print_id NOT IN (SELECT id FROM prints)`,
		`DELETE FROM pickups WHERE print_id NOT IN (SELECT id FROM prints)`,
		`DELETE FROM photos WHERE print_id NOT IN (SELECT id FROM prints)`,
		`DELETE FROM packs WHERE print_id NOT IN (SELECT id FROM prints)`,
		`DELETE FROM watches WHERE print_id NOT IN (SELECT id FROM prints)`,
		`DELETE FROM diary WHERE print_id NOT IN (SELECT id FROM prints)`,
	} {
		if _, err := to.ExecContext(ctx, tidy); err != nil {
			return err
		}
	}
	if _, err := to.ExecContext(ctx, `PRAGMA foreign_keys = 1`); err != nil {
		return err
	}
	ids, err := s.ids(ctx, `TRUE`)
	if err != nil {
		return err
	}
	for _, id := range ids {
		why, err := s.saveBytes(ctx, db, id)
		if err != nil {
			return err
		}
		if why == nil {
			out.Prints++
			continue
		}
		p, _ := scanPrint(s.db.QueryRowContext(ctx, `SELECT `+printColumns+` FROM prints WHERE id = ?`,
			id))
		if p.State != "arriving" {
			out.Lost = append(out.Lost, fmt.Sprintf("“%s”: %v", p.Title, why))
		}
		if err := s.wipe(ctx, id, `TRUE`); err != nil {
			return err
		}
	}
	return nil
}

// saveRows takes over what can be read of a table.
func (s *Store) saveRows(ctx context.Context, db *sql.DB, to *sql.Conn, table, key string,
	out *Salvaged) error {
	var first error
	for _, way := range []string{"ASC", "DESC"} {
		keys := strings.ReplaceAll(key, ",", " "+way+",") + " " + way
		err := s.saveWay(ctx, db, to, table, keys)
		if err == nil {
			return nil
		}
		if first = err; ctx.Err() != nil {
			return ctx.Err()
		}
	}
	out.Lost = append(out.Lost, fmt.Sprintf("a part of %s: %v", table, first))
	return nil
}

func (s *Store) saveWay(ctx context.Context, db *sql.DB, to *sql.Conn, table, keys string) error {
	rows, err := db.QueryContext(ctx, `SELECT * FROM `+table+` ORDER BY `+keys)
	if err != nil {
		if strings.Contains(err.Error(), "no such table") { // an older version had none
			return nil
		}
		return err
	}
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		return err
	}
	put := `INSERT OR IGNORE INTO ` + table + ` (` + strings.Join(names, ", ") + `) VALUES (?` +
		strings.Repeat(", ?", len(names)-1) + `)`
	for rows.Next() {
		v, at := make([]any, len(names)), make([]any, len(names))
		for i := range v {
			at[i] = &v[i]
		}
		if err := rows.Scan(at...); err != nil {
			return err
		}
		// A row that does not fit, of a print that is lost for one, is left out.
		_, _ = to.ExecContext(ctx, put, v...)
	}
	return rows.Err()
}

// saveBytes takes over a print's bytes. why says what is wrong with them.
func (s *Store) saveBytes(ctx context.Context, db *sql.DB, id int64) (why, err error) {
	p, err := scanPrint(s.db.QueryRowContext(ctx, `SELECT `+printColumns+` FROM prints WHERE id = ?`,
		id))
	if err != nil {
		return nil, err
	}
	sum := sha256.New()
	size := int64(0)
	for seq := int64(0); size < p.Bytes; seq++ {
		var data []byte
		if err := db.QueryRowContext(ctx, `SELECT data FROM chunks WHERE print_id = ? AND seq = ?`, id,
			seq).
			Scan(&data); err != nil {
			return fmt.Errorf("byte %d: %w", size, err), ctx.Err()
		}
		c, err := s.unpack.DecodeAll(data, nil)
		if err != nil {
			return fmt.Errorf("byte %d: %w", size, err), nil
		}
		sum.Write(c)
		size += int64(len(c))
		if _, err := s.db.ExecContext(ctx, `INSERT INTO chunks (print_id, seq, data) VALUES (?, ?, ?)`,
			id, seq, data); err != nil {
			return nil, err
		}
	}
	if size != p.Bytes || hex.EncodeToString(sum.Sum(nil)) != p.SHA256 {
		return errors.New("its bytes are not those that were brought"), nil
	}
	_, err = s.exec(ctx, `UPDATE prints SET state = 'reading' WHERE id = ? AND state <> 'arriving'`,
		id)
	return nil, err
}
