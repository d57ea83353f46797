package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"math/rand/v2"
	"reflect"
	"testing"
	"time"

	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/raster"
	"dogear/demo"
	"dogear/demo/demotest"
)

func open(t *testing.T, dir string) *Store {
	t.Helper()
	s, err := Open(context.Background(), dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func put(t *testing.T, s *Store, data []byte) Print {
	t.Helper()
	up, err := s.Begin(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	defer up.Abandon()
	for len(data) > 0 { // in odd pieces
		n := min(len(data), 77_777)
		if _, err := up.Write(data[:n]); err != nil {
			t.Fatal(err)
		}
		data = data[n:]
	}
	if err := up.Finish("tower.gcode", "Tower"); err != nil {
		t.Fatal(err)
	}
	p, err := s.Print(context.Background(), up.ID)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestBytesComeBack(t *testing.T) {
	s := open(t, t.TempDir())
	r := rand.New(rand.NewPCG(1, 2))
	for _, size := range []int{0, 1, chunkSize - 1, chunkSize, chunkSize + 1, 20*chunkSize + 12345} {
		data := make([]byte, size)
		for i := range data {
			data[i] = byte(r.IntN(7)) + 'A'
		}
		p := put(t, s, data)
		sum := sha256.Sum256(data)
		if p.Bytes != int64(size) || p.SHA256 != hex.EncodeToString(sum[:]) || p.State != "reading" {
			t.Fatalf("%+v", p)
		}
		src := s.Source(p)
		got, err := io.ReadAll(io.NewSectionReader(src, 0, src.Size()))
		if err != nil || !bytes.Equal(got, data) {
			t.Fatalf("%d bytes came back as %d, %v", size, len(got), err)
		}
		for range demotest.Rounds(50) {
			if size < 2 {
				break
			}
			a := r.IntN(size)
			b := make([]byte, r.IntN(3*chunkSize))
			n, err := src.ReadAt(b, int64(a))
			if want := data[a:min(a+len(b), size)]; !bytes.Equal(b[:n], want) ||
				(n < len(b)) != (err == io.EOF) {
				t.Fatalf("ReadAt %d+%d: %d bytes, %v", a, len(b), n, err)
			}
		}
	}
}

// TestHalfUploadsGo leaves uploads unfinished in every way.
func TestHalfUploadsGo(t *testing.T) {
	dir := t.TempDir()
	ctx := context.Background()
	s := open(t, dir)
	rows := func(s *Store) (n int) {
		if err := s.db.QueryRow(
			`SELECT (SELECT COUNT(*) FROM prints) + (SELECT COUNT(*) FROM chunks)`).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	up, _ := s.Begin(ctx)
	if _, err := up.Write(make([]byte, 18*chunkSize)); err != nil {
		t.Fatal(err)
	}
	up.Abandon()
	if n := rows(s); n != 0 {
		t.Errorf("%d rows behind an abandoned upload", n)
	}
	up, _ = s.Begin(ctx)
	if _, err := up.Write(make([]byte, 16*chunkSize)); err != nil {
		t.Fatal(err)
	}
	if list, _ := s.Prints(ctx); len(list) != 0 {
		t.Error("a print that is arriving stands on the shelf")
	}
	s.Close() // as if the program had been killed
	if n := rows(open(t, dir)); n != 0 {
		t.Errorf("%d rows after a restart", n)
	}
}

func TestIndexComesBack(t *testing.T) {
	s := open(t, t.TempDir())
	ctx := context.Background()
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("hopping"))
	p := put(t, s, file)
	if _, err := s.Reading(ctx, p.ID); !errors.Is(err, ErrStale) {
		t.Fatal(err)
	}
	ix, err := layer.Read(ctx, s.Source(p), layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	o, f := raster.NewOutline(ix), landmark.NewFinder(ix)
	for n := range ix.Layers {
		moves, err := ix.Decode(s.Source(p), n+1)
		if err != nil {
			t.Fatal(err)
		}
		o.Add(ix, n+1, moves, layer.Paths(moves))
		f.Add(n+1, moves, layer.Paths(moves))
	}
	marks := f.Report()
	if err := s.SaveReading(ctx, p.ID, &Reading{ix, o, marks}); err != nil {
		t.Fatal(err)
	}
	got, err := s.Reading(ctx, p.ID)
	if err != nil {
		t.Fatal(err)
	}
	ix2, o2 := got.Index, got.Outline
	if !reflect.DeepEqual(marks, got.Landmarks) || len(marks.Landmarks) == 0 {
		t.Error("the landmarks came back changed")
	}
	if !reflect.DeepEqual(ix.Report("x"), ix2.Report("x")) || !reflect.DeepEqual(o, o2) {
		t.Error("the index came back changed")
	}
	for n := range ix.Layers {
		a, _ := ix.Decode(s.Source(p), n+1)
		b, err := ix2.Decode(s.Source(p), n+1)
		if err != nil || !reflect.DeepEqual(a, b) {
			t.Fatalf("layer %d decodes differently from the stored index: %v", n+1, err)
		}
	}
	if !reflect.DeepEqual(ix.States, ix2.States) || len(ix.States) != len(ix.Layers) {
		t.Fatal("the states came back changed")
	}
	if p, _ = s.Print(ctx, p.ID); p.State != "ready" {
		t.Error(p.State)
	}
}

// TestOutdated opens a store whose indexes another version has made: the prints stand on
// the shelf, and are read again.
func TestOutdated(t *testing.T) {
	dir, ctx := t.TempDir(), context.Background()
	s := open(t, dir)
	file, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	var ids []int64
	for range 2 {
		p := put(t, s, file)
		ix, err := layer.Read(ctx, s.Source(p), layer.Options{})
		if err != nil {
			t.Fatal(err)
		}
		if s.Known(ctx, p.ID) {
			t.Error("known before it was read")
		}
		if err := s.SaveReading(ctx, p.ID, &Reading{Index: ix}); err != nil {
			t.Fatal(err)
		}
		ids = append(ids, p.ID)
	}
	if _, err := s.db.Exec(`UPDATE indexes SET version = version - 1 WHERE print_id = ?`,
		ids[0]); err != nil {
		t.Fatal(err)
	}
	s.Close()
	s = open(t, dir)
	for i, want := range []string{"reading", "ready"} {
		if p, err := s.Print(ctx, ids[i]); err != nil || p.State != want || !s.Known(ctx, ids[i]) {
			t.Errorf("print %d: %q, want %q (%v)", ids[i], p.State, want, err)
		}
	}
}

func TestUndo(t *testing.T) {
	s := open(t, t.TempDir())
	ctx := context.Background()
	p := put(t, s, []byte("G1 X1\n"))
	add := func(n int) {
		if err := s.Change(ctx, p.ID, func(d *plan.Plan) error {
			d.Ears = append(d.Ears, plan.Ear{ID: string(rune('a' + n)), BeforeLayer: n, Kind: plan.Insert})
			return nil
		}); err != nil {
			t.Fatal(err)
		}
	}
	look := func(want int, undo, redo bool) {
		t.Helper()
		d, u, r, err := s.Plan(ctx, p.ID)
		if err != nil || len(d.Ears) != want || u != undo || r != redo {
			t.Fatalf("%d ears, undo %v, redo %v, %v", len(d.Ears), u, r, err)
		}
	}
	look(0, false, false)
	add(1)
	add(2)
	look(2, true, false)
	_ = s.Undo(ctx, p.ID)
	look(1, true, true)
	_ = s.Undo(ctx, p.ID)
	_ = s.Undo(ctx, p.ID)
	look(0, false, true)
	_ = s.Redo(ctx, p.ID)
	look(1, true, true)
	add(3) // drops what was undone
	look(2, true, false)
	_ = s.Redo(ctx, p.ID)
	look(2, true, false)
	fail := errors.New("no")
	if err := s.Change(ctx, p.ID, func(d *plan.Plan) error { d.Ears = nil; return fail }); !errors.Is(
		err, fail) {
		t.Fatal(err)
	}
	look(2, true, false)
	if err := s.Remove(ctx, p.ID); err != nil {
		t.Fatal(err)
	}
	if err := s.Remove(ctx, p.ID); !errors.Is(err, ErrNone) {
		t.Fatal(err)
	}
	var n int
	if err :=
		s.db.QueryRow(`SELECT (SELECT COUNT(*) FROM revisions) + (SELECT COUNT(*) FROM chunks)`).Scan(
			&n); err != nil || n != 0 {
		t.Error(n, err)
	}
}

// TestWritten keeps one row for the same marks, and gives the newest first.
func TestWritten(t *testing.T) {
	s := open(t, t.TempDir())
	ctx := context.Background()
	p := put(t, s, []byte("G1 X1\n"))
	for _, w := range []Written{{Marks: "a", Name: "1"}, {Marks: "b", Name: "2"},
		{Marks: "a", Name: "3"}} {
		if err := s.SaveWritten(ctx, p.ID, w); err != nil {
			t.Fatal(err)
		}
		time.Sleep(2 * time.Millisecond)
	}
	all, err := s.Written(ctx, p.ID, 9)
	if err != nil || len(all) != 2 || all[0].Name != "3" || all[1].Name != "2" || all[0].At.IsZero() {
		t.Errorf("%+v %v", all, err)
	}
	if err := s.Remove(ctx, p.ID); err != nil {
		t.Fatal(err)
	}
	if all, err := s.Written(ctx, p.ID, 9); err != nil || len(all) != 0 {
		t.Errorf("%+v %v", all, err)
	}
}
