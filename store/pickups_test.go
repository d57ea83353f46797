package store

import (
	"context"
	"errors"
	"testing"

	"dogear/core/pickup"
)

func TestPickups(t *testing.T) {
	s := open(t, t.TempDir())
	ctx := context.Background()
	p := put(t, s, []byte("G1 X1\n"))
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.Draft(ctx, p.ID); !errors.Is(err, ErrNone) {
		t.Fatal(err)
	}
	add := func(z float64) {
		must(s.ChangeDraft(ctx, p.ID, func(d *PickupDoc) error {
			d.Evidence = append(d.Evidence, pickup.Evidence{Kind: pickup.Touch, Value: z})
			return nil
		}))
	}
	pieces := func(want int, undo, redo bool) {
		t.Helper()
		d, err := s.Draft(ctx, p.ID)
		must(err)
		if len(d.Doc.Evidence) != want || d.Undo != undo || d.Redo != redo {
			t.Fatalf("%+v", d)
		}
	}
	add(1)
	add(2)
	pieces(2, true, false)
	must(s.UndoDraft(ctx, p.ID))
	pieces(1, true, true)
	must(s.RedoDraft(ctx, p.ID))
	pieces(2, true, false)
	must(s.UndoDraft(ctx, p.ID))
	add(3)
	pieces(2, true, false)
	no := errors.New("no")
	if err := s.ChangeDraft(ctx, p.ID,
		func(d *PickupDoc) error { d.Evidence = nil; return no }); !errors.Is(err, no) {
		t.Fatal(err)
	}
	pieces(2, true, false)
	id, err := s.FinishDraft(ctx, p.ID, 7, 123, 40, []byte("made"))
	must(err)
	if made, err := s.MadeOf(ctx, p.ID, id); err != nil || string(made) != "made" {
		t.Fatal(string(made), err)
	}
	must(s.SaveOutcome(ctx, p.ID, id, Failed))
	if k, err := s.Pickup(ctx, p.ID, id); err != nil || k.Outcome != Failed {
		t.Fatal(k, err)
	}
	if _, err := s.Draft(ctx, p.ID); !errors.Is(err, ErrNone) {
		t.Fatal(err)
	}
	add(9) // it fails a second time
	pieces(1, true, false)
	all, err := s.Pickups(ctx, p.ID)
	must(err)
	if len(all) != 2 || all[1].ID != id || all[1].Written.IsZero() || all[1].Doc.Line != 123 ||
		all[1].Doc.Length != 40 || len(all[1].Doc.Evidence) != 2 {
		t.Fatalf("%+v", all)
	}
	one, err := s.Pickup(ctx, p.ID, id)
	must(err)
	if one.Doc.Layer != 7 || one.Undo {
		t.Fatalf("%+v", one)
	}
	must(s.RemovePickup(ctx, p.ID, id))
	must(s.Remove(ctx, p.ID))
	if all, err := s.Pickups(ctx, p.ID); err != nil || len(all) != 0 {
		t.Fatal(all, err)
	}
}
