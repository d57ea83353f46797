package apply_test

import (
	"context"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

func TestReanchor(t *testing.T) {
	src := strings.NewReader(applytest.Tall())
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	h, z, odd, above, far := 1.0, 1.2, 1.31, 99.0, 98.0
	p := &plan.Plan{Format: plan.Format, Mutes: []plan.Span{{From: 4, To: 5}}, Ears: []plan.Ear{
		{ID: "a", AtHeight: &h, Kind: plan.Insert}, {ID: "b", BeforeLayer: 30, Z: &z, Kind: plan.Insert},
		{ID: "c", BeforeLine: 400, Z: &odd, Kind: plan.Insert},
		{ID: "d", BeforeLayer: 4, Kind: plan.Insert},
		{ID: "e", BeforeLayer: 9, Z: &above, Kind: plan.Insert},
		{ID: "f", AtHeight: &far, Kind: plan.Insert},
		{ID: "g", BeforeLayer: 31, Z: &z, Kind: plan.Insert},
		{ID: "h", BeforeLayer: 4000, Kind: plan.Insert},
	}}
	finds, err := apply.Reanchor(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(p.Ears) != 5 || !strings.HasSuffix(finds[6].Message, ", in one stop with ear b") ||
		p.Ears[1].BeforeLayer != 7 || p.Ears[2].BeforeLayer != 8 ||
		p.Ears[2].BeforeLine != 0 || p.Ears[3].BeforeLayer != 4 || p.Mutes != nil {
		t.Errorf("%+v\n%+v", p.Ears, finds)
	}
	want := "note moved height, note moved height, care moved height, care moved number, " +
		"care not-placed, care not-placed, care moved height, care not-placed, care not-placed"
	var got []string
	for _, f := range finds {
		got = append(got, strings.TrimSpace(string(f.Level)+" "+f.Code+" "+f.By))
	}
	if strings.Join(got, ", ") != want {
		t.Errorf("%v\n%+v", got, finds)
	}
}

// TestAnchorRoundTrip notes where ears lie and lays the plan onto the very same
// file: they stay where they are, inside a layer too.
func TestAnchorRoundTrip(t *testing.T) {
	src := strings.NewReader(applytest.Tall())
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	inside := int64(0)
	moves, err := ix.Decode(src, 5)
	if err != nil {
		t.Fatal(err)
	}
	paths := layer.Paths(moves)
	for k := len(paths) - 1; k > 0; k-- {
		if paths[k].Class != layer.Travel && paths[k-1].Class == layer.Travel {
			inside = moves[paths[k-1].From].Line
			break
		}
	}
	p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: 3, Kind: plan.Insert},
		{ID: "b", BeforeLine: inside, Kind: plan.Insert}}}
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	if err := apply.Anchor(src, ix, p, nil); err != nil {
		t.Fatal(err)
	}
	if p.Ears[0].Z == nil || p.Ears[1].Near == nil {
		t.Fatalf("%+v", p.Ears)
	}
	finds, err := apply.Reanchor(src, ix, p, nil)
	if err != nil || p.Ears[0].BeforeLayer != 3 || p.Ears[1].BeforeLine != inside {
		t.Errorf("%v %+v %+v, want line %d", err, p.Ears, finds, inside)
	}
}

func TestTotals(t *testing.T) {
	file := applytest.Tall()
	src := strings.NewReader(file)
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	moves, err := ix.Decode(src, 6)
	if err != nil {
		t.Fatal(err)
	}
	lays := 0
	half := 0.0
	line := int64(0)
	for i := range moves {
		if moves[i].Laid > 0 {
			if lays++; lays == 2 {
				line = moves[i].Line
				break
			}
			half += moves[i].Laid.Millimetres()
		}
	}
	sum := func(from, to int) float64 {
		s := 0.0
		for n := from; n <= to; n++ {
			s += ix.Layers[n-1].Filament.Millimetres()
		}
		return s
	}
	fs := map[string]plan.Filament{"red": {Name: "Signal red"},
		"white": {Name: "Gull white", Purge: 45, Density: 2, Diameter: 2}}
	for name, c := range map[string]struct {
		ears []plan.Ear
		want []apply.Total
	}{
		"none": {nil, []apply.Total{{Filament: "red", Laid: sum(1, len(ix.Layers)), Bands: 1}}},
		"one": {[]plan.Ear{{BeforeLayer: 4, Kind: plan.Colour, Filament: "white"}}, []apply.Total{
			{Filament: "red", Laid: sum(1, 3), Bands: 1},
			{Filament: "white", Laid: sum(4, len(ix.Layers)), Purged: 45, Bands: 1}}},
		"at once": {[]plan.Ear{{BeforeLayer: 1, Kind: plan.Colour, Filament: "white"}}, []apply.Total{
			{Filament: "white", Laid: sum(1, len(ix.Layers)), Purged: 45, Bands: 1}}},
		"and back": {[]plan.Ear{
			{BeforeLayer: 4, Kind: plan.Colour, Filament: "white"},
			{BeforeLayer: 7, Kind: plan.Colour, Filament: "red"}},
			[]apply.Total{{Filament: "red", Laid: sum(1, 3) + sum(7, len(ix.Layers)), Purged: 30, Bands: 2},
				{Filament: "white", Laid: sum(4, 6), Purged: 45, Bands: 1}}},
		"inside": {[]plan.Ear{
			{BeforeLine: line, Kind: plan.Colour, Filament: "white"}, {BeforeLayer: 9, Kind: plan.Insert}},
			[]apply.Total{{Filament: "red", Laid: sum(1, 5) + half, Bands: 1},
				{Filament: "white", Laid: sum(6, len(ix.Layers)) - half, Purged: 45, Bands: 1}}},
		"no change": {[]plan.Ear{
			{BeforeLayer: 4, Kind: plan.Colour, Filament: "red", Routine: json.RawMessage(`"sound only"`)}},
			[]apply.Total{{Filament: "red", Laid: sum(1, len(ix.Layers)), Bands: 1}}},
		"bond again": {[]plan.Ear{
			{BeforeLayer: 4, Kind: plan.Insert, BondPass: &plan.BondPass{Flow: 0.5}}},
			[]apply.Total{{Filament: "red", Laid: sum(1, len(ix.Layers)) + sum(3, 3)/2, Bands: 1}}},
		"no bond in another colour": {[]plan.Ear{
			{BeforeLayer: 4, Kind: plan.Colour, Filament: "white", BondPass: &plan.BondPass{Flow: 0.5}}},
			[]apply.Total{{Filament: "red", Laid: sum(1, 3), Bands: 1},
				{Filament: "white", Laid: sum(4, len(ix.Layers)), Purged: 45, Bands: 1}}},
	} {
		t.Run(name, func(t *testing.T) {
			p := &plan.Plan{Format: plan.Format, First: "red", Filaments: fs, Ears: c.ears}
			res, _ := applytest.Lay(t, file, p)
			got, err := res.Totals(src, ix, p)
			if err != nil || len(got) != len(c.want) {
				t.Errorf("%+v %v", got, err)
				return
			}
			for i := range got {
				w := c.want[i]
				f := fs[w.Filament]
				w.Grams = f.Grams(w.Laid + w.Purged)
				if g := got[i]; g.Filament != w.Filament || g.Bands != w.Bands ||
					math.Abs(g.Laid-w.Laid) > 1e-3 ||
					math.Abs(g.Purged-w.Purged) > 1e-6 || math.Abs(g.Grams-w.Grams) > 1e-4 {
					t.Errorf("%+v, want %+v", g, w)
				}
			}
		})
	}
}

