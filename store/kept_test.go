package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

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
