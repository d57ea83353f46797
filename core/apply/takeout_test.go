package apply_test

import (
	"context"
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/apply/applytest"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/plan"
)

// TestTakeOut takes everything out that a plan can put in.
func TestTakeOut(t *testing.T) {
	own := plan.Routine{{Do: "tone"}, {Do: "stop"}, {Do: "return"}, {Do: "restore"}}
	p := &plan.Plan{Format: plan.Format, First: "red",
		Filaments: map[string]plan.Filament{"red": {Name: "Signal red", Colour: "#b8362b"},
			"white": {Name: "Gull white; 2 mm (wide) – größer", Colour: "#ece6d8", Nozzle: [2]float64{
				0, 222}}},
		Routines: map[string]plan.Routine{"short": own},
		Mutes:    []plan.Span{{From: 30, To: 33}},
		Ears: []plan.Ear{
			{ID: "a1", BeforeLayer: 2, Kind: plan.Colour, Filament: "white",
				HeadsUp: &plan.HeadsUp{Layers: 1}},
			{ID: "a2", BeforeLayer: 9, Kind: plan.Insert, Note: "two nuts; flat * side (down)",
				Routine: json.RawMessage(`"short"`), BondPass: &plan.BondPass{Flow: 0.3}},
			{ID: "a3", BeforeLine: 130, Kind: plan.Own, Lines: []string{"M0 look at it 100 %"}},
		}}
	for name, file := range map[string]string{"lf": applytest.Tall(),
		"crlf": strings.ReplaceAll(applytest.Tall(), "\n",
			"\r\n"), "no end": strings.TrimRight(applytest.Tall(), "\n"),
		"a line of 200,000 bytes": strings.Replace(
			applytest.Tall(), "; tier 12\n", "; "+strings.Repeat("tide ", 40000)+"\n; tier 12\n", 1),
		"heated": strings.Replace(applytest.Tall(), "; tier 12\n", "M104 S205 ; cooler\n; tier 12\n",
			1)} {
		res, out := applytest.Lay(t, file, p)
		if name == "heated" && len(res.Rewritten) == 0 {
			t.Error("nothing is rewritten")
		}
		for _, l := range strings.Split(out, "\n") {
			if mark.IsOurs([]byte(l)) && len(l) > 96 {
				t.Errorf("%s: %d bytes are too long a line: %s", name, len(l), l)
			}
		}
		taken, back := applytest.TakeOut(t, out)
		if back != file {
			t.Errorf("%s: the original does not come back", name)
		}
		q := taken.Plan
		if len(q.Ears) != 3 || q.Ears[1].Note != p.Ears[1].Note || q.Ears[2].BeforeLine != 130 ||
			q.First != "red" || !reflect.DeepEqual(q.Filaments["white"], p.Filaments["white"]) ||
			len(q.Mutes) != 1 || q.Mutes[0] != p.Mutes[0] {
			t.Errorf("%s: %+v", name, q)
		}
		// What comes back, laid on again, gives the same file.
		if _, again := applytest.Lay(t, back, q); again != out {
			t.Errorf("%s: laid on again it is another file", name)
		}
	}
}

func TestTakeOutOfOthers(t *testing.T) {
	if _, err := apply.TakeOut(strings.NewReader(applytest.Tall())); !errors.Is(err,
		apply.ErrNotOurs) {
		t.Error(err)
	}
	// Comments that look like marks and are none stay what they are, and so does a
	// block that somebody has changed since.
	_, written := applytest.Lay(t, applytest.Tall(),
		&plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a1", BeforeLayer: 4, Kind: plan.Colour}}})
	for name, file := range map[string]string{
		"no end":  "G1 X1\n; dogear ear a1: white\nM0\n",
		"no seal": "G1 X1\n; dogear ear a1: white\nM0\n; dogear ear a1 ends\nG1 X2\n",
		"a wrong seal": "G1 X1\n; dogear ear a1: white\nM0\n; dogear seal 12345678\n" +
			"; dogear ear a1 ends\nG1 X2\n",
		"muted":     "; dogear muted: G1 X1\nG1 X2\n",
		"rewritten": "; dogear was 12345678: M104 S1\nM104 S2\n",
		"changed":   strings.Replace(written, "\nM0", "\nM1", 1),
	} {
		if taken, err := apply.TakeOut(strings.NewReader(file)); !errors.Is(err, apply.ErrNotOurs) {
			t.Errorf("%s: %+v %v", name, taken, err)
		}
	}
	// One that is nested in such a comment is found all the same.
	taken, back := applytest.TakeOut(t, "; dogear ear a9: never ends\n"+written)
	if back != "; dogear ear a9: never ends\n"+applytest.Tall() || len(taken.Plan.Ears) != 1 {
		t.Errorf("%+v", taken.Plan)
	}
	if _, err := apply.TakeOut(strings.NewReader(strings.Repeat("; dogear ear a: b\n",
		500))); !errors.Is(
		err, mark.ErrFalse) {
		t.Error(err)
	}
}

// FuzzTakeOut reads anything; what it takes out never makes the file longer
// than it was, and taking out twice finds nothing more of what was understood.
func FuzzTakeOut(f *testing.F) {
	f.Add("G1 X1\n; dogear ear a: b\nM0\n; dogear ear a ends\n")
	f.Add("; dogear muted: G1\n; dogear was 00000000: M104 S1\nM104 S2\n")
	f.Fuzz(func(t *testing.T, file string) {
		src := strings.NewReader(file)
		taken, err := apply.TakeOut(src)
		if err != nil {
			return
		}
		if out := applytest.Written(t, src, taken.Edits); len(out) > len(file) {
			t.Errorf("%q became %q", file, out)
		}
	})
}

// FuzzApply lays any plan onto any file. What is written by it is, with everything taken out
// again, the file as it was.
func FuzzApply(f *testing.F) {
	f.Add(applytest.Tall(),
		`{"format":"dogear-plan/1","ears":[{"id":"a","before_layer":5,"kind":"colour",`+
			`"filament":"white"},{"id":"b","before_line":90,"kind":"own lines","lines":["M0 look"]}],`+
			`"filaments":{"white":{"name":"Gull white","nozzle":[220,215]}},"first_filament":"white"}`)
	f.Add(strings.ReplaceAll(applytest.Tall(), "\n", "\r\n"),
		`{"format":"dogear-plan/1","mutes":[{"from":30,`+
			`"to":33}],"ears":[{"id":"a","at_height":1.3,"kind":"insert","heads_up":{"layers":1},`+
			`"bond_pass":{"flow":0.3}}],"changes":[{"id":"c","before_layer":3,"until_layer":6,"speed":50}]}`)
	f.Fuzz(func(t *testing.T, file, text string) {
		if len(file) > 40_000 {
			return
		}
		src := strings.NewReader(file)
		p, err := plan.Parse(strings.NewReader(text))
		if err != nil || p.Check() != nil {
			return
		}
		ix, err := layer.Read(context.Background(), src, layer.Options{})
		if err != nil || ix.Marked || ix.Ours > 0 {
			return
		}
		res, err := apply.Plan(src, ix, p, nil)
		if err != nil || len(res.Edits) == 0 {
			return
		}
		out := applytest.Written(t, src, res.Edits)
		if _, back := applytest.TakeOut(t, out); back != file {
			t.Errorf("the file does not come back:\n%q\nbecame\n%q\nand then\n%q", file, out, back)
		}
	})
}