// TestReanchorChanges lays changes onto another slicing by their heights.
func TestReanchorChanges(t *testing.T) {
	ix := &layer.Index{}
	for n := 1; n <= 20; n++ {
		ix.Layers = append(ix.Layers, layer.Layer{Z: gcode.Nano(n) * 200_000, Height: 200_000})
	}
	at := func(v float64) *float64 { return &v }
	p := &plan.Plan{Changes: []plan.Change{
		{ID: "c1", BeforeLayer: 5, UntilLayer: 9, Z: at(1.2), UntilZ: at(2.4), Speed: 50},
		{ID: "c2", BeforeLine: 5, UntilLayer: 9, Z: at(1.25), UntilZ: at(4), Flow: 90},
		{ID: "c3", BeforeLayer: 5, UntilLayer: 9, Z: at(9), UntilZ: at(12), Flow: 90},
		{ID: "c4", BeforeLayer: 5, UntilLayer: 9, Flow: 90},
	}}
	finds, err := apply.Reanchor(nil, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, f := range finds {
		got = append(got, string(f.Level)+" "+f.Code+" "+f.Message)
	}
	want := []string{
		"note moved Change c1: 1.2 to 2.4 mm is now layers 7 to 12",
		"care moved Change c2: 1.25 to 4 mm is now layers 7 to 20, which are 1.20 to 4.00 mm",
		"care not-placed Change c3: 9 mm lies above this print, which ends at 4.00 mm; it is left out",
		"care not-placed Change c4: the plan does not say at which heights it lay; it is left out",
	}
	if !slices.Equal(got, want) || len(p.Changes) != 2 || p.Changes[1].UntilLayer != 21 ||
		p.Changes[1].BeforeLine != 0 {
		t.Errorf("%q\n%+v", got, p.Changes)
	}
}

// TestReanchorBy says by what an ear has found its place: its height, what is to be seen there,
// or both.
func TestReanchorBy(t *testing.T) {
	src := strings.NewReader(applytest.Tall())
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	closes, raised := 9, 7
	marks := &landmark.Report{Pockets: []landmark.Pocket{{Centre: [2]float64{60, 60}, FirstOpen: 2,
		LastOpen: 8, Closes: &closes}}, Landmarks: []landmark.Landmark{{Kind: landmark.Raised,
		BeforeLayer: &raised}}}
	z := 1.2 // the fold before layer 7
	for want, seen := range map[string]*plan.Seen{
		finding.ByHeight:   nil,
		finding.ByBoth:     {Kind: landmark.Raised},
		finding.ByLandmark: {Kind: landmark.Closes, At: &[2]float64{60, 60}},
	} {
		p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: 4, Z: &z, Seen: seen,
			Kind: plan.Insert}}}
		finds, err := apply.Reanchor(src, ix, p, marks)
		if err != nil {
			t.Fatal(err)
		}
		before := 7
		if want == finding.ByLandmark {
			before = 9
		}
		if len(finds) != 1 || finds[0].By != want || p.Ears[0].BeforeLayer != before {
			t.Errorf("by %s: %+v, before layer %d", want, finds, p.Ears[0].BeforeLayer)
		}
	}
	// Something else that was seen, and is not any more, leaves the height.
	p := &plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a", BeforeLayer: 4, Z: &z,
		Seen: &plan.Seen{Kind: landmark.Bridge}, Kind: plan.Insert}}}
	if finds, err := apply.Reanchor(src, ix, p,
		marks); err != nil || finds[0].By != finding.ByHeight ||
		finds[0].Level != finding.Care {
		t.Errorf("%+v, %v", finds, err)
	}
}
