package store

import (
	"context"
	"reflect"
	"testing"

	"dogear/core/plan"
)

func TestKit(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	ctx := context.Background()
	red := plan.Filament{Name: "Signal red", Colour: "#b8362b", Nozzle: [2]float64{215, 210},
		Density: 1.27}
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	names := func(want ...string) *Kit {
		t.Helper()
		k, err := s.Kit(ctx)
		must(err)
		if got := k.Keys[plan.Filaments]; len(got) != len(want) || len(want) > 0 &&
			!reflect.DeepEqual(got, want) {
			t.Fatalf("%v, want %v", got, want)
		}
		return k
	}
	must(s.Ship(ctx, plan.Item{Drawer: plan.Filaments, Key: "red", Doc: red},
		plan.Item{Drawer: plan.Printers, Key: "shed",
			Doc: plan.Printer{Name: "club printer in the shed"}}))
	if k := names("red"); k.Undo || k.Redo || !reflect.DeepEqual(k.Filaments["red"], red) ||
		k.Printers["shed"].Name == "" {
		t.Fatalf("%+v", k)
	}
	must(s.Ship(ctx, plan.Item{Drawer: plan.Filaments, Key: "white", Doc: red})) // it has been touched
	names("red")
	must(s.Put(ctx, plan.Item{Drawer: plan.Filaments, Key: "white",
		Doc: plan.Filament{Name: "Gull white"}}, plan.Item{Drawer: plan.Routines, Key: "short",
		Doc: plan.Routine{{Do: "return"}, {Do: "restore"}}}))
	must(s.Put(ctx, plan.Item{Drawer: plan.Filaments, Key: "red", Doc: nil}))
	names("white")
	must(s.UndoKit(ctx))
	if k := names("red", "white"); !k.Undo || !k.Redo || !reflect.DeepEqual(k.Filaments["red"], red) {
		t.Fatalf("%+v", k)
	}
	must(s.UndoKit(ctx)) // both items of one step
	if k := names("red"); k.Undo || len(k.Routines) != 0 {
		t.Fatalf("%+v", k)
	}
	must(s.UndoKit(ctx))
	names("red")
	must(s.RedoKit(ctx))
	must(s.RedoKit(ctx))
	must(s.RedoKit(ctx))
	names("white")
	must(s.UndoKit(ctx))
	must(s.Put(ctx, plan.Item{Drawer: plan.Filaments, Key: "tar", Doc: red})) // drops what was undone
	if k := names("red", "white", "tar"); k.Redo {
		t.Fatal("there is something to do again")
	}
	must(s.Close())
	s = open(t, dir)
	names("red", "white", "tar")
}
