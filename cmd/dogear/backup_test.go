package main

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dogear/store"
)

// TestBackup takes a store away and puts it somewhere else.
func TestBackup(t *testing.T) {
	dir := t.TempDir()
	from, to, file := filepath.Join(dir, "from"), filepath.Join(dir, "to"),
		filepath.Join(dir, "shelf.gz")
	st, err := store.Open(context.Background(), from)
	if err != nil {
		t.Fatal(err)
	}
	up, err := st.Begin(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := up.Write([]byte("G28\n")); err != nil {
		t.Fatal(err)
	}
	if err := up.Finish("tide-gauge.gcode", "Tide gauge"); err != nil {
		t.Fatal(err)
	}
	// It may be in use meanwhile.
	if code, _, errs := dogear(t, "backup", from, "-o", file); code != 0 {
		t.Fatal(code, errs)
	}
	st.Close()
	if code, _, errs := dogear(t, "restore", file, to); code != 0 {
		t.Fatal(code, errs)
	}
	again, err := store.Open(context.Background(), to)
	if err != nil {
		t.Fatal(err)
	}
	prints, err := again.Prints(context.Background())
	again.Close()
	if err != nil || len(prints) != 1 || prints[0].Title != "Tide gauge" {
		t.Error(prints, err)
	}
	raw, _ := os.ReadFile(file)
	for name, b := range map[string][]byte{"cut.gz": raw[:len(raw)/2],
		"text.gz": []byte("no backup")} {
		if err := os.WriteFile(filepath.Join(dir, name), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"restore", file, to}, "already"},
		{[]string{"restore", filepath.Join(dir, "cut.gz"), filepath.Join(dir, "b")}, "no backup"},
		{[]string{"restore", filepath.Join(dir, "text.gz"), filepath.Join(dir, "c")}, "no backup"},
		{[]string{"backup", filepath.Join(dir, "nowhere"), "-o", filepath.Join(dir, "x.gz")},
			"no Dogear in"},
		{[]string{"backup", from, "-o", file}, "--force"},
	} {
		t.Run(c.says, func(t *testing.T) {
			if code, _, errs := dogear(t, c.args...); code != 1 || !strings.Contains(errs, c.says) {
				t.Errorf("%v: %d %q, want %q", c.args, code, errs, c.says)
			}
		})
	}
	for _, name := range []string{"b", "c"} {
		if left, _ := filepath.Glob(filepath.Join(dir, name, "*")); len(left) > 0 {
			t.Errorf("left behind: %v", left)
		}
	}
}
