package web

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/archive"
	"dogear/core/plan"
	"dogear/demo"
)

// TestKindSaid tells from the words before a stop what it is there for.
func TestKindSaid(t *testing.T) {
	for _, c := range []struct{ text, word, want string }{
		{"", "M0", plan.Insert}, {"", "M600", plan.Colour}, {"Load Gull white", "M0", plan.Colour},
		{"change color now", "M25", plan.Colour}, {"Put in two nuts", "M600", plan.Insert},
		{"MAGNET, pole up", "M0", plan.Insert}, {"low water", "PAUSE", plan.Colour},
	} {
		if got := kindSaid(c.text, c.word); got != c.want {
			t.Errorf("%q %s: %s, want %s", c.text, c.word, got, c.want)
		}
	}
}

// TestTakeAllOver makes ears of all stops that somebody wrote into a file by hand, each of the
// kind and with the words that stand there.
func TestTakeAllOver(t *testing.T) {
	c := newClient(t, archive.Limits{})
	file, truth := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
	text := strings.Split(string(file), "\n")
	at := func(n int) int { return int(truth.Layers[n-1].First) - 2 }
	hand := slicesAt(text, map[int][]string{
		at(5): {"M117 Put in the magnet", "M0"}, at(9): {"M600"},
		at(13): {"M0 Load Gull white, then resume"}})
	p := fmt.Sprint("/prints/", c.upload([]byte(hand), "by-hand.gcode"))
	c.page(t, p, "In the file already", "Take all over")
	c.steps(t, []step{
		{p + "/takeover", []string{"all", "1"}, 200, "Taken over: 3 stops"},
		{p + "/takeover", []string{"all", "1"}, 409, "o stop of the file is left"},
	})
	c.page(t, p, "Put in the magnet", "Gull white", "before layer 5", "before layer 9",
		"before layer 13")
	c.page(t, p+"/proof", "Same plastic", "Muted: lines")
	c.steps(t, []step{{p + "/undo", nil, 200, "Take all over"}})
}

// slicesAt puts lines in front of some lines of a text.
func slicesAt(text []string, put map[int][]string) string {
	var out []string
	for i, l := range text {
		out = append(append(out, put[i]...), l)
	}
	return strings.Join(out, "\n")
}
