package store

import (
	"bytes"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/pressly/goose/v3"

	"dogear/core/plan"
)

// TestMigrations brings databases of all released versions up to date, with rows in them.
func TestMigrations(t *testing.T) {
	steps, err := fs.Sub(migrations, "migrations")
	if err != nil {
		t.Fatal(err)
	}
	newest := int64(0)
	for v := int64(1); v == 1 || v <= newest; v++ {
		dir := t.TempDir()
		db, err := sql.Open("sqlite", address(filepath.Join(dir, fileName), "_pragma=journal_mode(WAL)"))
		if err != nil {
			t.Fatal(err)
		}
		up, err := goose.NewProvider(goose.DialectSQLite3, db, steps)
		if err != nil {
			t.Fatal(err)
		}
		sources := up.ListSources()
		newest = sources[len(sources)-1].Version
		if _, err := up.UpTo(t.Context(), v); err != nil {
			t.Fatal(err)
		}
		exec := func(q string, a ...any) {
			t.Helper()
			if _, err := db.Exec(q, a...); err != nil {
				t.Fatalf("version %d: %v", v, err)
			}
		}
		pack, _ := packers()
		exec(`INSERT INTO prints (id, name, title, state, bytes, sha256, rev) VALUES
			(7, 'buoy.gcode', 'Buoy', 'ready', 5, 'abc', 1),
			(9, 'gone.gcode', 'Gone', 'arriving', 0, '', 0)`)
		exec(`INSERT INTO chunks VALUES (7, 0, ?)`, pack.EncodeAll([]byte("G28\n\n"), nil))
		exec(`INSERT INTO revisions (print_id, rev, doc) VALUES (7, 1, '{"format":"dogear-plan/1",` +
			`"first_filament":"sea"}')`)
		exec(`INSERT INTO indexes VALUES (7, 1, X'00')`)
		if v >= 3 {
			exec(`INSERT INTO pickups (id, print_id, doc) VALUES (4, 7, '{"now":{"layer":3}}')`)
		}
		if err := db.Close(); err != nil {
			t.Fatal(err)
		}
		s, err := Open(t.Context(), dir)
		if err != nil {
			t.Fatalf("version %d: %v", v, err)
		}
		list, err := s.Prints(t.Context())
		if err != nil || len(list) != 1 || list[0].ID != 7 || list[0].State != "reading" {
			t.Errorf("version %d: %+v %v", v, list, err)
		}
		b := make([]byte, 5)
		if _, err := s.Source(list[0]).ReadAt(b, 0); err != nil || string(b) != "G28\n\n" {
			t.Errorf("version %d: %q %v", v, b, err)
		}
		if d, _, _, err := s.Plan(t.Context(), 7); err != nil || d.First != "sea" {
			t.Errorf("version %d: %+v %v", v, d, err)
		}
		if v >= 3 {
			if k, err := s.Draft(t.Context(), 7); err != nil || k.ID != 4 || k.Doc.Layer != 3 {
				t.Errorf("version %d: %+v %v", v, k, err)
			}
		}
		if q := put(t, s, []byte("G28\n")); q.ID < 8 {
			t.Errorf("version %d: number %d", v, q.ID)
		}
		var how int
		if err := s.db.QueryRow(`PRAGMA auto_vacuum`).Scan(&how); err != nil || how != 2 {
			t.Errorf("version %d: it cannot give room back: %d %v", v, how, err)
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
	}
}

// TestSalvage damages a database in many places. Opening it must say so, and what is saved
// must be as it was.
func TestSalvage(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	ctx := t.Context()
	want := map[int64][]byte{}
	for k := range 12 {
		file := []byte(strings.Repeat(fmt.Sprintf("G1 X%d Y%d E.1\n", k, k*k), 9000))
		p := put(t, s, file)
		want[p.ID] = file
		readIn(t, s, p)
		if err := s.Change(ctx, p.ID,
			func(d *plan.Plan) error { d.First = fmt.Sprint("spool", k); return nil }); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Put(ctx, plan.Item{Drawer: plan.Filaments, Key: "sea",
		Doc: plan.Filament{Name: "Sea"}}); err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	whole, err := os.ReadFile(filepath.Join(dir, fileName))
	if err != nil {
		t.Fatal(err)
	}
	noticed, saved, contents := 0, 0, 0
	tries := 12
	if testing.Short() {
		tries = 4
	}
	for k := range tries {
		bad := bytes.Clone(whole)
		at := len(bad) / (tries + 1) * (k + 1) / 4096 * 4096
		for i := range 4096 {
			bad[at+i] = byte(i * 7)
		}
		d := t.TempDir()
		if err := os.WriteFile(filepath.Join(d, fileName), bad, 0o600); err != nil {
			t.Fatal(err)
		}
		if s, err := Open(ctx, d); err == nil {
			s.Close() // the page was a free one, or one of a chunk, which has its own checksum
		} else if errors.Is(err, ErrBroken) {
			noticed++
		} else {
			t.Errorf("page %d: %v", at/4096, err)
		}
		if err := os.WriteFile(filepath.Join(d, fileName), bad, 0o600); err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		got, err := Salvage(ctx, d, t.TempDir(), &out)
		if errors.Is(err, ErrBroken) && contents == 0 {
			contents++ // one page may hold the list of the tables
			continue
		}
		if err != nil {
			t.Errorf("page %d: %v", at/4096, err)
			continue
		}
		to := t.TempDir()
		if err := Restore(ctx, &out, to); err != nil {
			t.Fatalf("page %d: %v", at/4096, err)
		}
		r := open(t, to)
		list, err := r.Prints(ctx)
		if err != nil || len(list) != got.Prints {
			t.Errorf("page %d: %d prints of %d: %v", at/4096, len(list), got.Prints, err)
		}
		for _, p := range list {
			saved++
			b := make([]byte, p.Bytes)
			if _, err := r.Source(p).ReadAt(b, 0); err != nil || !bytes.Equal(b, want[p.ID]) {
				t.Errorf("page %d: print %d is not what it was: %v", at/4096, p.ID, err)
			}
		}
		r.Close()
	}
	if noticed == 0 || saved < tries*8 {
		t.Errorf("noticed %d of %d, saved %d prints", noticed, tries, saved)
	}
	// What is no database at all is said too.
	d := t.TempDir()
	if err := os.WriteFile(filepath.Join(d, fileName), bytes.Repeat([]byte("harbour "), 4096),
		0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(ctx, d); !errors.Is(err, ErrBroken) {
		t.Error(err)
	}
}

// TestRestoreBesideRest restores into a folder in which a lost database has left files.
func TestRestoreBesideRest(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	p := put(t, s, []byte("G28\nG1 X1 E1\n"))
	var out bytes.Buffer
	if err := Backup(t.Context(), dir, t.TempDir(), &out); err != nil {
		t.Fatal(err)
	}
	to := t.TempDir()
	for _, name := range []string{fileName + "-wal", fileName + "-shm"} {
		if err := os.WriteFile(filepath.Join(to, name), bytes.Repeat([]byte("left"), 5000),
			0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := Restore(t.Context(), &out, to); err != nil {
		t.Fatal(err)
	}
	r := open(t, to)
	if _, err := r.Print(t.Context(), p.ID); err != nil {
		t.Error(err)
	}
	if left, _ := filepath.Glob(filepath.Join(to, "*.left-1")); len(left) != 2 {
		t.Errorf("what lay there is gone: %v", left)
	}
}
