package routine_test

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/routine"
)

func compile(t *testing.T, f string, e plan.Ear, change func(*plan.Plan)) ([]routine.Line,
	[]finding.Finding) {
	t.Helper()
	src := strings.NewReader(f)
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{e}}
	if change != nil {
		change(p)
	}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	res, err := apply.Plan(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	return res.Blocks[0].Lines, res.Findings
}

func texts(l []routine.Line) string {
	var s []string
	for _, x := range l {
		if strings.HasPrefix(x.Text, "; dogear > ") || strings.HasPrefix(x.Text, "; dogear seal ") {
			continue // looked at by TestTakeOut
		}
		t, _, _ := strings.Cut(x.Text, " ; ")
		s = append(s, t)
	}
	return strings.Join(s, "\n")
}

func routineJSON(t *testing.T, steps ...plan.Step) json.RawMessage {
	t.Helper()
	j, err := json.Marshal(append(steps, plan.Step{Do: "return"}, plan.Step{Do: "restore"}))
	if err != nil {
		t.Fatal(err)
	}
	return j
}

func TestSwapByHand(t *testing.T) {
	got, finds := compile(t, applytest.File, plan.Ear{ID: "a1", BeforeLayer: 2, Kind: plan.Colour,
		Filament: "white"}, nil)
	want := `; dogear ear a1: white before layer 2
M83
M300 S880 P200
G4 P150
M300 S880 P200
G4 P150
M300 S880 P200
G1 E-1.2 F2100
G1 Z10.2 F600
G1 X5 Y46 F7200
M0 Load white, then resume
G1 E30 F240
G1 E-2 F2100
G1 X50 Y51 F7200
G1 Z0.2 F600
G1 E1.2 F2100
G1 F2100
M82
G92 E0.2
; dogear ear a1 ends`
	if texts(got) != want || len(finds) != 1 || finds[0].Code != "unknown-filament" {
		t.Errorf("got\n%s\n%v", texts(got), finds)
	}
}

// TestPutBack changes everything a routine can change and looks at what is
// written to put it back.
func TestPutBack(t *testing.T) {
	ear := plan.Ear{ID: "x", BeforeLayer: 2, Kind: plan.Own, Routine: routineJSON(t,
		plan.Step{Do: "lines", Lines: []string{"M106 S0", "M104 S180", "G91", "M82", "G1 X5", "M204 S100",
			"M220 S50", "T1"}})}
	got, finds := compile(t, applytest.File, ear, nil)
	all := texts(got)
	for _, want := range []string{"\nG90\n", "\nT0\n", "\nM109 S210\n", "\nM106 S128\n",
		"\nM204 S900\n", "\nM220 S100\n", "\nG1 F2100\n", "\nM82\nG92 E0.2\n"} {
		if !strings.Contains(all, want) {
			t.Errorf("%q is not put back:\n%s", want, all)
		}
	}
	for _, f := range finds {
		if f.Level == finding.Stop {
			t.Error(f)
		}
	}
}

func TestFindings(t *testing.T) {
	low := func(p *plan.Plan) { p.Printer = &plan.Printer{Bed: [4]float64{0, 0, 220, 220}, Top: 0.2} }
	over := func(p *plan.Plan) {
		p.Printer = &plan.Printer{Bed: [4]float64{0, 0, 220, 220}, Top: 250, Park: [2]float64{55, 51}}
	}
	for _, c := range []struct {
		name   string
		ear    plan.Ear
		change func(*plan.Plan)
		want   string
	}{
		{"homing", plan.Ear{BeforeLayer: 2, Kind: plan.Own, Lines: []string{"G28"}}, nil,
			"stop homes-onto-part"},
		{"motors", plan.Ear{BeforeLayer: 2, Kind: plan.Own, Lines: []string{"M84"}}, nil,
			"stop position-not-restored"},
		{"no room", plan.Ear{BeforeLayer: 2, Kind: plan.Colour}, low, "care lift-too-low"},
		{"no way", plan.Ear{BeforeLayer: 2, Kind: plan.Colour}, low, "stop drag"},
		{"park over the part", plan.Ear{BeforeLayer: 2, Kind: plan.Colour}, over, "note park-moved"},
		{"setting of one's own", plan.Ear{BeforeLayer: 2, Kind: plan.Own, Lines: []string{"M205 X3"}},
			nil, "care mode-not-restored"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, finds := compile(t, applytest.File, c.ear, c.change)
			var got []string
			for _, f := range finds {
				got = append(got, string(f.Level)+" "+f.Code)
			}
			if !strings.Contains(strings.Join(got, ", "), c.want) {
				t.Errorf("%v, want %s", got, c.want)
			}
		})
	}
}

