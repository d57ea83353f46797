package store

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"dogear/core/plan"
	"dogear/core/watch"
	"dogear/demo"
)

// twoTowers are two prints, of which nothing has been read.
func twoTowers(t *testing.T) (s *Store, one, other int64) {
	t.Helper()
	s = open(t, t.TempDir())
	return s, put(t, s, []byte("G1 X1 E1\n")).ID, put(t, s, []byte("G1 X2 E1\n")).ID
}

// TestDiary keeps the newest lines of each print, and those of others alone.
func TestDiary(t *testing.T) {
	s, one, other := twoTowers(t)
	ctx := t.Context()
	if err := s.Note(ctx, other, NoteDone, "the other one"); err != nil {
		t.Fatal(err)
	}
	for k := range MaxEntries + 3 {
		if err := s.Note(ctx, one, NoteStopped, fmt.Sprint("stop ", k)); err != nil {
			t.Fatal(err)
		}
	}
	got, err := s.Diary(ctx, one)
	if err != nil || len(got) != MaxEntries || got[0].Text != fmt.Sprint("stop ", MaxEntries+2) ||
		got[len(got)-1].Text != "stop 3" || got[0].Kind != NoteStopped ||
		time.Since(got[0].At) > time.Hour {
		t.Errorf("%d lines, %+v … %+v (%v)", len(got), got[0], got[len(got)-1], err)
	}
	if got, err := s.Diary(ctx, other); err != nil || len(got) != 1 || got[0].Text != "the other one" {
		t.Errorf("%+v %v", got, err)
	}
	if err := s.Note(ctx, 99, NoteDone, "of no print"); err == nil {
		t.Error("a print that is not there has a diary")
	}
}

// TestWatches changes the newest watch of a print; one that has ended no longer runs.
func TestWatches(t *testing.T) {
	s, one, other := twoTowers(t)
	ctx := t.Context()
	if _, err := s.Watch(ctx, one); !errors.Is(err, ErrNone) {
		t.Error(err)
	}
	noon := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	for _, id := range []int64{one, other, one} { // one is printed twice
		if err := s.BeginWatch(ctx, id, watch.Start(noon, 1)); err != nil {
			t.Fatal(err)
		}
	}
	running := func(want ...int64) {
		t.Helper()
		if got, err := s.Running(ctx); err != nil || fmt.Sprint(got) != fmt.Sprint(want) {
			t.Errorf("%v are watched, want %v (%v)", got, want, err)
		}
	}
	running(one, other)
	end := func(w *watch.Watch) error { w.Ended = noon.Add(time.Hour); return nil }
	if err := s.ChangeWatch(ctx, one, end); err != nil {
		t.Fatal(err)
	}
	running(other)
	refused := errors.New("refused")
	if err := s.ChangeWatch(ctx, other, func(w *watch.Watch) error {
		w.Wrong = true
		return refused
	}); !errors.Is(err, refused) {
		t.Error(err)
	}
	if w, err := s.Watch(ctx, other); err != nil || w.Wrong || !w.Started.Equal(noon) {
		t.Errorf("%+v %v", w, err)
	}
	if err := s.TakeOff(ctx, other); err != nil {
		t.Fatal(err)
	}
	running()
	if err := s.ChangeWatch(ctx, 99, end); !errors.Is(err, ErrNone) {
		t.Error(err)
	}
}

// TestTickets lets one browser in, once, for ten minutes, to one print.
func TestTickets(t *testing.T) {
	s, one, _ := twoTowers(t)
	ctx := t.Context()
	for _, token := range []string{"a", "b"} {
		if err := s.AddTicket(ctx, []byte(token), one); err != nil {
			t.Fatal(err)
		}
	}
	if id, err := s.TakeTicket(ctx, []byte("a"), []byte("phone")); err != nil || id != one {
		t.Error(id, err)
	}
	if _, err := s.exec(ctx, `UPDATE tickets SET created = '2026-11-01T00:00:00.000Z'`); err != nil {
		t.Fatal(err)
	}
	for what, token := range map[string]string{"used": "a", "old": "b", "none": "c"} {
		if id, err := s.TakeTicket(ctx, []byte(token), []byte(what)); !errors.Is(err, ErrNone) {
			t.Errorf("%s: print %d, %v", what, id, err)
		}
	}
}

// TestPhotos keeps so many pictures of a print, and shows them with no other.
func TestPhotos(t *testing.T) {
	s, one, other := twoTowers(t)
	ctx := t.Context()
	var first int64
	for k := range MaxPhotos {
		id, err := s.PutPhoto(ctx, one, []byte{byte(k)})
		if err != nil {
			t.Fatal(err)
		}
		if k == 0 {
			first = id
		}
	}
	if _, err := s.PutPhoto(ctx, one, []byte{1}); !errors.Is(err, ErrPhotos) {
		t.Error(err)
	}
	if data, err := s.Photo(ctx, one, first); err != nil || len(data) != 1 || data[0] != 0 {
		t.Error(data, err)
	}
	if _, err := s.Photo(ctx, other, first); !errors.Is(err, ErrNone) {
		t.Error(err)
	}
}

