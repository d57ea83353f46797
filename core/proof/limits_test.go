package proof

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/plan"
)

// checked examines a quay with lines put in where a course begins, for a printer.
func checked(t *testing.T, course6 int, pr *plan.Printer, lines ...string) *Report {
	t.Helper()
	file := quay(true)
	from, _ := course(file, course6)
	src := strings.NewReader(text(file))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	r, err := Check(context.Background(), &Work{Src: src, Ix: ix, Printer: pr, Edits: []edit.Edit{{
		Offset: int64(len(text(file[:from]))), Text: []byte(text(lines))}}})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// levelOf is the gravest level of a code in a report.
func levelOf(r *Report, code string) finding.Level {
	var out finding.Level
	for _, f := range r.Findings {
		if f.Code == code && f.Level.Compare(out) > 0 {
			out = f.Level
		}
	}
	return out
}

// aside lifts the head and takes it away from the part, and brings it back.
func aside(lines ...string) []string {
	out := append([]string{"G1 E-2 F2100", "G1 Z30 F600", "G0 X10 Y100 F6000"}, lines...)
	return append(out, "G0 X50 Y50 F6000", "G1 Z1 F600", "G1 E2 F2100", "G1 F1500")
}

// TestHeatLimits tries each limit of heat on both of its sides.
func TestHeatLimits(t *testing.T) {
	cool := &plan.Printer{Bed: [4]float64{0, 0, 220, 220}, Top: 250, Hottest: 240}
	for name, c := range map[string]struct {
		pr    *plan.Printer
		lines []string
		code  string
		want  finding.Level
	}{
		"as hot as any printer": {nil, aside("M104 S300", "M109 S205"), "too-hot", ""},
		"hotter": {nil, aside("M104 S301", "M109 S205"),
			"too-hot", finding.Stop},
		"as hot as this printer": {cool, aside("M104 S240", "M109 S205"), "too-hot", ""},
		"hotter than this printer": {cool, aside("M104 S241", "M109 S205"),
			"too-hot", finding.Stop},
		"waits, hotter than it": {cool, aside("M109 S241", "M109 S205"),
			"too-hot", finding.Stop},
		"the bed": {nil, aside("M140 S140", "M140 S60"), "too-hot", ""},
		"the bed, hotter": {nil, aside("M140 S141", "M140 S60"),
			"too-hot", finding.Stop},
		"never reached": {nil, aside("M109 S331", "M109 S205"),
			"never-reached-temperature", finding.Stop},
		"hardly reached": {nil, aside("M109 S330", "M109 S205"),
			"never-reached-temperature", ""},
		"a bed never reached": {nil, aside("M190 S141", "M190 S60"),
			"never-reached-temperature", finding.Stop},
		"cools to a warm room": {nil, aside("M109 R35", "M109 S205"),
			"never-reached-temperature", ""},
		"cools below it": {nil, aside("M109 R34", "M109 S205"),
			"never-reached-temperature", finding.Stop},
		"waits on the part": {nil, []string{"M109 S215", "M104 S205"},
			"heats-on-part", finding.Stop},
		"waits for what is warm": {nil, []string{"M109 S205", "M109 S205"},
			"heats-on-part", ""},
		"waits for the bed on the part": {nil, []string{"M190 S70", "M140 S60"},
			"heats-on-part", finding.Stop},
		"waits aside": {nil, aside("M109 S215", "M109 S205"),
			"heats-on-part", ""},
		"switched off": {nil, aside("M104 S0", "M109 S205"),
			"no-heat", finding.Stop},
		"dwells on the part":        {nil, []string{"G4 P2100"}, "lift-too-low", finding.Stop},
		"dwells on it for a moment": {nil, []string{"G4 P2000"}, "lift-too-low", ""},
		"dwells aside":              {nil, aside("G4 P9000"), "lift-too-low", ""},
		"dwells for an hour":        {nil, aside("G4 S3600"), "long-wait", ""},
		"dwells for longer":         {nil, aside("G4 S3601"), "long-wait", finding.Stop},
		"pushes at the coldest": {nil, aside("M109 S170", "G1 E3 F200", "M109 S205"),
			"cold-extrusion", ""},
		"pushes colder than that": {nil, aside("M109 S169", "G1 E3 F200", "M109 S205"),
			"cold-extrusion", finding.Stop},
		"gives back colder than that": {nil, aside("M109 S169", "G1 E1 F200", "G1 E-1", "M109 S205"),
			"cold-extrusion", finding.Stop},
		"pushes before it is warm": {nil, aside("M109 S100", "M104 S205", "G1 E3 F200", "M109 S205"),
			"cold-extrusion", finding.Stop},
		"lets cold filament through": {nil, aside("M302 P1", "M302 P0"),
			"limits-off", finding.Stop},
		"by a heat that is too low": {nil, aside("M302 S169"), "limits-off", finding.Stop},
		"takes the limits away": {nil, aside("M211 S0", "M211 S1"),
			"limits-off", finding.Stop},
		"the limits put back":   {nil, aside("M211 S1"), "limits-off", ""},
		"the end switches":      {nil, aside("M120"), "limits-off", finding.Care},
		"the power":             {nil, aside("M80"), "machine-stopped", finding.Care},
		"the emergency stop":    {nil, aside("M112"), "machine-stopped", finding.Stop},
		"settings of the maker": {nil, aside("M502"), "settings-lost", finding.Stop},
		"drawn back over the part": {nil, []string{"G1 E-15.1 F2100", "G1 E15.1"},
			"filament-jump", finding.Stop},
		"drawn back as firmware needs": {nil, []string{"G1 E-15 F2100", "G1 E15"},
			"filament-jump", ""},
		"pushed out on the spot": {nil, []string{"G1 E0.06 F200"},
			"filament-jump", finding.Stop},
		"pushed out above the part": {nil, []string{"G1 Z9 F600", "G1 E3 F200", "G1 Z1", "G1 F1500"},
			"prime-on-part", finding.Stop},
		"below the bed": {nil, aside("G1 Z-0.03", "G1 Z30"),
			"below-bed", finding.Stop},
		"on the bed, as files are round": {nil, aside("G1 Z-0.02", "G1 Z30"), "below-bed", ""},
		"outside of the bed": {cool, aside("G0 X-0.1", "G0 X10"),
			"outside-bed", finding.Stop},
		"at its edge": {cool, aside("G0 X0", "G0 X10"), "outside-bed", ""},
		"above the top": {cool, aside("G1 Z250.1", "G1 Z30"),
			"above-top", finding.Stop},
		"at the top": {cool, aside("G1 Z250", "G1 Z30"), "above-top", ""},
	} {
		t.Run(name, func(t *testing.T) {
			if r := checked(t, 6, c.pr, c.lines...); levelOf(r, c.code) != c.want {
				t.Errorf("%q, want %q: %+v", levelOf(r, c.code), c.want, r.Findings)
			}
		})
	}
}

// TestShapeLevels lets head and gantry pass what is low enough, and stops the file where it is not.
func TestShapeLevels(t *testing.T) {
	// Two posts, one after another: the head and the gantry that hit the first stop the file.
	var out []string
	out = append(out, "M104 S210", "M109 S210", "G28", "G90", "M83")
	for _, x := range []int{50, 100} {
		out = append(out, "G1 Z30 F600", fmt.Sprintf("G0 X%d Y50 F6000", x))
		for k := 1; k <= 20; k++ {
			out = append(out, fmt.Sprintf("G1 Z%.1f F600", 0.2*float64(k)))
			for _, p := range [4][2]int{{x + 20, 50}, {x + 20, 70}, {x, 70}, {x, 50}} {
				out = append(out, fmt.Sprintf("G1 X%d Y%d E1 F1500", p[0], p[1]))
			}
		}
	}
	out = append(out, "M104 S0", "M84")
	src := strings.NewReader(text(out))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil || ix.Kind != layer.Sequential {
		t.Fatal(ix.Kind, err)
	}
	for name, c := range map[string]struct {
		head   [2]float64
		gantry float64
		want   finding.Level
	}{
		"nothing is known":        {[2]float64{}, 0, ""},
		"a gantry that is low":    {[2]float64{}, 3.7, finding.Stop},
		"a gantry that is free":   {[2]float64{}, 3.9, ""},
		"a head that is wide":     {[2]float64{35, 3.7}, 0, finding.Stop},
		"a head that is narrow":   {[2]float64{25, 3.7}, 0, ""},
		"a wide head, high up":    {[2]float64{35, 3.9}, 0, ""},
		"a gantry without a head": {[2]float64{0, 0}, 1, finding.Stop},
	} {
		t.Run(name, func(t *testing.T) {
			pr := plan.Generic()
			pr.Head, pr.Gantry = c.head, c.gantry
			x, err := Examine(context.Background(), src, ix, pr)
			if err != nil {
				t.Fatal(err)
			}
			if got := levelOf(&Report{Findings: x.Findings}, "drag"); got != c.want {
				t.Errorf("%q, want %q: %+v", got, c.want, x.Findings)
			}
		})
	}
}

// TestWords looks at words that end a print: in its middle they stop the file, behind its last
// layer they are worth a look, but for the emergency stop.
func TestWords(t *testing.T) {
	for word, behind := range map[string]finding.Level{"M81": finding.Care, "M2": finding.Care,
		"M112": finding.Stop} {
		file := quay(true)
		if got := levelOf(checked(t, 6, nil, aside(word)...), "machine-stopped"); got != finding.Stop {
			t.Errorf("%s in the middle: %q", word, got)
		}
		src := strings.NewReader(text(file))
		ix, err := layer.Read(context.Background(), src, layer.Options{})
		if err != nil {
			t.Fatal(err)
		}
		r, err := Check(context.Background(), &Work{Src: src, Ix: ix, Edits: []edit.Edit{{
			Offset: src.Size(), Text: []byte(word + "\n")}}})
		if err != nil || levelOf(r, "machine-stopped") != behind {
			t.Errorf("%s at the end: %v %+v", word, err, r.Findings)
		}
	}
	for name, c := range map[string]struct {
		lines []string
		want  finding.Level
	}{
		"waited for":     {[]string{"M109 S210"}, ""},
		"not waited for": {[]string{"M104 S210"}, finding.Care},
		"too cold":       {[]string{"M109 S160"}, finding.Stop},
	} {
		t.Run(name, func(t *testing.T) {
			file := without(without(quay(true), "M104 S210", "M109 S210"), "M104 S205")
			src := strings.NewReader(text(append(c.lines, file...)))
			ix, err := layer.Read(context.Background(), src, layer.Options{})
			if err != nil {
				t.Fatal(err)
			}
			x, err := Examine(context.Background(), src, ix, nil)
			if err != nil || levelOf(&Report{Findings: x.Findings}, "cold-extrusion") != c.want {
				t.Errorf("%v %+v", err, x.Findings)
			}
		})
	}
}
