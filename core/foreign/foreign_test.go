package foreign_test

import (
	"bytes"
	"context"
	"fmt"
	"strings"
	"testing"

	"dogear/core/foreign"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/demo"
)

// wall is a tower of 20 by 20 mm, 12 layers high, with lines in front of some layers.
func wall(by map[int][]string) string {
	out := []string{"M140 S60", "M104 S210", "G28", "M109 S210", "M83", "G90"}
	for n := 1; n <= 12; n++ {
		out = append(out, by[n]...)
		out = append(out, fmt.Sprintf("G1 Z%.1f F600", float64(n)*0.2), "G1 X100 Y100 F6000",
			"G1 X120 Y100 E.66 F1800", "G1 X120 Y120 E.66", "G1 X100 Y120 E.66", "G1 X100 Y100 E.66")
	}
	return strings.Join(append(out, "M104 S0", ""), "\n")
}

func read(t *testing.T, text string) (*layer.Index, []foreign.Stop) {
	t.Helper()
	src := bytes.NewReader([]byte(text))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	stops, err := foreign.Read(src, ix, nil)
	if err != nil {
		t.Fatal(err)
	}
	return ix, stops
}

// TestRead reads stops of all kinds, each in front of layer 5 of a wall.
func TestRead(t *testing.T) {
	for _, c := range []struct {
		lines      string // what somebody wrote
		line       string // the stop word
		text, kind string
		sure       bool
		own, moves int // lines
	}{
		{"M0", "M0", "", plan.Insert, true, 1, 0},
		{"M0 Put the nut in", "M0", "Put the nut in", plan.Insert, true, 1, 0},
		{"M0 ; drop the magnet in", "M0", "drop the magnet in", plan.Insert, true, 1, 0},
		{"M600 B3", "M600 B3", "", plan.Colour, true, 1, 0},
		{"M117 Change to red/M300 S440 P200/M600", "M600", "Change to red", plan.Colour, true, 3, 0},
		{"M117 swap the nozzle/M25", "M25", "swap the nozzle", plan.Nozzle, true, 2, 0},
		{"G91/G1 Z20 F600/G90/G1 X5 Y5 F6000/M0", "M0", "", plan.Insert, true, 5, 0},
		{"G91/G1 Z20/G90/M0 load white/G91/G1 Z-20/G90", "M0", "load white", plan.Colour, true, 7, 0},
		{"; a nut\nG91/G1 E-3 Z20/G90/G1 X5/M226/G91/G1 E3/G90", "M226", "", plan.Insert, true, 8, 0},
		{"G1 E-3 F1800/G91/G1 Z20/G90/M0", "M0", "", plan.Insert, true, 4, 0},
		{"G91/G1 Z20 E-3/G90/M0", "M0", "", plan.Insert, true, 1, 4}, // the filament would lack
		{"G1 Z60/M117 nut/;LAYER:4/M0", "M0", "nut", plan.Insert, true, 1, 0},
		{"G4 S300 ; let it cool", "G4 S300", "let it cool", plan.Insert, false, 1, 0},
		{"G4 S5", "", "", "", false, 0, 0},
		{"COLOR_CHANGE", "COLOR_CHANGE", "", plan.Colour, false, 1, 0},
		{"@pause", "@pause", "", plan.Insert, true, 1, 0},
		{"wait_for_me", "wait_for_me", "", plan.Insert, false, 1, 0},
		{"T1", "", "", plan.Colour, false, 0, 0},
		{"M104 T0 S210/M104 T1 S210/T1", "", "", "", false, 0, 0},
		{"PRINT_STATUS A=1", "", "", "", false, 0, 0},
	} {
		t.Run(c.lines, func(t *testing.T) {
			_, stops := read(t, wall(map[int][]string{5: strings.Split(c.lines, "/")}))
			if c.kind == "" {
				if len(stops) > 0 {
					t.Errorf("%+v", stops)
				}
				return
			}
			if len(stops) != 1 {
				t.Errorf("%d stops", len(stops))
				return
			}
			s := stops[0]
			if s.Line != c.line || s.Text != c.text || s.Kind != c.kind || s.Sure != c.sure ||
				s.Before != 5 {
				t.Errorf("%+v", s)
			}
			if got := lines(s.Own); got != c.own {
				t.Errorf("%d lines belong to it: %v", got, s.Own)
			}
			if got := lines(s.Moves); got != c.moves {
				t.Errorf("%d lines move: %v", got, s.Moves)
			}
		})
	}
}

