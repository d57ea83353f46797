package routine_test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/plan"
)

// The rules of docs/safety.md, each looked at in the lines that are written.

func asJSON(s ...plan.Step) json.RawMessage {
	j, _ := json.Marshal(append(s, plan.Step{Do: "return"}, plan.Step{Do: "restore"}))
	return j
}

// swapped are the steps of a filament change with a nozzle that is cooled meanwhile.
func swapped(cool float64) json.RawMessage {
	s := []plan.Step{{Do: "retract", MM: 2}, {Do: "lift", MM: 10}, {Do: "park"},
		{Do: "unload", MM: 40}}
	if cool > 0 {
		s = append(s, plan.Step{Do: "cool", Celsius: cool})
	}
	return asJSON(append(s, plan.Step{Do: "stop"}, plan.Step{Do: "heat", Wait: true},
		plan.Step{Do: "load", MM: 40}, plan.Step{Do: "purge", MM: 20})...)
}

// TestHeatOfAChange draws the old filament out at its heat, feeds and purges at the
// hotter of both, goes to the new one's heat where the head is parked, and comes back.
func TestHeatOfAChange(t *testing.T) {
	fils := map[string]plan.Filament{"hot": {Name: "Kelp", Nozzle: [2]float64{250, 250}},
		"cool": {Name: "Brass sand", Nozzle: [2]float64{190, 190}}}
	for _, c := range []struct {
		filament string
		cool     float64
		order    []string
	}{
		{"hot", 0, []string{"G1 E-40", "\nM0", "M109 S250", "G1 E40", "G1 E20", "G1 X65", "G1 Z"}},
		{"hot", 150, []string{"G1 E-40", "M104 S150", "\nM0", "M109 S250", "G1 E40", "G1 E20", "G1 X65"}},
		{"cool", 0, []string{"G1 E-40", "\nM0", "G1 E40", "G1 E20", "M109 R190", "G1 X65", "G1 Z"}},
		{"cool", 150, []string{"G1 E-40", "M104 S150", "\nM0", "M109 S205", "G1 E40", "G1 E20",
			"M109 R190", "G1 X65"}},
	} {
		t.Run(c.filament, func(t *testing.T) {
			_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, Filaments: fils,
				Ears: []plan.Ear{{ID: "a", BeforeLayer: 5, Kind: plan.Colour, Filament: c.filament,
					Routine: swapped(c.cool)}}})
			got := applytest.Block(out, "a")
			if !applytest.InOrder(got, c.order...) {
				t.Errorf("cooled to %g:\n%s\nwant in this order %q", c.cool, got, c.order)
			}
			before, _, _ := strings.Cut(got, "\nM0")
			if c.cool > 0 && !strings.HasSuffix(before, "M104 S150") || c.cool == 0 &&
				strings.Contains(before, "M10") {
				t.Errorf("the heat does not stay until the person goes on:\n%s", got)
			}
		})
	}
}

// TestPrinterDoesItAll tells the heat before the word, and waits for nothing on the part.
func TestPrinterDoesItAll(t *testing.T) {
	fils := map[string]plan.Filament{"hot": {Name: "Kelp", Nozzle: [2]float64{250, 250}}}
	for _, word := range []string{"M600", "M601", "PAUSE"} {
		_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, Filaments: fils,
			Ears: []plan.Ear{{ID: "a", BeforeLayer: 5, Kind: plan.Colour, Filament: "hot", Stop: word}}})
		if got := applytest.Block(out, "a"); !applytest.InOrder(got, "M104 S250", word) ||
			strings.Contains(got, "M109") {
			t.Errorf("%s:\n%s", word, got)
		}
	}
}

// TestPrinterDrawsOut keeps the nozzle hot for a printer that changes the filament by
// itself: the old one out, the new one through, at the hotter of both.
func TestPrinterDrawsOut(t *testing.T) {
	fils := map[string]plan.Filament{"cool": {Name: "Drift", Nozzle: [2]float64{185, 185}}}
	cooled := asJSON(plan.Step{Do: "cool", Celsius: 90, Wait: true}, plan.Step{Do: "stop"})
	for name, c := range map[string]struct {
		ear  plan.Ear
		want []string
		not  string
	}{
		"a cooler filament": {plan.Ear{Filament: "cool"}, []string{"M600", "M104 S185"}, "M109"},
		"cooled first":      {plan.Ear{Routine: cooled}, []string{"M109 R90", "M104 S205", "M600"}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			c.ear.ID, c.ear.BeforeLayer, c.ear.Kind, c.ear.Stop = "a", 5, plan.Colour, "M600"
			_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, Filaments: fils,
				Ears: []plan.Ear{c.ear}})
			got := applytest.Block(out, "a")
			before, _, _ := strings.Cut(got, "M600")
			if !applytest.InOrder(got, c.want...) || strings.Contains(before, "M104 S185") ||
				c.not != "" && strings.Contains(got, c.not) {
				t.Errorf("%s:\n%s", name, got)
			}
		})
	}
}