// TestNothingEscapes tries to smuggle lines and comments in through texts.
func TestNothingEscapes(t *testing.T) {
	got, _ := compile(t, applytest.File, plan.Ear{ID: "a", BeforeLayer: 2, Kind: plan.Insert,
		Note: "nuts\nG28 ; home\r\nM84"}, nil)
	for _, l := range got {
		if strings.ContainsAny(l.Text, "\r\n") || strings.HasPrefix(l.Text, "G28") ||
			strings.HasPrefix(l.Text, "M84") {
			t.Errorf("%q", l.Text)
		}
	}
}

func ExampleCompile() {
	p := &plan.Plan{Format: plan.Format,
		Ears: []plan.Ear{{ID: "a1", BeforeLayer: 9, Kind: plan.Colour, Stop: "M600"}}}
	if err := p.Check(); err != nil {
		panic(err)
	}
	at := gcode.State{RelE: true, ESet: true, Feed: 1800 * gcode.MM, Top: 2 * gcode.MM}
	lines, _, err := routine.Compile(routine.Fold{Layer: 9, At: at}, [4]gcode.Nano{}, p, &p.Ears[0],
		routine.Style{Plain: true})
	for _, l := range lines {
		fmt.Println(l.Text)
	}
	fmt.Println(err)
	// Output:
	// ; dogear ear a1: stop before layer 9
	// M300 S880 P200
	// G4 P150
	// M300 S880 P200
	// G4 P150
	// M300 S880 P200
	// M117 Load the next filament, then resume
	// M600
	// G1 F1800
	// ; dogear seal 9847a5a8
	// ; dogear ear a1 ends
	// <nil>
}

// TestForesee looks at what is said before anything runs.
func TestForesee(t *testing.T) {
	timed := func(s float64) json.RawMessage {
		return routineJSON(t, plan.Step{Do: "lift", MM: 5}, plan.Step{Do: "park"},
			plan.Step{Do: "wait", Seconds: s}, plan.Step{Do: "purge", MM: 20})
	}
	printer := func(pr plan.Printer) func(*plan.Plan) { return func(p *plan.Plan) { p.Printer = &pr } }
	bed := [4]float64{0, 0, 220, 220}
	for name, c := range map[string]struct {
		ear    plan.Ear
		change func(*plan.Plan)
		want   string // codes
	}{
		"enough time":        {plan.Ear{Kind: plan.Colour, Routine: timed(90)}, nil, ""},
		"too short":          {plan.Ear{Kind: plan.Colour, Routine: timed(20)}, nil, "window-too-short"},
		"too short a word":   {plan.Ear{Kind: plan.Colour, Stop: "G4 S10"}, nil, "window-too-short"},
		"long enough a word": {plan.Ear{Kind: plan.Colour, Stop: "G4 P90000"}, nil, ""},
		"only a tone": {plan.Ear{Kind: plan.Insert, Routine: json.RawMessage(
			`"sound only"`)}, nil, ""},
		"unknown word": {plan.Ear{Kind: plan.Insert, Stop: "M601"}, nil, "unknown-command"},
		"the printer's word": {plan.Ear{Kind: plan.Insert}, printer(
			plan.Printer{Bed: bed, Stop: map[string]string{"insert": "M601"}}), ""},
		"a word it knows": {plan.Ear{Kind: plan.Insert, Stop: "pause_now X1"}, printer(
			plan.Printer{Bed: bed, Knows: []string{"PAUSE_NOW"}}), ""},
		"a host's word": {plan.Ear{Kind: plan.Insert, Stop: "@wait"}, nil, ""},
		"it stays on the bit": {plan.Ear{Kind: plan.Insert, Routine: json.RawMessage(
			`"printer does it all"`)}, nil, ""},
	} {
		t.Run(name, func(t *testing.T) {
			c.ear.ID, c.ear.BeforeLayer = "a", 2
			_, finds := compile(t, applytest.File, c.ear, c.change)
			var got []string
			for _, f := range finds {
				got = append(got, f.Code)
			}
			if strings.Join(got, " ") != c.want {
				t.Errorf("%v", finds)
			}
		})
	}
}