func lines(s plan.Span) int {
	if s.From == 0 {
		return 0
	}
	return int(s.To - s.From + 1)
}

// TestOwn takes stops that were written by hand into files of all dialects out again by what
// belongs to them: what is left is the file that the slicer wrote, line by line.
func TestOwn(t *testing.T) {
	hands := [][]string{{"M0"}, {"M117 Put the nut in", "M300 S440 P200", "M0"},
		{"G91", "G1 Z15 F600", "G90", "G1 X2 Y2 F6000", "M0 load Gull white"}}
	taken := 0
	for _, d := range demo.Dialects() {
		file, truth := demo.Slice(demo.TideGauge(), d)
		was := strings.Split(string(file), "\n")
		for k, hand := range hands {
			at := int(truth.Layers[9].First) - 1 // in front of the line with the first laying move
			var text []string
			text = append(append(append(text, was[:at]...), hand...), was[at:]...)
			_, stops := read(t, strings.Join(text, "\n"))
			if len(stops) != 1 {
				t.Errorf("%s: %d stops", d.Name, len(stops))
				continue
			}
			own := stops[0].Own
			if own.From <= int64(at) || own.To > int64(at+len(hand)) {
				t.Errorf("%s, %d: lines %v belong to the stop, %v were written", d.Name, k, own,
					[]int{at + 1, at + len(hand)})
			}
			if lines(own) == len(hand) {
				taken++
			} else if stops[0].Moves.From == 0 {
				t.Errorf("%s, %d: %v of %d lines belong to it, and nobody says so", d.Name, k, own,
					len(hand))
			}
		}
	}
	if taken < len(hands)*len(demo.Dialects())/2 {
		t.Error("only", taken, "were taken whole")
	}
}

// TestManyTools lists no changes of the tool where there are so many that the printer does them.
func TestManyTools(t *testing.T) {
	for _, each := range []int{1, 3} {
		by := map[int][]string{}
		for n := 2; n <= 12; n++ {
			for k := range each {
				by[n] = append(by[n], fmt.Sprintf("T%d", (n*each+k)%2))
			}
		}
		_, stops := read(t, wall(by))
		if want := map[int]int{1: 10, 3: 0}[each]; len(stops) != want {
			t.Errorf("%d a layer: %d stops, want %d", each, len(stops), want)
		}
	}
}

// TestSeveral reads several stops before one layer, and inside one, each with what is its own.
func TestSeveral(t *testing.T) {
	long := strings.Split(strings.Repeat("; nothing\n", 300), "\n")
	text := wall(map[int][]string{
		4:  {"M117 nut", "M0", "M117 load red", "M600"},
		6:  append(append([]string{"M0 first"}, long...), "M117 second", "M25"),
		12: {"G1 Z2.4", "G1 X100 Y100", "G1 X110 Y100 E.33 F1800", "M0 last", "G1 X120 E.33"},
		8:  {"G1 Z1.6", "G1 X100 Y100", "G1 X110 Y100 E.33 F1800", "M0 inside", "G1 X120 E.33"}})
	_, stops := read(t, text)
	var got []string
	for _, s := range stops {
		where := "before"
		if s.Inside {
			where = "inside"
		}
		got = append(got, fmt.Sprintf("%s %d %s %s %d", where, s.Layer, s.Word, s.Text, lines(s.Own)))
	}
	want := []string{"before 4 M0 nut 2", "before 4 M600 load red 2", "before 6 M0 first 1",
		"before 6 M25 second 2", "inside 8 M0 inside 1", "inside 12 M0 last 1"}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}