// TestKin finds the slicings of one model by what they measure, and the drawings of the shelf.
func TestKin(t *testing.T) {
	s := open(t, t.TempDir())
	ctx := t.Context()
	ids := map[string]int64{}
	for name, solid := range map[string]demo.Solid{"coarse": demo.Pier(0.3, 0),
		"fine": demo.Pier(0.15, 0), "gauge": demo.TideGauge()} {
		file, _ := demo.Slice(solid, demo.DialectNamed("plain"))
		p := put(t, s, file)
		readIn(t, s, p)
		ids[name] = p.ID
	}
	got, err := s.Kin(ctx, ids["fine"], 9)
	if want := []int64{ids["coarse"], ids["fine"]}; err != nil || fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("%v, want %v (%v)", got, want, err)
	}
	stands, err := s.Faces(ctx, 9)
	if err != nil || len(stands) != 3 {
		t.Fatal(stands, err)
	}
	for i := range stands {
		for k := range stands {
			a, b := &stands[i], &stands[k]
			kin := a.ID != b.ID && a.ID != ids["gauge"] && b.ID != ids["gauge"]
			if a.Akin(b) != kin {
				t.Errorf("prints %d and %d are akin: %v", a.ID, b.ID, !kin)
			}
		}
	}
	if err := s.SaveDrawing(ctx, ids["gauge"], "this", []byte("drawn")); err != nil {
		t.Fatal(err)
	}
	sh, err := s.Shelf(ctx, "", 0, 9)
	if err != nil {
		t.Fatal(err)
	}
	for _, st := range sh.Stands {
		drawn := st.ID == ids["gauge"]
		if (st.Seen == "this") != drawn || (string(st.Drawing) == "drawn") != drawn {
			t.Errorf("print %d: %q of %q", st.ID, st.Drawing, st.Seen)
		}
	}
	// One that must be read again is not yet of the kin.
	if err := s.Again(ctx, ids["coarse"]); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Kin(ctx, ids["fine"], 9); err != nil || len(got) != 1 {
		t.Error(got, err)
	}
	p, err := s.Print(ctx, ids["gauge"])
	if same, e := s.OfBytes(ctx, p.SHA256); err != nil || e != nil || same.ID != p.ID {
		t.Error(same, err, e)
	}
	if _, err := s.OfBytes(ctx, "none"); !errors.Is(err, ErrNone) {
		t.Error(err)
	}
}

// TestPack keeps the archive that a print came in.
func TestPack(t *testing.T) {
	s, one, _ := twoTowers(t)
	ctx := t.Context()
	up, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer up.Abandon()
	up.Pack = &Pack{Plate: "pier/plate 2.gcode", Shell: []byte("shell"), Picture: []byte("seen")}
	if _, err := up.Write([]byte("G1 X3 E1\n")); err != nil {
		t.Fatal(err)
	}
	if err := up.Finish("pier.zip", "Pier"); err != nil {
		t.Fatal(err)
	}
	if p, err := s.Pack(ctx, up.ID); err != nil || p.Plate != up.Pack.Plate ||
		string(p.Shell) != "shell" || string(p.Picture) != "seen" {
		t.Errorf("%+v %v", p, err)
	}
	if got, err := s.PackPicture(ctx, up.ID); err != nil || string(got) != "seen" {
		t.Error(got, err)
	}
	_, none := s.Pack(ctx, one)
	_, unseen := s.PackPicture(ctx, one)
	if !errors.Is(none, ErrNone) || !errors.Is(unseen, ErrNone) {
		t.Error(none, unseen)
	}
}

// TestPutFrom changes an item of the Kit if nobody else has meanwhile.
func TestPutFrom(t *testing.T) {
	s := open(t, t.TempDir())
	ctx := t.Context()
	item := func(name string) plan.Item {
		return plan.Item{Drawer: plan.Filaments, Key: "kelp", Doc: plan.Filament{Name: name}}
	}
	if err := s.PutFrom(ctx, plan.Filaments, "kelp", "", item("Kelp")); err != nil {
		t.Fatal(err)
	}
	if err := s.PutFrom(ctx, plan.Filaments, "kelp", "", item("Weed")); !errors.Is(err, ErrChanged) {
		t.Error("it was not there:", err)
	}
	if err := s.PutFrom(ctx, plan.Filaments, "kelp", "other", item("Weed")); !errors.Is(err,
		ErrChanged) {
		t.Error("it was another one:", err)
	}
}

// TestOldIsErased deletes for good what was taken off the shelf too long ago.
func TestOldIsErased(t *testing.T) {
	s, one, other := twoTowers(t)
	ctx := t.Context()
	for _, id := range []int64{one, other} {
		if err := s.TakeOff(ctx, id); err != nil {
			t.Fatal(err)
		}
	}
	if p, err := s.TakenOffPrint(ctx, one); err != nil || p.ID != one {
		t.Error(p, err)
	}
	if _, err := s.exec(ctx, `UPDATE prints SET removed = '2026-01-01T00:00:00.000Z' WHERE id = ?`,
		one); err != nil {
		t.Fatal(err)
	}
	if err := s.PurgeExpired(ctx); err != nil {
		t.Fatal(err)
	}
	left, err := s.TakenOff(ctx)
	if err != nil || len(left) != 1 || left[0].ID != other || left[0].Stored == 0 {
		t.Errorf("%+v %v", left, err)
	}
}

// TestOpenAt finds where the Dogear answers that works with a folder.
func TestOpenAt(t *testing.T) {
	dir := t.TempDir()
	if at := OpenAt(dir); at != "" {
		t.Error(at)
	}
	s := open(t, dir)
	if err := s.Hold("http://localhost:8080"); err != nil {
		t.Fatal(err)
	}
	if at := OpenAt(dir); at != "http://localhost:8080" {
		t.Error(at)
	}
	s.Close()
	if at := OpenAt(dir); at != "" {
		t.Error("nobody works there any more, and it is open at", at)
	}
}
