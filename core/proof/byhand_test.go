package proof_test

import (
	"bytes"
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/proof"
	"dogear/demo"
	"dogear/demo/demotest"
)

// What tests of several packages do.
var index, prove = demotest.Index, demotest.Prove

// faults are what people do to a file by hand, each with the codes of which one
// must be found. They are done to a file with one honest ear before layer 6.
var faults = []struct {
	name string
	do   func(s string) string
	want string
}{
	{"no lift", func(s string) string {
		s = drop(`\n[gG]1 ?[zZ][\d.]+ ?[fF]600 ; up, [^\n]*`)(s)
		return sub(`\n[gG]1 ?[xX]\S+ ?[yY]\S+ ?[fF]7200 ; aside`, "\nG1 X60 F7200\nG1 X160 F7200")(s)
	}, "drag"},
	{"lift too low", sub(`(\n[gG]1 ?[zZ])[\d.]+( ?[fF]600 ; up, )`, "${1}0.3${2}"), "drag"},
	{"not brought back", func(s string) string {
		if !strings.Contains(s, "\nG91 ; places count in steps") {
			return s // the file goes back by itself
		}
		return drop(`\nG1 X[^\n]* ; over the place[^\n]*`)(s)
	}, "drag position-not-restored"},
	{"homes", before("; dogear ear a1 ends", "G28"), "homes-onto-part"},
	{"probes", before("; dogear ear a1 ends", "G29"), "homes-onto-part"},
	{"homes the sides on the part", before("; dogear ear a1 ends", "G28 X"),
		"drag position-not-restored"},
	{"motors", before("; dogear ear a1 ends", "M84"), "motors-off"},
	{"fan off", before("; dogear ear a1 ends", "M106 S3"), "fan-not-restored"},
	{"slower", before("; dogear ear a1 ends", "M220 S50"), "feed-not-restored"},
	{"thinner", before("; dogear ear a1 ends", "M221 S50"), "setting-not-restored"},
	{"gentler", before("; dogear ear a1 ends", "M204 S123"), "setting-not-restored"},
	{"cooler", before("; dogear ear a1 ends", "M104 S190"), "temperature-not-restored"},
	{"cold", before("; dogear ear a1 ends", "M104 S0"), "cold-extrusion"},
	{"not waited for", before("; dogear ear a1 ends", "M104 S0\nM104 S210"), "cold-extrusion"},
	{"never continues, down", before("; dogear ear a1 ends", "M109 R20"), "never-reached-temperature"},
	{"never continues, up", before("; dogear ear a1 ends", "M109 S480"), "never-reached-temperature"},
	{"never continues, bed", before("; dogear ear a1 ends", "M190 S200"), "never-reached-temperature"},
	{"purges on the part", before("; dogear ear a1:", "M83\nG1 E40 F200"), "filament-jump"},
	{"purges above the part", before("M0 ", "G90\nG1 X110 Y110 F6000\nG1 E40 F200"), "prime-on-part"},
	{"off the bed", before("M0 ", "G1 X900 F6000"), "outside-bed"},
	{"too high", before("M0 ", "G1 Z900 F600"), "above-top"},
	{"stops twice", before("; dogear ear a1 ends", "M0 again"), "stop-already-there"},
	{"stops on the part", before("; dogear ear a1:", "M0 here"), "lift-too-low"},
	{"unknown word", before("; dogear ear a1 ends", "M9123"), "unknown-command"},
	{"draws far back", before("; dogear ear a1:", "M83\nG1 E-45 F1200"), "filament-jump"},
	{"a bit too much", before("; dogear ear a1 ends", "M83\nG1 E2 F1200"), "filament-jump"},
	{"rubbish", func(s string) string { return s + strings.Repeat("\x00\x01 what? \xff\n", 60) },
		"rubbish-at-end"},
	{"cut short", func(s string) string { return s[:len(s)*2/3] }, "cut-short"},
}

func drop(pattern string) func(string) string { return sub(pattern, "") }

func sub(pattern, by string) func(string) string {
	re := regexp.MustCompile(pattern)
	return func(s string) string { return re.ReplaceAllString(s, by) }
}

func before(mark, lines string) func(string) string {
	return func(s string) string { return strings.Replace(s, mark, lines+"\n"+mark, 1) }
}

