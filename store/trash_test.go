package store

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dogear/core/plan"
	"dogear/demo"
)

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
		id, err := s.FinishDraft(t.Context(), p.ID, 1, 1, 1, nil)
		if err != nil || id <= last {
			t.Fatalf("%d after %d: %v", id, last, err)
		}
		if last = id; s.RemovePickup(t.Context(), p.ID, id) != nil {
			t.Fatal("not removed")
		}
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
	for find, want := range map[string]int{"ölkanne": 1, "FÜR DEN": 1, "çapa": 1, "buoy": 1,
		"100%": 1,
		"%":    1, "_": 0, "": 3, " x.GCODE ": 3} {
		if sh, err := s.Shelf(t.Context(), find, 0, 10); err != nil || sh.Found != want ||
			len(sh.Stands) != want {
			t.Errorf("%q: %+v %v, want %d", find, sh, err, want)
		}
	}
}
