package second

import (
	"context"
	"errors"
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/core/proof"
)

const original = "M82\nM109 S210\nG1 Z.2 F600\nG1 X10 E1 F1500\nG1 X20 E2\nG1 E1.2 F2100\nG1 " +
	"Z.4\nG1 E2\nG1 X30 E3 F1500\n"

// box is what the original lays.
var box = [4]gcode.Nano{0, 0, 40 * gcode.MM, gcode.MM}

func compare(t *testing.T, edited string) Verdict {
	t.Helper()
	return compareAs(t, edited, Options{})
}

func compareAs(t *testing.T, edited string, opt Options) Verdict {
	t.Helper()
	opt.Box = box
	v, err := Compare(context.Background(), strings.NewReader(original), strings.NewReader(edited),
		opt)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestSame(t *testing.T) {
	for name, edited := range map[string]string{
		"untouched": original,
		"a stop": strings.Replace(original, "G1 Z.4\n",
			"M83\nG1 E-1\nG1 Z9\nM0\nG1 Z.2\nG1 E1\nM82\nG92 E1.2\nG1 F2100\nG1 Z.4\n", 1),
		"a purge": strings.Replace(original, "G1 Z.4\n",
			"G0 X90\nG92 E0\nG1 E20.8\nG1 E20\nG92 E1.2\nG0 X20\nG1 Z.4\n", 1),
		"other text": strings.ReplaceAll(original, "G1 X10", "G1   X10.000"),
		"hotter":     strings.Replace(original, "G1 Z.4\n", "M104 S220\nG1 Z.4\n", 1),
	} {
		v := compare(t, edited)
		if !v.Same || v.Moves != 3 {
			t.Errorf("%s: %+v %+v", name, v, v.First)
		}
		if name == "hotter" && v.Heats != 1 {
			t.Errorf("%s: %d moves at another temperature", name, v.Heats)
		}
		if name == "a stop" && v.StopsNew != 1 {
			t.Errorf("%s: %d new stops", name, v.StopsNew)
		}
	}
}

func TestNotSame(t *testing.T) {
	for _, c := range []struct{ name, old, new, want string }{
		{"a blob", "G1 Z.4\n", "G92 E0\nG1 Z.4\n", "pushed out over the part"},
		{"axis jumps", "G1 X30 E3", "G92 E1\nG1 X30 E3", "another amount"},
		{"one nanometre", "X30", "X30.000001", "somewhere else"},
		{"starts elsewhere", "G1 Z.4\n", "G1 Z.4\nG1 Y1\n", "begins somewhere else"},
		{"height", "Z.4", "Z.5", "begins somewhere else"},
		{"speed", "E3 F1500", "E3 F1400", "another speed"},
		{"fan", "G1 Z.4\n", "M106 S9\nG1 Z.4\n", "fan"},
		{"flow", "G1 Z.4\n", "M221 S90\nG1 Z.4\n", "flow"},
		{"setting", "G1 Z.4\n", "M204 S90\nG1 Z.4\n", "lasting setting"},
		{"tool", "G1 Z.4\n", "T1\nG1 Z.4\n", "another tool"},
		{"cold", "G1 Z.4\n", "M104 S0\nM104 S210\nG1 Z.4\n", "waited"},
		{"shorter", "G1 X30 E3 F1500\n", "", "ends before"},
		{"longer", "E3 F1500\n", "E3 F1500\nG1 X40 E4\n", "lays more"},
	} {
		t.Run(c.name, func(t *testing.T) {
			edited := strings.Replace(original, c.old, c.new, 1)
			v := compare(t, edited)
			if v.Same || v.First == nil || !strings.Contains(v.First.What, c.want) {
				t.Errorf("%+v %+v", v, v.First)
			}
		})
	}
}

// TestOnPurpose lets pass what is said to be on purpose, and that alone.
func TestOnPurpose(t *testing.T) {
	without := strings.Replace(original, "G1 X20 E2\n", "G0 X20\nG92 E2\n", 1)
	again := strings.Replace(original, "G1 E1.2 F2100\n",
		"G1 X10 E2.5\nG0 X20\nG92 E2\nG1 E1.2 F2100\n", 1)
	// The last move, on line 10 of the edited file, in another state.
	state := func(line string) string {
		return strings.Replace(original, "G1 E2\n", "G1 E2\n"+line+"\n", 1)
	}
	last := func(o proof.Otherwise) Options {
		o.Lines = [2]int64{10, 10}
		return Options{Changed: []proof.Otherwise{{Lines: [2]int64{1, 2}, Heat: true}, o}}
	}
	for name, c := range map[string]struct {
		edited string
		opt    Options
		first  string // of what is found; "" for nothing
	}{
		"left out":         {without, Options{Muted: [][2]int64{{5, 5}}}, ""},
		"another left out": {without, Options{Muted: [][2]int64{{4, 4}}}, "somewhere else"},
		"once more":        {again, Options{Again: [][2]int64{{6, 6}}}, ""},
		"not that one":     {again, Options{Again: [][2]int64{{7, 7}}}, "somewhere else"},
		"fan":              {state("M106 S9"), last(proof.Otherwise{Fan: true}), ""},
		"fan, not speed":   {state("M106 S9"), last(proof.Otherwise{Speed: true}), "fan"},
		"speed":            {state("M220 S80"), last(proof.Otherwise{Speed: true}), ""},
		"speed, not flow":  {state("M220 S80"), last(proof.Otherwise{Flow: true}), "another speed"},
		"flow":             {state("M221 S90"), last(proof.Otherwise{Flow: true}), ""},
		"flow, not heat":   {state("M221 S90"), last(proof.Otherwise{Heat: true}), "flow"},
		"eased":            {state("M220 S80\nM221 S90"), Options{Eased: true}, ""},
		"eased, but fan":   {state("M106 S9"), Options{Eased: true}, "fan"},
	} {
		t.Run(name, func(t *testing.T) {
			v := compareAs(t, c.edited, c.opt)
			if v.Same != (c.first == "") || v.First != nil && !strings.Contains(v.First.What, c.first) {
				t.Errorf("%+v %+v", v, v.First)
			}
		})
	}
}

// TestPickup compares what goes on from a line of the original, lifted, behind an opening.
func TestPickup(t *testing.T) {
	opening := "M82\nM109 S210\nG0 X80\nG1 E5\nG1 E4.2\nG92 E1.2\nG1 Z.9\nG0 X20\nG1 F2100\n"
	const rest = "G1 E2\nG1 X30 E3 F1500\n"
	lifted := Options{Start: 8, Opening: 9, Shift: [3]gcode.Nano{0, 0, gcode.MM / 2}}
	for name, c := range map[string]struct {
		edited string
		first  string
	}{
		"goes on":            {opening + rest, ""},
		"lays on the part":   {strings.Replace(opening, "X80", "X30", 1) + rest, "opening"},
		"lifted by too much": {strings.Replace(opening, "Z.9", "Z1", 1) + rest, "begins"},
	} {
		t.Run(name, func(t *testing.T) {
			v := compareAs(t, c.edited, lifted)
			if v.Same != (c.first == "") || v.First != nil && !strings.Contains(v.First.What, c.first) {
				t.Errorf("%+v %+v", v, v.First)
			}
		})
	}
}

// TestThrough goes on behind differences of state and notes the first of each kind; a temperature
// alone makes no other print, and one of place ends it.
func TestThrough(t *testing.T) {
	edited := strings.Replace(original, "G1 X10 E1 F1500\nG1 X20 E2\n",
		"M106 S9\nM104 S215\nG1 X10 E1 F1500\nM220 S80\nG1 X20 E2\n", 1)
	v := compareAs(t, edited, Options{Through: true})
	var codes []string
	for _, d := range v.States {
		codes = append(codes, d.Code)
	}
	want := "fan-not-restored"
	if v.Same || !v.Differs || v.Moves != 3 || v.First == nil || v.First.Code != want ||
		codes[0] != want {
		t.Errorf("%v %+v", codes, v)
	}
	hotter := strings.Replace(original, "G1 X20", "M104 S215\nG1 X20", 1)
	if v := compareAs(t, hotter, Options{Through: true}); !v.Same || len(v.States) != 1 ||
		v.States[0].Code != "temperature-not-restored" || v.States[0].Lines != [2]int64{5, 6} {
		t.Errorf("hotter: %+v", v)
	}
	off := strings.Replace(edited, "X30", "X31", 1)
	if v := compareAs(t, off, Options{Through: true}); v.Same || v.First == nil ||
		v.First.Code != "position-not-restored" {
		t.Errorf("off: %+v", v)
	}
}

// TestGivenUp ends when nobody waits any more.
func TestGivenUp(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Compare(ctx, strings.NewReader(original), strings.NewReader(original), Options{})
	if !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
}