// TestPlantedFaults finds what was done to a file by hand.
func TestPlantedFaults(t *testing.T) {
	planted := 0
	for _, d := range demotest.Named("plain", "hopping", "bare", "resetting", "silent", "steps") {
		file, _ := demo.Slice(demo.TideGauge(), d)
		ix := index(t, file)
		out := applied(t, file, ix,
			&plan.Plan{Format: plan.Format, Ears: []plan.Ear{{ID: "a1", BeforeLayer: 6, Kind: plan.Colour}}})
		if r := prove(t, file, out); len(r.Findings) > 0 {
			t.Fatalf("%s: %+v", d.Name, r.Findings)
		}
		for _, f := range faults {
			edited := f.do(string(out))
			if edited == string(out) {
				continue // there is nothing of the sort in this dialect
			}
			planted++
			r := prove(t, file, []byte(edited))
			found, all := false, []string{}
			for _, x := range r.Findings {
				found = found || strings.Contains(f.want, x.Code)
				all = append(all, fmt.Sprintf("%s@%d", x.Code, x.Line))
				if x.Message == "" || x.Level == "" {
					t.Errorf("%s: %+v says nothing", f.name, x)
				}
			}
			if r.First != nil {
				found = found || strings.Contains(f.want, "filament-jump") &&
					strings.Contains(r.First.What, "filament") ||
					strings.Contains(f.want, "position-not-restored") &&
						strings.Contains(r.First.What, "somewhere else")
			}
			if !found {
				t.Errorf("%s, %s: found %v, want one of %s; %+v", d.Name, f.name, all, f.want, r.First)
			}
		}
	}
	if planted < demotest.Rounds(100) {
		t.Errorf("only %d faults were planted", planted)
	}
}

// TestHeadShape prints posts one after another with heads of several shapes.
func TestHeadShape(t *testing.T) {
	file, _ := demo.Slice(demo.Posts(), demo.DialectNamed("plain"))
	ix := index(t, file)
	for name, c := range map[string]struct {
		head   [2]float64
		gantry float64
		want   bool
	}{
		"not known": {[2]float64{}, 0, false}, "slim": {[2]float64{8, 2}, 0, false},
		"wide and low": {[2]float64{45, 2}, 0, true}, "wide and high": {[2]float64{45, 30}, 0, false},
		"low gantry": {[2]float64{}, 2, true}, "high gantry": {[2]float64{}, 40, false},
	} {
		t.Run(name, func(t *testing.T) {
			pr := plan.Generic()
			pr.Head, pr.Gantry = c.head, c.gantry
			x, err := proof.Examine(context.Background(), bytes.NewReader(file), ix, pr)
			if err != nil || len(x.Findings) > 0 != c.want {
				t.Errorf("%+v %v", x.Findings, err)
			}
		})
	}
}

func applied(t *testing.T, file []byte, ix *layer.Index, p *plan.Plan) []byte {
	t.Helper()
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	src := bytes.NewReader(file)
	res, err := apply.Plan(src, ix, p, nil)
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if _, err := edit.Write(&out, src, res.Edits); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestMeshBehindHoming names a homing that comes behind the mesh and may have switched it off.
func TestMeshBehindHoming(t *testing.T) {
	for _, c := range []struct {
		mesh, lines string
		want        bool
	}{
		{"M420 S1", "G28 X Y", true}, {"M420 S1", "G28 X Y\nM420 S1", false},
		{"M420 S1", "M420 S1\nG28 X Y", true}, {"M420 S0", "G28 X Y", false},
		{"M204 S900", "G28 X Y", false}, {"M420 S1", "M400", false},
	} {
		t.Run(c.mesh, func(t *testing.T) {
			plain, _ := demo.Slice(demo.TideGauge(), demo.DialectNamed("plain"))
			file := bytes.Replace(plain, []byte("\nG28\n"), []byte("\nG28\n"+c.mesh+"\n"), 1)
			if bytes.Equal(file, plain) {
				t.Fatal("the file does not home")
			}
			out := applied(t, file, index(t, file), &plan.Plan{Format: plan.Format,
				Ears: []plan.Ear{{ID: "a1", BeforeLayer: 6, Kind: plan.Colour}}})
			r := prove(t, file, []byte(before("M0 ", c.lines)(string(out))))
			got := slices.ContainsFunc(r.Findings,
				func(f finding.Finding) bool { return f.Code == "setting-not-restored" })
			if got != c.want {
				t.Errorf("%q behind %q: %+v", c.lines, c.mesh, r.Findings)
			}
		})
	}
}
