package pickup_test

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestPickupByWeight takes down what the part weighs, and how the pick-up begins.
func TestPickupByWeight(t *testing.T) {
	c, p := webtest.WallOnShelf(t)
	u := p + "/pickup"
	c.Steps(t, []webtest.Step{
		{u + "/evidence", []string{"kind", "weight", "value", "9"}, 422, "how dense the filament is"},
		{u + "/evidence", []string{"kind", "weight", "value", "9000", "density", "1.24"}, 422,
			"more than the whole print takes"},
		{u + "/evidence", []string{"kind", "weight", "value", "9,5", "cut", "0,3", "density", "1.24"},
			200, "9.8 g of 1.24 g/cm³"},
		{u + "/evidence", []string{"kind", "used", "value", "2.5"}, 200, "2.5 m"},
		{u + "/undo", nil, 200, "Taken back."},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		// Layers alone are made gentler; what a field shows grey is what is used.
		{u + "/choice", []string{"all", "1", "ease_layers", "2"}, 200, "M220 S80"},
		{u + "/choice", []string{"all", "1", "ease_layers", "2"}, 200, `placeholder="80"`},
		{u + "/choice", []string{"all", "1", "ease_layers", "2", "ease_hotter", "8"}, 200,
			`placeholder="100"`},
		{u + "/choice", []string{"all", "1", "prime_wait", "1", "own", "M420 S1\r\n\r\nNET_LOAD"}, 200,
			"and waits: take off what hangs"},
		{u + "/choice", []string{"all", "1", "own", "G28"}, 200, "only set what stays in force"},
		{u + "/choice", []string{"all", "1", "own", strings.Repeat("M420\n", 21)}, 422, "more lines"},
	})
}

// TestBrimOnThePage asks for a brim round a loose top; it goes with the loose top.
func TestBrimOnThePage(t *testing.T) {
	c, p := webtest.WallOnShelf(t)
	u := p + "/pickup"
	c.Steps(t, []webtest.Step{
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
		{u + "/choice", []string{"loose", "1"}, 200, `name="brim"`},
		{u + "/choice", []string{"all", "1", "brim", "21"}, 422, "must be a number from 0 to 20"},
		{u + "/choice", []string{"all", "1", "brim", "4"}, 200, "brim: "},
		{u + "/choice", []string{"all", "1", "brim", "4"}, 200, "Cut the brim off"},
		{u + "/choice", []string{"all", "1", "brim", "4"}, 200, `&#34;wide&#34;:`},
		{u + "/choice", []string{"loose", "0"}, 200, "Write the pick-up"},
	})
	if page := c.Page(t, u); strings.Contains(page, "brim: ") {
		t.Error("the brim stays where there is no loose top")
	}
}

// TestCutOnThePage goes on from inside a move, and says why where that cannot be.
func TestCutOnThePage(t *testing.T) {
	file, _ := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	ix, err := layer.Read(context.Background(), bytes.NewReader(file), layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	moves, err := ix.Decode(bytes.NewReader(file), 20)
	if err != nil {
		t.Fatal(err)
	}
	longLine := fmt.Sprint(moves[slices.IndexFunc(moves, func(m layer.Move) bool {
		return m.Kind == gcode.Lay && m.Length() > 10
	})].Line)
	c, p := webtest.WallOnShelf(t)
	u := p + "/pickup"
	c.Steps(t, []webtest.Step{
		{u + "/choice", []string{"line", longLine, "along", "much"}, 422, "cut at a percentage"},
		{u + "/choice", []string{"line", longLine, "along", "99.8"}, 422, "1 to 99 %"},
		{u + "/choice", []string{"line", longLine, "along", "40"}, 200, "the rest of line " + longLine},
		{u + "/choice", []string{"line", longLine, "along", ""}, 200, "in front of line"},
		{u + "/choice", []string{"layer", "30"}, 200, "Write the pick-up"},
	})
}
