package store

import (
	"bytes"
	"context"
	"errors"
	"path/filepath"
	"slices"
	"testing"

	"dogear/core/finding"
	"dogear/core/plan"
)

// bring stores a print that is a newer slicing of another; 0 for none.
func bring(t *testing.T, s *Store, name string, older int64) int64 {
	t.Helper()
	up, err := s.Begin(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	up.Older = older
	if _, err := up.Write([]byte("G28\n; " + name + "\n")); err != nil {
		t.Fatal(err)
	}
	if err := up.Finish(name+".gcode", "Channel buoy"); err != nil {
		t.Fatal(err)
	}
	return up.ID
}

// TestVersions follows a print through its slicings, also when one is taken away.
func TestVersions(t *testing.T) {
	ctx := context.Background()
	s, err := Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	a := bring(t, s, "a", 0)
	b := bring(t, s, "b", a)
	c := bring(t, s, "c", b)
	other := bring(t, s, "other", 0)
	want := func(id int64, ids ...int64) {
		t.Helper()
		got, err := s.Versions(ctx, id)
		if err != nil || !slices.Equal(got, ids) {
			t.Errorf("versions of %d: %v (%v), want %v", id, got, err, ids)
		}
	}
	for _, id := range []int64{a, b, c} {
		want(id, a, b, c)
	}
	want(other, other)
	if p, err := s.Print(ctx, c); err != nil || p.Older != b {
		t.Errorf("%+v %v", p, err)
	}
	if err := s.SaveCarried(ctx, c,
		[]finding.Finding{{Level: finding.Care, Code: "moved", Message: "one ear moved"}}); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Carried(ctx, c); err != nil || len(got) != 1 ||
		got[0].Message != "one ear moved" {
		t.Errorf("%+v %v", got, err)
	}
	if err := s.SaveCarried(ctx, c, nil); err != nil {
		t.Fatal(err)
	}
	if got, err := s.Carried(ctx, c); err != nil || got != nil {
		t.Errorf("what was read is told again: %+v %v", got, err)
	}
	if err := s.Remove(ctx, b); err != nil {
		t.Fatal(err)
	}
	want(a, a)
	want(c, c)
	if p, err := s.Print(ctx, c); err != nil || p.Older != 0 {
		t.Errorf("%+v %v", p, err)
	}
}

// TestChangedIsTold hears of every change of what is marked, and of nothing that
// was refused.
func TestChangedIsTold(t *testing.T) {
	ctx := context.Background()
	s, err := Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	id := bring(t, s, "a", 0)
	var told []int64
	s.Changed = func(n int64) { told = append(told, n) }
	no := errors.New("no")
	for i, f := range []func() error{
		func() error {
			return s.Change(ctx, id, func(p *plan.Plan) error { p.First = "red"; return nil })
		},
		func() error { return s.Undo(ctx, id) },
		func() error { return s.Redo(ctx, id) },
	} {
		if err := f(); err != nil || len(told) != i+1 || told[i] != id {
			t.Errorf("step %d: %v %v", i, told, err)
		}
	}
	if err := s.Change(ctx, id, func(*plan.Plan) error { return no }); !errors.Is(err, no) ||
		len(told) != 3 {
		t.Errorf("%v %v", told, err)
	}
}

// TestAccess keeps who has been let in, until another passphrase is set.
func TestAccess(t *testing.T) {
	ctx := context.Background()
	s, err := Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if h, err := s.Passphrase(ctx); h != nil || err != nil {
		t.Errorf("%q %v", h, err)
	}
	in := func(token string, want bool) {
		t.Helper()
		if got, _, err := s.HasSession(ctx, []byte(token)); got != want || err != nil {
			t.Errorf("%s is in: %v (%v)", token, got, err)
		}
	}
	for _, hash := range []string{"first", "second"} {
		if err := s.SetPassphrase(ctx, []byte(hash)); err != nil {
			t.Fatal(err)
		}
		if h, err := s.Passphrase(ctx); string(h) != hash || err != nil {
			t.Errorf("%q %v", h, err)
		}
		in("tablet", false)
		if err := errors.Join(s.AddSession(ctx, []byte("tablet")),
			s.AddSession(ctx, []byte("phone"))); err != nil {
			t.Fatal(err)
		}
		in("tablet", true)
		in("nobody", false)
	}
	if err := s.DropSession(ctx, []byte("phone")); err != nil {
		t.Fatal(err)
	}
	in("phone", false)
	in("tablet", true)
	if _, err := s.db.ExecContext(ctx,
		`UPDATE sessions SET created = '2020-01-01T00:00:00.000Z'`); err != nil {
		t.Fatal(err)
	}
	in("tablet", false)
}

// TestRestoreRefuses gives what is no backup, and places that are taken.
func TestRestoreRefuses(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	s, err := Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	bring(t, s, "a", 0)
	s.Close()
	var whole bytes.Buffer
	if err := Backup(ctx, dir, t.TempDir(), &whole); err != nil {
		t.Fatal(err)
	}
	if err := Restore(ctx, bytes.NewReader(whole.Bytes()), dir); !errors.Is(err, ErrInUse) {
		t.Error(err)
	}
	for name, b := range map[string][]byte{"nothing": nil, "text": []byte("a shelf"),
		"half": whole.Bytes()[:whole.Len()/2]} {
		to := filepath.Join(t.TempDir(), name)
		if err := Restore(ctx, bytes.NewReader(b), to); !errors.Is(err, ErrNoBackup) {
			t.Errorf("%s: %v", name, err)
		}
		if left, _ := filepath.Glob(filepath.Join(to, "*")); len(left) > 0 {
			t.Errorf("%s: left behind: %v", name, left)
		}
	}
	to := filepath.Join(t.TempDir(), "new")
	if err := Restore(ctx, bytes.NewReader(whole.Bytes()), to); err != nil {
		t.Fatal(err)
	}
	again, err := Open(ctx, to)
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	if all, err := again.Prints(ctx); err != nil || len(all) != 1 {
		t.Error(all, err)
	}
}