// TestSilentAndBlank leaves out what a printer cannot do.
func TestSilentAndBlank(t *testing.T) {
	got, _ := compile(t, applytest.File, plan.Ear{ID: "a", BeforeLayer: 2, Kind: plan.Colour},
		func(p *plan.Plan) {
			p.Printer = &plan.Printer{Bed: [4]float64{0, 0, 220, 220}, Silent: true, Blank: true}
		})
	all := texts(got)
	if strings.Contains(all, "M300") || strings.Contains(all, "M117") ||
		!strings.Contains(all, "\nM0\n") || !strings.Contains(all, "\n; Load the next filament") {
		t.Error(all)
	}
}

func TestWait(t *testing.T) {
	got, _ := compile(t, applytest.File, plan.Ear{ID: "a", BeforeLayer: 2, Kind: plan.Own,
		Routine: routineJSON(t, plan.Step{Do: "wait", Seconds: 60, Warn: 10})}, nil)
	if all := texts(got); !strings.Contains(all, "G4 S50\nM300 S880 P200\nG4 S10\n") {
		t.Error(all)
	}
	sum := 0.0
	for _, l := range got {
		sum += l.Seconds
	}
	if sum < 60 || sum > 61 {
		t.Errorf("it takes %v s", sum)
	}
}

// TestNamedPlace parks where the printer says a name is.
func TestNamedPlace(t *testing.T) {
	for place, want := range map[string]string{"brush": "X200 Y7", "shelf": "X5 Y210"} {
		got, _ := compile(t, applytest.File, plan.Ear{ID: "a", BeforeLayer: 2, Kind: plan.Insert,
			Routine: routineJSON(t, plan.Step{Do: "lift", MM: 5}, plan.Step{Do: "park", At: place})},
			func(p *plan.Plan) {
				p.Printer = &plan.Printer{Bed: [4]float64{0, 0, 220, 220}, Park: [2]float64{5, 210},
					Places: map[string][2]float64{"brush": {200, 7}}}
			})
		if all := texts(got); !strings.Contains(all, want) {
			t.Errorf("%s: %s", place, all)
		}
	}
}

// TestStopWordForms checks that a printer which does it all is known by its first word, and
// that a timed stop says that it goes on by itself, with a tone before its end.
func TestStopWordForms(t *testing.T) {
	for word, c := range map[string]struct{ has, not []string }{
		"M600 B3": {[]string{"\nM600 B3\n"}, []string{"\nG1 X5 Y46", "\nG1 E30"}},
		"m600":    {[]string{"\nm600\n"}, []string{"\nG1 X5 Y46", "\nG1 E30"}},
		"M0 S60":  {[]string{"60 s, then it goes on by itself", "\nM0 S60\n"}, []string{"\nG4 S"}},
		"G4 S120": {[]string{"then it goes on by itself", "\nG4 S110\nM300 S880 P200\nG4 S10\n",
			"\nG1 X5 Y46"}, []string{"\nG4 S120\n"}},
	} {
		t.Run(word, func(t *testing.T) {
			got, _ := compile(t, applytest.File, plan.Ear{ID: "a1", BeforeLayer: 2, Kind: plan.Colour,
				Stop: word}, nil)
			text := texts(got)
			for _, w := range c.has {
				if !strings.Contains(text, w) {
					t.Errorf("%q is not in\n%s", w, text)
				}
			}
			for _, w := range c.not {
				if strings.Contains(text, w) {
					t.Errorf("%q is in\n%s", w, text)
				}
			}
		})
	}
}