// TestNothingWaitsOnThePart lifts the head before anything that takes time.
func TestNothingWaitsOnThePart(t *testing.T) {
	for name, e := range map[string]plan.Ear{
		"a stop": {Kind: plan.Insert, Routine: asJSON(plan.Step{Do: "stop"})},
		"a wait": {Kind: plan.Insert, Routine: asJSON(plan.Step{Do: "wait", Seconds: 60})},
		"a heater": {Kind: plan.Insert, Routine: asJSON(plan.Step{Do: "cool", Celsius: 180,
			Wait: true})},
		"own stop":     {Kind: plan.Own, Lines: []string{"M0 look"}},
		"own wait":     {Kind: plan.Own, Lines: []string{"G4 S30"}},
		"own heater":   {Kind: plan.Own, Lines: []string{"M109 S180"}},
		"what is left": {Kind: plan.Own, Lines: []string{"M104 S150"}},
		"does it all": {Kind: plan.Insert, Stop: "M600", Routine: asJSON(plan.Step{Do: "wait",
			Seconds: 60}, plan.Step{Do: "stop"})},
		"parks at once": {Kind: plan.Insert, Routine: asJSON(plan.Step{Do: "park"},
			plan.Step{Do: "stop"})},
	} {
		e.ID, e.BeforeLayer = "a", 5
		res, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format,
			Ears: []plan.Ear{e}})
		if got := applytest.Block(out, "a"); !applytest.InOrder(got, "G1 Z2.8", "G1 Z0.8") {
			t.Errorf("%s is waited for on the part, %v:\n%s", name, res.Findings, got)
		}
	}
	// What takes no time stays where it is.
	_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format,
		Ears: []plan.Ear{{ID: "a",
			BeforeLayer: 5, Kind: plan.Own, Lines: []string{"M117 low water"}}}})
	if got := applytest.Block(out, "a"); strings.Contains(got, "G1 Z") {
		t.Error(got)
	}
}

// TestUnknownHeat leaves the heat alone of a file that never says it.
func TestUnknownHeat(t *testing.T) {
	blind := strings.NewReplacer("M109 S215\n", "BEGIN_WORK\n", "M104 S205 ; later\n", "",
		"M104 S200\nM104 T1 S150\n", "", "M104 S0\n", "").Replace(applytest.Tall())
	for _, e := range []plan.Ear{
		{Kind: plan.Insert, Routine: json.RawMessage(`"drop many things in"`)}, {Kind: plan.Insert,
			Routine: asJSON(plan.Step{Do: "heat", Wait: true})}} {
		e.ID, e.BeforeLayer = "a", 5
		res, out := applytest.Lay(t, blind, &plan.Plan{Format: plan.Format, Ears: []plan.Ear{e}})
		if strings.Contains(out, "M104") || strings.Contains(out, "M109") ||
			!slices.ContainsFunc(res.Findings, func(f finding.Finding) bool { return f.Code == "no-heat" }) {
			t.Errorf("%s: %v\n%s", e.Kind, res.Findings, applytest.Block(out, "a"))
		}
	}
	src, ix := applytest.Reading(t, blind)
	p := &plan.Plan{Format: plan.Format, Changes: []plan.Change{{ID: "c", BeforeLayer: 3,
		UntilLayer: 5, Nozzle: 200}}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	if _, err := apply.Plan(src, ix, p, nil); err == nil || !strings.Contains(err.Error(),
		"could not put it back") {
		t.Error(err)
	}
}

// TestHeatGoesBackToItsTool names the tool when another one prints where a change ends,
// and gives muted tools their heat and filament.
func TestHeatGoesBackToItsTool(t *testing.T) {
	file := strings.Replace(applytest.Tall(), "; tier 6\n",
		"M104 T1 S210\nT1\nM109 S210\n; tier 6\n", 1)
	_, out := applytest.Lay(t, file, &plan.Plan{Format: plan.Format, Changes: []plan.Change{{ID: "c",
		BeforeLayer: 4, UntilLayer: 7, Nozzle: 230}}})
	if !strings.Contains(out, "\nM104 S230 ") || !strings.Contains(out, "\nM104 T0 S205 ") ||
		strings.Contains(out, "M104 T1 S230") {
		t.Error("the heat does not go back to its tool")
	}
	lines := strings.Split(file, "\n")
	at := int64(slices.Index(lines, "M104 T1 S210") + 1)
	_, out = applytest.Lay(t, file, &plan.Plan{Format: plan.Format, Mutes: []plan.Span{{From: at,
		To: at}}})
	if !strings.Contains(out, "\nM104 T1 S210 ; the other nozzle as it was\n") {
		t.Error("a muted heat of the other tool is not put back")
	}
}

// TestModesBehindOwnLines counts as its next step needs, whatever own lines have set.
func TestModesBehindOwnLines(t *testing.T) {
	for name, c := range map[string]struct {
		lines []string
		order []string
	}{
		"steps":  {[]string{"G91", "G1 Z10"}, []string{"G91", "G1 Z10", "G90", "M83", "G1 X5"}},
		"inches": {[]string{"G1 Z40", "G20"}, []string{"G20", "G21", "G1 X5"}},
		"the filament": {[]string{"G1 Z40", "M83", "G1 E-40", "M82"},
			[]string{"G1 E-40", "M82", "M83", "\nM0", "G1 E30", "G1 E10"}},
	} {
		t.Run(name, func(t *testing.T) {
			_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format,
				Ears: []plan.Ear{{ID: "a",
					BeforeLayer: 5, Kind: plan.Insert, Routine: asJSON(plan.Step{Do: "lines", Lines: c.lines},
						plan.Step{Do: "park"}, plan.Step{Do: "stop"}, plan.Step{Do: "purge", MM: 30})}}})
			if got := applytest.Block(out, "a"); !applytest.InOrder(got, c.order...) {
				t.Errorf("%s:\n%s\nwant in this order %q", name, got, c.order)
			}
		})
	}
	// A file that leaves the axis to G90 and G91 gets no M82 that would hold for good.
	file := strings.ReplaceAll(strings.Replace(applytest.Tall(), "M82\n", "G90\n", 1), "; tier 7\n",
		"G91\nG1 E-0.3\nG1 E0.3\nG90\n; tier 7\n")
	_, out := applytest.Lay(t, file, &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a",
		BeforeLayer: 5, Kind: plan.Colour}}})
	if got := applytest.Block(out, "a"); strings.Contains(got, "M82") || strings.Contains(got,
		"M83") ||
		!strings.Contains(got, "G92 E") {
		t.Error(got)
	}
}

