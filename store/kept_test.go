package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/pressly/goose/v3"

	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
	"dogear/demo"
)

// read reads a print that was put, so that it is ready.
func readIn(t *testing.T, s *Store, p Print) {
	t.Helper()
	ix, err := layer.Read(t.Context(), s.Source(p), layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if err := s.SaveReading(t.Context(), p.ID,
		&Reading{Index: ix, Outline: raster.Boxes(ix)}); err != nil {
		t.Fatal(err)
	}
}

// TestSlowUpload marks something while an upload has stopped sending in the middle of
// what is written at once. It must not wait: its deadline is far shorter than the time
// for which a locked database is waited for.
func TestSlowUpload(t *testing.T) {
	s := open(t, t.TempDir())
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := put(t, s, file)
	for range 3 {
		up, err := s.Begin(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer up.Abandon()
		if _, err := up.Write(bytes.Repeat([]byte("G1 X1 E1\n"), 1<<18)); err != nil {
			t.Fatal(err)
		}
	}
	ctx, cancel := context.WithTimeout(t.Context(), time.Second)
	defer cancel()
	if err := s.Change(ctx, p.ID,
		func(d *plan.Plan) error { d.First = "sea"; return nil }); err != nil {
		t.Fatal(err)
	}
	if err := s.Put(ctx, plan.Item{Drawer: plan.Filaments, Key: "sea",
		Doc: plan.Filament{Name: "Sea", Colour: "#135"}}); err != nil {
		t.Fatal(err)
	}
}

// TestLongChange marks something while another change is being computed: neither waits,
// and neither is lost.
func TestLongChange(t *testing.T) {
	s := open(t, t.TempDir())
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := put(t, s, file)
	add := func(id string) func(*plan.Plan) error {
		return func(d *plan.Plan) error {
			d.Ears = append(d.Ears, plan.Ear{ID: id, BeforeLayer: 2})
			return nil
		}
	}
	calls := 0
	err := s.Change(t.Context(), p.ID, func(d *plan.Plan) error {
		if calls++; calls == 1 {
			if err := s.Change(t.Context(), p.ID, add("other")); err != nil {
				t.Error(err)
			}
		}
		return add("one")(d)
	})
	if err != nil {
		t.Fatal(err)
	}
	d, _, _, err := s.Plan(t.Context(), p.ID)
	if err != nil || len(d.Ears) != 2 || calls != 2 {
		t.Errorf("%d calls, marked: %+v, %v", calls, d.Ears, err)
	}
	// The same number of the revision does not mean that it is the same revision.
	calls = 0
	err = s.Change(t.Context(), p.ID, func(d *plan.Plan) error {
		if calls++; calls == 1 {
			if err := errors.Join(s.Undo(t.Context(), p.ID),
				s.Change(t.Context(), p.ID, add("third"))); err != nil {
				t.Error(err)
			}
		}
		return add("fourth")(d)
	})
	if d, _, _, _ = s.Plan(t.Context(), p.ID); err != nil || len(d.Ears) != 3 ||
		d.Ears[1].ID != "third" {
		t.Errorf("marked: %+v, %v", d.Ears, err)
	}
	err = s.ChangeDraft(t.Context(), p.ID, func(d *PickupDoc) error {
		if d.Layer == 0 {
			return s.ChangeDraft(t.Context(), p.ID, func(d *PickupDoc) error { d.Layer = 7; return nil })
		}
		d.Length = 3
		return nil
	})
	if k, kerr := s.Draft(t.Context(), p.ID); err != nil || kerr != nil || k.Doc.Layer != 7 ||
		k.Doc.Length != 3 {
		t.Errorf("pick-up: %+v %v %v", k.Doc, err, kerr)
	}
}

// TestPanic checks that what breaks down inside a transaction locks nothing.
func TestPanic(t *testing.T) {
	s := open(t, t.TempDir())
	func() {
		defer func() { _ = recover() }()
		_ = s.inTx(t.Context(), func(*sql.Tx) error { panic("broken") })
	}()
	ctx, cancel := context.WithTimeout(t.Context(), time.Second)
	defer cancel()
	if _, err := s.Begin(ctx); err != nil {
		t.Fatal(err)
	}
}

// TestHeld opens a store twice, and sees what the second one does to the first: nothing.
func TestHeld(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	if err := s.Hold("http://127.0.0.1:8080"); err != nil {
		t.Fatal(err)
	}
	up, err := s.Begin(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer up.Abandon()
	if _, err := up.Write([]byte("G28\n")); err != nil {
		t.Fatal(err)
	}
	_, err = Open(t.Context(), dir)
	if !errors.Is(err, ErrHeld) ||
		!strings.Contains(err.Error(), fmt.Sprint("process ", os.Getpid())) ||
		!strings.Contains(err.Error(), ":8080") {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if err := Backup(t.Context(), dir, t.TempDir(), &out); err != nil {
		t.Fatal(err)
	}
	if err := up.Finish("x.gcode", "X"); err != nil {
		t.Fatalf("the upload was lost: %v", err)
	}
	to := t.TempDir()
	if err := Restore(t.Context(), &out, dir); !errors.Is(err, ErrHeld) {
		t.Error(err)
	}
	if err := Restore(t.Context(), &out, to); err != nil {
		t.Error(err)
	}
	r := open(t, to)
	if list, err := r.Prints(t.Context()); len(list) != 0 || err != nil {
		t.Errorf("half an upload was restored: %+v %v", list, err)
	}
}

// TestGone takes the folder away while the store is open: nothing may be confirmed then.
func TestGone(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "data")
	s := open(t, dir)
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p := put(t, s, file)
	if err := os.Rename(dir, dir+".away"); err != nil {
		t.Fatal(err)
	}
	mark := func() error {
		return s.Change(t.Context(), p.ID, func(d *plan.Plan) error { d.First = "sea"; return nil })
	}
	if err := mark(); !errors.Is(err, ErrGone) {
		t.Errorf("marking: %v", err)
	}
	if _, err := s.Begin(t.Context()); !errors.Is(err, ErrGone) {
		t.Errorf("bringing: %v", err)
	}
	if err := s.Ping(t.Context()); !errors.Is(err, ErrGone) {
		t.Errorf("health: %v", err)
	}
	if err := os.Rename(dir+".away", dir); err != nil {
		t.Fatal(err)
	}
	if err := mark(); err != nil {
		t.Errorf("it is back: %v", err)
	}
}

// TestFull fills the database up to a bound, as a full disk does. Prints can be removed
// then, and their room is given back.
func TestFull(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	s.db.SetMaxOpenConns(1) // the bound belongs to a connection
	noise := make([]byte, 1<<20)
	x := uint32(1)
	for i := range noise {
		x = x*1664525 + 1013904223
		noise[i] = byte(x >> 24)
	}
	p := put(t, s, bytes.Repeat(noise, 6))
	var pages int64
	if err := s.db.QueryRow(`PRAGMA page_count`).Scan(&pages); err != nil {
		t.Fatal(err)
	}
	if _, err := s.db.Exec(fmt.Sprint(`PRAGMA max_page_count = `, pages+64)); err != nil {
		t.Fatal(err)
	}
	up, err := s.Begin(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	_, err = up.Write(bytes.Repeat(noise, 9))
	if !errors.Is(err, ErrFull) {
		t.Fatalf("a full disk is called: %v", err)
	}
	if n := up.Missing(9<<20, 20<<20); n == 0 {
		t.Error("it is not known how much is missing")
	}
	up.Abandon()
	before, _ := os.Stat(filepath.Join(dir, fileName))
	if err := s.TakeOff(t.Context(), p.ID); err != nil {
		t.Fatal(err)
	}
	if err := s.Remove(t.Context(), p.ID); err != nil {
		t.Fatal(err)
	}
	after, _ := os.Stat(filepath.Join(dir, fileName))
	if after.Size() > before.Size()/4 {
		t.Errorf("the room was not given back: %d of %d bytes", after.Size(), before.Size())
	}
	q := put(t, s, []byte("G28\nG1 X1 E1\n"))
	if q.ID <= p.ID {
		t.Errorf("the number %d was given again", q.ID)
	}
}

// TestOddFolders keeps data in folders whose names mean something in an address.
func TestOddFolders(t *testing.T) {
	for _, name := range []string{"what?", "no#1", "100%", "50%20", "a b", "mode=memory&x"} {
		dir := filepath.Join(t.TempDir(), name)
		s := open(t, dir)
		p := put(t, s, []byte("G28\n"))
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
		st, err := os.Stat(filepath.Join(dir, fileName))
		if err != nil || st.Mode().Perm() != 0o600 {
			t.Fatalf("%q: %v %v", name, st, err)
		}
		s, err = Open(t.Context(), dir)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := s.Print(t.Context(), p.ID); err != nil {
			t.Errorf("%q: %v", name, err)
		}
		var out bytes.Buffer
		if err := Backup(t.Context(), dir, t.TempDir(), &out); err != nil || out.Len() == 0 {
			t.Errorf("%q: backup: %v", name, err)
		}
		s.Close()
	}
}

// TestStrays leaves in the folder what a Dogear that was killed may leave.
func TestStrays(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "da[t]a*")
	open(t, dir).Close()
	for _, name := range []string{"backup-12/dogear.db", "dogear-upload-77", ".dogear-5", "restore-3",
		"notes.txt"} {
		file := filepath.Join(dir, name)
		if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o700),
			os.WriteFile(file, []byte("x"), 0o600)); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Chmod(filepath.Join(dir, fileName), 0o644); err != nil {
		t.Fatal(err)
	}
	s := open(t, dir)
	list, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, e := range list {
		names = append(names, e.Name())
	}
	if got := strings.Join(names, " "); strings.Contains(got, "backup") ||
		strings.Contains(got, "upload") ||
		strings.Contains(got, ".dogear") || strings.Contains(got, "restore") ||
		!strings.Contains(got, "notes.txt") {
		t.Error(got)
	}
	if st, _ := os.Stat(filepath.Join(dir, fileName)); st.Mode().Perm() != 0o600 {
		t.Error(st.Mode())
	}
	s.Close()
}

// TestTakenOff takes a print off the shelf and puts it back, with all that belongs to it.
func TestTakenOff(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	ctx := t.Context()
	old := put(t, s, []byte("G28\nG1 X1 E1\n"))
	up, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	up.Older = old.ID
	if _, err := up.Write([]byte("G28\nG1 X2 E1\n")); err != nil {
		t.Fatal(err)
	}
	if err := up.Finish("b.gcode", "B"); err != nil {
		t.Fatal(err)
	}
	if err := s.Change(ctx, up.ID,
		func(d *plan.Plan) error { d.First = "sea"; return nil }); err != nil {
		t.Fatal(err)
	}
	if err := s.TakeOff(ctx, up.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Print(ctx, up.ID); !errors.Is(err, ErrNone) {
		t.Error(err)
	}
	if sh, err := s.Shelf(ctx, "", 0, 10); err != nil || len(sh.Stands) != 1 ||
		sh.Stands[0].ID != old.ID {
		t.Errorf("the older slicing must stand on the shelf again: %+v %v", sh, err)
	}
	if v, err := s.Versions(ctx, old.ID); err != nil || len(v) != 1 {
		t.Error(v, err)
	}
	if n, err := s.CountTakenOff(ctx); n != 1 || err != nil {
		t.Error(n, err)
	}
	if err := s.TakeOff(ctx, up.ID); !errors.Is(err, ErrNone) {
		t.Error(err)
	}
	if err := s.PutBack(ctx, up.ID); err != nil {
		t.Fatal(err)
	}
	if d, _, _, err := s.Plan(ctx, up.ID); err != nil || d.First != "sea" {
		t.Error(d, err)
	}
	if sh, err := s.Shelf(ctx, "", 0, 10); err != nil || len(sh.Stands) != 1 ||
		sh.Stands[0].ID != up.ID {
		t.Errorf("%+v %v", sh, err)
	}
	// After thirty days it is deleted.
	if err := s.TakeOff(ctx, up.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.db.Exec(`UPDATE prints SET removed = '2020-01-01T00:00:00.000Z' WHERE id = ?`,
		up.ID); err != nil {
		t.Fatal(err)
	}
	s.Close()
	s = open(t, dir)
	if list, err := s.TakenOff(ctx); len(list) != 0 || err != nil {
		t.Error(list, err)
	}
	n := 0
	if err := s.db.QueryRow(`SELECT COUNT(*) FROM chunks WHERE print_id = ?`,
		up.ID).Scan(&n); err != nil || n != 0 {
		t.Error(n, err)
	}
}

// TestPickupNumbers checks that the number of a forgotten pick-up is never given again.
func TestPickupNumbers(t *testing.T) {
	s := open(t, t.TempDir())
	p := put(t, s, []byte("G28\nG1 X1 E1\n"))
	last := int64(0)
	for range 3 {
		if err := s.ChangeDraft(t.Context(), p.ID,
			func(d *PickupDoc) error { d.Layer++; return nil }); err != nil {
			t.Fatal(err)
		}
		id, err := s.FinishDraft(t.Context(), p.ID, 1, 1, 1)
		if err != nil || id <= last {
			t.Fatalf("%d after %d: %v", id, last, err)
		}
		if last = id; s.RemovePickup(t.Context(), p.ID, id) != nil {
			t.Fatal("not removed")
		}
	}
}

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
			(7, 'buoy.gcode', 'Buoy', 'ready', 5, 'abc', 1), (9, 'gone.gcode', 'Gone', 'arriving', 0, '', 0)`)
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
	const tries = 12
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

// TestStale damages what is kept of a reading: the print must be read again, and all
// others stand on the shelf.
func TestStale(t *testing.T) {
	s := open(t, t.TempDir())
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	p, q := put(t, s, file), put(t, s, file)
	readIn(t, s, p)
	readIn(t, s, q)
	if _, err := s.db.Exec(`UPDATE indexes SET data = X'0102' WHERE print_id = ?`, p.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Reading(t.Context(), p.ID); !errors.Is(err, ErrStale) {
		t.Error(err)
	}
	if _, err := s.Reading(t.Context(), q.ID); err != nil {
		t.Error(err)
	}
	if o, err := s.Same(t.Context(), q); err != nil || o.ID != p.ID {
		t.Errorf("the same file is not noticed: %+v %v", o, err)
	}
	if sh, err := s.Shelf(t.Context(), "", 0, 10); err != nil || len(sh.Stands) != 2 ||
		sh.Stands[1].High == 0 {
		t.Errorf("%+v %v", sh, err)
	}
}

// TestFind looks for prints by their names, in any letters and any case.
func TestFind(t *testing.T) {
	s := open(t, t.TempDir())
	for _, title := range []string{"ÖLKANNE für den Steg", "Çapa", "Buoy 100%"} {
		up, err := s.Begin(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if _, err := up.Write([]byte("G28\n")); err != nil {
			t.Fatal(err)
		}
		if err := up.Finish("x.gcode", title); err != nil {
			t.Fatal(err)
		}
	}
	for find, want := range map[string]int{"ölkanne": 1, "FÜR DEN": 1, "çapa": 1, "buoy": 1, "100%": 1,
		"%": 1, "_": 0, "": 3, " x.GCODE ": 3} {
		if sh, err := s.Shelf(t.Context(), find, 0, 10); err != nil || sh.Found != want ||
			len(sh.Stands) != want {
			t.Errorf("%q: %+v %v, want %d", find, sh, err, want)
		}
	}
}
