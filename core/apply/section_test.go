package apply_test

import (
	"fmt"
	"strings"
	"testing"

	"dogear/core/apply/applytest"
	"dogear/core/gcode"
	"dogear/core/plan"
)

var spools = map[string]plan.Filament{
	"red":   {Name: "Signal red", Nozzle: [2]float64{215, 205}},
	"white": {Name: "Gull white", Nozzle: [2]float64{235, 230}},
	"plain": {Name: "Kelp"},
}

// TestTemperatures follows the nozzle through bands of filaments with
// temperatures of their own.
func TestTemperatures(t *testing.T) {
	p := &plan.Plan{Format: plan.Format, Filaments: spools, First: "red", Ears: []plan.Ear{
		{ID: "a", BeforeLayer: 2, Kind: plan.Colour, Filament: "white"},
		{ID: "b", BeforeLayer: 5, Kind: plan.Colour, Filament: "red"},
		{ID: "c", BeforeLayer: 7, Kind: plan.Colour, Filament: "white"},
		{ID: "d", BeforeLayer: 11, Kind: plan.Insert},
	}}
	res, out := applytest.Lay(t, applytest.Tall(), p)
	if len(res.Rewritten) != 2 || res.Rewritten[0].Was != "M104 S205 ; later" ||
		res.Rewritten[0].Now != "M104 S230 ; later" || res.Rewritten[1].Now != "M104 S230" {
		t.Errorf("rewritten: %+v", res.Rewritten)
	}
	want := map[int]float64{1: 215, 2: 230, 4: 230, 5: 205, 6: 205, 7: 230, 8: 230, 10: 230, 11: 230,
		12: 230}
	var m gcode.Machine
	var c gcode.Command
	var a gcode.Act
	for line := range strings.Lines(out) {
		c.Parse([]byte(line))
		m.Exec(&c, &a)
		if a.Kind == gcode.Push && a.Laid > gcode.MM && !m.Hot() {
			t.Errorf("pushes filament before the nozzle is hot: %q", line)
		}
		if a.Kind != gcode.Lay {
			continue
		}
		n := int(m.Pos[2] * 5 / gcode.MM)
		if w, ok := want[n]; ok && (float64(m.Nozzle())/1e6 != w || !m.Hot()) {
			t.Fatalf("layer %d is laid at %v °C (hot %v), want %v", n, float64(m.Nozzle())/1e6, m.Hot(), w)
		}
	}
	if m.Nozzle() != 0 || !strings.Contains(out, "M104 T1 S150\n") {
		t.Error("the end, or another tool, was rewritten")
	}
	// A filament that says nothing goes back to what the file has.
	_, out = applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, Filaments: spools,
		Ears: []plan.Ear{
			{ID: "a", BeforeLayer: 3, Kind: plan.Colour, Filament: "white"},
			{ID: "b", BeforeLayer: 6, Kind: plan.Colour, Filament: "plain"}}})
	if !strings.Contains(out[strings.Index(out, "ear b"):], "M109 R205") {
		t.Error("the file's own temperature does not come back")
	}
	// And by itself it changes nothing.
	res, out = applytest.Lay(t, applytest.Tall(), &plan.Plan{Format: plan.Format, Filaments: spools,
		Ears: []plan.Ear{{BeforeLayer: 2, Kind: plan.Colour, Filament: "plain"}}})
	if len(res.Rewritten) != 0 || strings.Count(out, "M109") != 1 {
		t.Errorf("%+v", res.Rewritten)
	}
}

func TestHeadsUp(t *testing.T) {
	file := applytest.Tall()
	for _, h := range []plan.HeadsUp{{Layers: 3}, {Minutes: 0.1}, {Minutes: 99}} {
		res, out := applytest.Lay(t, file, &plan.Plan{Format: plan.Format,
			Ears: []plan.Ear{{ID: "a", BeforeLayer: 9, Kind: plan.Insert, HeadsUp: &h}}})
		if len(res.HeadsUps) != 1 {
			t.Fatalf("%+v: %d heads-ups", h, len(res.HeadsUps))
		}
		lines := strings.Split(out, "\n")
		u := res.HeadsUps[0]
		if !strings.HasPrefix(lines[u.Line-1], "; dogear heads-up a:") {
			t.Errorf("%+v: line %d is %q", h, u.Line, lines[u.Line-1])
		}
		next := lines[int(u.Line)-1+len(u.Lines)]
		switch {
		case h.Layers == 3 && next != "G0 X55", h.Minutes == 99 && next != "; tier 1":
			t.Errorf("%+v stands in front of %q", h, next)
		case h.Minutes == 0.1 && (!strings.HasPrefix(next, "G0") || u.Before < 4 || u.Before > 8):
			t.Errorf("%+v stands %v s before, in front of %q", h, u.Before, next)
		}
		if first := lines[res.OutLines(0)[0]-1]; !strings.HasPrefix(first, "; dogear ear a:") {
			t.Errorf("the ear is reported at %q", first)
		}
	}
}

// TestNumberedHeats rewrites a line that carries a number and a checksum, and
// gives it the checksum that fits.
func TestNumberedHeats(t *testing.T) {
	sum := func(l string) string {
		s := byte(0)
		for k := range len(l) {
			s ^= l[k]
		}
		return fmt.Sprintf("%s*%d", l, s)
	}
	var b strings.Builder
	for i, l := range strings.Split(strings.TrimSpace(applytest.Tall()), "\n") {
		if strings.HasPrefix(l, ";") {
			b.WriteString(l + "\n")
			continue
		}
		l, _, _ = strings.Cut(l, " ;")
		b.WriteString(sum(fmt.Sprintf("N%d %s", i, l)) + "\n")
	}
	white := map[string]plan.Filament{"white": {Name: "Gull white", Nozzle: [2]float64{0, 226}}}
	res, out := applytest.Lay(t, b.String(), &plan.Plan{Format: plan.Format, Filaments: white,
		Ears: []plan.Ear{{ID: "a", BeforeLayer: 5, Kind: plan.Colour, Filament: "white"}}})
	if len(res.Rewritten) != 1 {
		t.Fatalf("%+v", res.Rewritten)
	}
	now := res.Rewritten[0].Now
	body, _, _ := strings.Cut(now, "*")
	if !strings.Contains(body, "M104 S226") || now != sum(body) {
		t.Errorf("%q", now)
	}
	if _, back := applytest.TakeOut(t, out); back != b.String() {
		t.Error("the original does not come back")
	}
}