// TestFilamentIsBalanced draws out no more than is fed in, and gives nothing back over
// the part.
func TestFilamentIsBalanced(t *testing.T) {
	away := []plan.Step{{Do: "retract", MM: 2}, {Do: "lift", MM: 10}, {Do: "park"}}
	for name, c := range map[string]struct {
		steps []plan.Step
		fils  map[string]plan.Filament
		order []string
	}{
		"80 out, 60 in": {[]plan.Step{
			{Do: "unload"}, {Do: "stop"}, {Do: "load"}, {Do: "purge", MM: 30}},
			map[string]plan.Filament{"old": {Unload: 80}, "new": {Load: 60}}, []string{"G1 E-60 ", "\nM0",
				"G1 E60 ", "G1 E30 ", "G1 E-2 ", "G1 X65"}},
		"400 out, 100 in": {[]plan.Step{
			{Do: "unload"}, {Do: "stop"}, {Do: "load"}, {Do: "purge", MM: 30}},
			map[string]plan.Filament{"old": {Unload: 400}, "new": {Load: 100}}, []string{"G1 E-100 ", "\nM0",
				"G1 E100 ", "G1 E30 ", "G1 E-2 ", "G1 X65"}},
		"never fed in": {[]plan.Step{{Do: "unload", MM: 70}, {Do: "stop"}},
			map[string]plan.Filament{"old": {}, "new": {}}, []string{"G1 E-70 ", "\nM0", "G1 E70 ",
				"G1 X65"}},
	} {
		t.Run(name, func(t *testing.T) {
			e := plan.Ear{ID: "a", BeforeLayer: 5, Kind: plan.Colour, Filament: "new",
				Routine: asJSON(append(slices.Clone(away), c.steps...)...)}
			_, out := applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, First: "old",
				Filaments: c.fils,
				Ears:      []plan.Ear{e}})
			got := applytest.Block(out, "a")
			if !applytest.InOrder(got, c.order...) {
				t.Errorf("%s:\n%s\nwant in this order %q", name, got, c.order)
			}
			_, back, _ := strings.Cut(got, "G1 X65")
			for l := range strings.Lines(back) {
				var cmd gcode.Command
				if cmd.Parse([]byte(l)); cmd.Has('E') && cmd.Value('E') > 3_000_000 && cmd.Is('G', 1) {
					t.Errorf("%q over the part", strings.TrimSpace(l))
				}
			}
		})
	}
}
