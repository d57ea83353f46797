package bench_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/figures"
	"dogear/demo"
	"dogear/web/webtest"
)

// TestTakeAllOver makes ears of all stops that somebody wrote into a file by hand, each of the
// kind and with the words that stand there.
func TestTakeAllOver(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	text := strings.Split(string(file), "\n")
	at := func(n int) int { return int(truth.Layers[n-1].First) - 2 }
	hand := webtest.SlicesAt(text, map[int][]string{
		at(5): {"M117 Put in the magnet", "M0"}, at(9): {"M600"},
		at(13): {"M0 Load Gull white, then resume"}})
	p := fmt.Sprint("/prints/", c.Upload([]byte(hand), "by-hand.gcode"))
	c.Page(t, p, "In the file already", "Take all over")
	c.Steps(t, []webtest.Step{
		{p + "/takeover", []string{"all", "1"}, 200, "Taken over: 3 stops"},
		{p + "/takeover", []string{"all", "1"}, 409, "o stop of the file is left"},
	})
	c.Page(t, p, "Put in the magnet", "Gull white", "before layer 5", "before layer 9",
		"before layer 13")
	c.Page(t, p+"/proof", "Same plastic", "Muted: lines")
	c.Steps(t, []webtest.Step{{p + "/undo", nil, 200, "Take all over"}})
}

// TestTakeMany takes all stops of a file over that has more of them than the margin lists.
func TestTakeMany(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, truth := demo.Slice(demo.HarbourWall(0.3), demo.DialectNamed("plain"))
	hand := map[int][]string{}
	for n := 5; n < 65; n++ {
		hand[int(truth.Layers[n-1].First)-2] = []string{"M0"}
	}
	p := fmt.Sprint("/prints/", c.Upload([]byte(webtest.SlicesAt(strings.Split(string(file), "\n"),
		hand)),
		"many.gcode"))
	c.Page(t, p, "and 20 more")
	c.Steps(t, []webtest.Step{
		{p + "/takeover", []string{"all", "1"}, 200, "Taken over: 60 stops"},
		{p + "/takeover", []string{"all", "1"}, 409, "o stop of the file is left"},
	})
}

// TestTakeWithItsWays takes over a stop together with the lines that somebody wrote for it, and
// one that has to leave some of them.
func TestTakeWithItsWays(t *testing.T) {
	c := webtest.New(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	text := strings.Split(string(file), "\n")
	at := func(n int) int { return int(truth.Layers[n-1].First) - 2 }
	hand := webtest.SlicesAt(text, map[int][]string{
		at(5):     {"M117 Put in the magnet", "G91", "G1 Z20", "G90", "M0", "G91", "G1 Z-20", "G90"},
		at(9):     {"G4 S120 ; let it cool"},
		at(7) + 3: {"M0 in the middle"},
		at(13):    {"T1"}})
	p := fmt.Sprint("/prints/", c.Upload([]byte(hand), "by-hand.gcode"))
	c.Page(t, p, "Put in the magnet", "let it cool", "waits 2 min, then goes on by itself",
		"in the middle", "inside 7",
		"A colour change, if your printer stops there")
	line := func(n, k int) string { return fmt.Sprint(at(n) + k) }
	take := func(l string) []string { return []string{"from", l, "to", l} }
	c.Steps(t, []webtest.Step{
		{p + "/takeover", take(line(5, 5)), 200, "written for it, are left out with it"},
		{p + "/takeover", take(line(9, 10)), 200, "G4 S120"},
		{p + "/takeover", take(line(13, 11)), 200, "T1 stays in the file"},
		{p + "/takeover", []string{"all", "1"}, 200, "Taken over: 1 stop of the file is an ear now"},
		{p + "/takeover", []string{"all", "1"}, 409, "o stop of the file is left"},
	})
	c.Page(t, p+"/proof", "Same plastic", fmt.Sprintf("Muted: lines %s to %s",
		figures.Count(int64(at(5)+1)), figures.Count(int64(at(5)+8))))
}
