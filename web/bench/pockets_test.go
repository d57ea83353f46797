package bench_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestPockets lists the buoy's pocket, and says whether what goes in fits.
func TestPockets(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, _ := demo.Slice(demo.Buoy(), demo.DialectNamed("hopping"))
	id, refused := c.Bring("buoy.gcode", file)
	if refused != "" {
		t.Fatal(refused)
	}
	p := fmt.Sprintf("/prints/%d", id)
	c.Page(t, p, "Pockets", "across flats, 13.8 deep, open until layer 79",
		"Put in M8 nut before layer 80", "as late as possible")
	c.Steps(t, []webtest.Step{
		{p + "/pockets", []string{"pockets", "0", "insert", "M8 nut"}, 200,
			"the printer stops before layer 80, as late as possible"},
		{p + "/pockets", []string{"pockets", "0", "insert", "M8 nut"}, 409,
			"There is something for this pocket before layer 80 already"},
		{p + "/pockets", []string{"pockets", "7", "insert", "M8 nut"}, 422, "no such pocket"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "pocket", "110,110"}, 200,
			"It drops in, 0."},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "3"}, 200,
			"It is never covered"},
	})
	c.Page(t, p+"/proof", "would be laid into", "Fix the points above before writing the file")
	if code, _ := c.Do("GET", p+"/write", nil, nil); code != 409 {
		t.Error(code)
	}
	c.Steps(t, []webtest.Step{
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "slow", "1", "slow_to",
			"50"}, 200, "It drops in"},
		{p + "/ears/a1", []string{"all", "1", "insert", "M8 nut", "count", "2", "slow", "1", "slow_to",
			"5"}, 422, "from 10 to 100"},
		{p + "/ears/a1", []string{"where", "60"}, 200, "The head is lifted over it until layer 77 is " +
			"laid"},
	})
	c.Page(t, p+"/proof", "Same plastic", "travel moves are lifted", "1 bridge is laid slower")
	code, out := c.Do("GET", p+"/write", nil, nil)
	if code != 200 || strings.Count(out, ": up") < 10 || strings.Count(out, "M220 S50") != 1 {
		t.Error(code, strings.Count(out, ": up"))
	}
	c.Steps(t, []webtest.Step{
		{p + "/ears/a1", []string{"where", "83"}, 200, "No pocket that is closed later"},
		{p + "/ears/a1", []string{"where", "80"}, 200, "It drops in"},
		{p + "/ears/a1", []string{"all", "1", "insert", "disc magnet 8 × 3", "count", "2", "pole",
			"opposite"}, 200, "by turns up and down"},
	})
	c.Page(t, p+"/cue", "Mark one face of each magnet")
}
