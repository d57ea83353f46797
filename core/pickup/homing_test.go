package pickup

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"dogear/core/finding"
	"dogear/core/plan"
)

// TestOffsets puts mesh and offsets in force behind the last homing, once; a shift of Z
// that was in force at the touch lies in the touched height already.
func TestOffsets(t *testing.T) {
	file := strings.Replace(tower(100), "M204 S900\n", "M204 S900\nM420 S1 Z4\nM206 X1 Z-0.1\n"+
		"M290 Z0.05\nM851 Z-1.2\n", 1)
	for name, c := range map[string]struct {
		c     Choice
		order []string
		never []string
	}{
		"touched": {Choice{Start: Next, Layer: 50}, []string{
			"\nG92 Z10 ", "\nG28 X Y ", "\nM206 X1 ", "\nM420 Z4 S1", "\nG1 X"},
			[]string{"M290 Z0.05", "M206 X1 Z-0.1"}},
		"held": {Choice{Start: Next, Layer: 50, Z: ByKept}, []string{"\nG1 Z20 ", "\nM420 "}, []string{
			"M290 Z0.05", "M206 X1"}},
		"homed": {Choice{Start: Next, Layer: 50, Z: ByClear, HomeAt: &[2]float64{20, 20}}, []string{
			"\nG28 Z ", "\nM206 ", "\nM290 Z0.05 ", "\nM420 "}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			p, out := made(t, file, c.c)
			opening, _, _ := strings.Cut(out, "; dogear pick-up ends")
			rest := opening
			for _, o := range c.order {
				_, after, ok := strings.Cut(rest, o)
				if !ok && o == "\nM420 Z4 S1" {
					_, after, ok = strings.Cut(rest, "\nM420 S1 Z4")
				}
				if !ok {
					t.Errorf("%q does not stand where it should\n%s", o, opening)
					break
				}
				rest = after
			}
			for _, n := range c.never {
				if strings.Contains(opening, "\n"+n) {
					t.Errorf("%q is written", n)
				}
			}
			for _, w := range []string{"\nM420", "\nM206", "\nM290", "\nM851"} {
				if strings.Count(opening, w) > 1 {
					t.Errorf("%q more than once", w)
				}
			}
			if codes(p, finding.Stop) != "" {
				t.Errorf("%v", p.Findings)
			}
		})
	}
}

// TestHomesFirst lifts by hand where the printer refuses to move before it has homed.
func TestHomesFirst(t *testing.T) {
	src, ix := read(t, tower(100))
	pr := plan.Generic()
	pr.HomesFirst = true
	for z, home := range map[string]string{ByTouch: "G28 X Y", ByClear: "G28 X Y"} {
		p, err := Make(src, ix, pr, Choice{Start: Next, Layer: 50, Z: z, HomeAt: &[2]float64{20, 20}},
			nil)
		if err != nil {
			t.Fatal(err)
		}
		said := slices.ContainsFunc(p.Findings,
			func(f finding.Finding) bool { return f.Code == "lift-by-hand" })
		for _, l := range p.Lines {
			if strings.HasPrefix(l.Text, home) {
				break
			}
			if strings.HasPrefix(l.Text, "G1 ") {
				t.Errorf("%s: moves before it homes: %s", z, l.Text)
			}
		}
		if !said {
			t.Errorf("%s: nothing says that the head is lifted by hand", z)
		}
	}
}

// TestHomingClear homes Z beside the part, and refuses it near the part.
func TestHomingClear(t *testing.T) {
	file := tower(100)
	p, out := made(t, file, Choice{Start: Next, Layer: 50, Z: ByClear, HomeAt: &[2]float64{20, 20}})
	if codes(p, finding.Stop) != "" || !strings.Contains(out, "G91 ; steps\n"+
		"G1 Z10 F600 ; up first, from wherever it stands\n"+
		"G90 ; places count from the corner of the bed\nM190 S60 ; the bed, so that the part does not "+
		"come off\nG28 X Y ; home X and Y; the nozzle is above the part\n"+
		"G1 X20 Y20 F6000 ; beside the part\nG28 Z") {
		t.Errorf("%v\n%s", p.Findings, out[:1500])
	}
	for _, at := range [][2]float64{{110, 110}, {90, 110}, {125, 125}} {
		p, _ := made(t, file, Choice{Start: Next, Layer: 50, Z: ByClear, HomeAt: &at})
		if codes(p, finding.Stop) != "homes-onto-part" || p.Refused == nil || p.Refused.Missing < 3 {
			t.Errorf("%v: %v %+v", at, p.Findings, p.Refused)
		}
	}
	// A part of 2 mm lets the block pass, but not the tip.
	if p, _ := made(t, file, Choice{Start: Next, Layer: 10, Z: ByClear,
		HomeAt: &[2]float64{90, 110}}); codes(p, finding.Stop) != "" {
		t.Error(p.Findings)
	}
	src, ix := read(t, file)
	if _, err := Make(src, ix, nil, Choice{Start: Next, Layer: 50, Z: ByClear}, nil); err == nil {
		t.Error("homed nowhere")
	}
	p, _ = made(t, file, Choice{Start: Next, Layer: 50, Z: ByClear, HomeAt: &[2]float64{500, 20}})
	if codes(p, finding.Stop) != "outside-bed" {
		t.Error(p.Findings)
	}
}

func TestTouchCheck(t *testing.T) {
	src, ix := read(t, tower(20))
	lines, pins, s, err := TouchCheck(src, ix, nil, Choice{Start: Next, Layer: 10, Feeler: 0.1})
	if err != nil || len(pins) != 3 || s.Kept != 10 {
		t.Fatal(err, pins)
	}
	stops := 0
	for _, l := range lines {
		if strings.Contains(l.Text, "E") && strings.HasPrefix(l.Text, "G1") ||
			strings.HasPrefix(l.Text, "M10") {
			t.Errorf("%q moves filament or heats", l.Text)
		}
		if strings.HasPrefix(l.Text, "M0") {
			stops++
		}
		if x := l.From[0] != l.To[0]; x && strings.HasPrefix(l.Text, "G1") && l.To[2].Millimetres() < 11 {
			t.Errorf("%q crosses at %v", l.Text, l.To[2])
		}
		if l.To[2] < ix.Layers[9].Z && strings.HasPrefix(l.Text, "G1") {
			t.Errorf("%q goes into the part", l.Text)
		}
	}
	if stops != 6 {
		t.Errorf("%d stops", stops)
	}
	for _, p := range pins { // the corners of the square
		if p[0] != 100 && p[0] != 120 || p[1] != 100 && p[1] != 120 {
			t.Errorf("%v is no corner", p)
		}
	}
}

// TestPrimeWait waits where it primes when that is asked for, behind the purge and in front of
// the way over the part, and drawn back by then.
func TestPrimeWait(t *testing.T) {
	src, ix := read(t, tower(20))
	for _, c := range []Choice{{}, {PrimeWait: true}, {PrimeWait: true, LooseTop: true}} {
		c.Start, c.Layer = Next, 10
		p, err := Make(src, ix, nil, c, nil)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, e := range p.Opening {
			out = append(out, e.Now)
		}
		text := strings.Join(out, "\n")
		at := strings.Index(text, "M0 Take off what hangs, then resume")
		if (at > 0) != (c.PrimeWait && !c.LooseTop) {
			t.Errorf("%+v: %s", c, text)
		}
		if at > 0 && (strings.Index(text, "G1 E12 ") > at || strings.LastIndex(text[:at], "E-") < 0 ||
			strings.LastIndex(text, "G1 X100") < at) {
			t.Errorf("it waits in the wrong place: %s", text)
		}
	}
}

// TestEased makes layers gentler by a number alone, and by what is said beside it.
func TestEased(t *testing.T) {
	for _, c := range []struct {
		c    Choice
		want Ease
	}{
		{Choice{}, Ease{}}, {Choice{Ease: Ease{Layers: 2}}, Ease{Layers: 2, Speed: 80, Hotter: 5}},
		{Choice{Ease: Ease{Layers: 2, Speed: 50}}, Ease{Layers: 2, Speed: 50}},
		{Choice{Ease: Ease{Layers: 2}, Flow: 105}, Ease{Layers: 2}},
	} {
		t.Run(fmt.Sprintf("%+v", c.want), func(t *testing.T) {
			if got := c.c.Eased(); got != c.want {
				t.Errorf("%+v: %+v", c.c, got)
			}
		})
	}
}

// TestTouchCheckAsItHomes finds the height as the pick-up will, in the printer's own words.
func TestTouchCheckAsItHomes(t *testing.T) {
	src, ix := read(t, tower(20))
	pr := plan.Generic()
	pr.Stop = map[string]string{plan.Insert: "M25"}
	text := func(pr *plan.Printer, c Choice) string {
		t.Helper()
		c.Start, c.Layer = Next, 10
		lines, _, _, err := TouchCheck(src, ix, pr, c)
		if err != nil {
			t.Fatal(err)
		}
		var out strings.Builder
		for _, l := range lines {
			out.WriteString(l.Text + "\n")
		}
		return out.String()
	}
	if got := text(pr, Choice{}); strings.Count(got, "\nM25") != 6 || strings.Contains(got, "\nM0") ||
		strings.Count(got, "\nM117 Place") != 6 || !strings.Contains(got, "do 0.1 mm of paper just fit") {
		t.Errorf("%s", got)
	}
	pr.SettleBefore, pr.StayAwake = []string{"M400"}, []string{"M84 S3600"}
	if got := text(pr, Choice{}); strings.Count(got, "\nM84 S3600 ; keeps it awake\nM400 ;") != 6 {
		t.Errorf("it falls asleep, or stops late: %s", got)
	}
	pr.SettleBefore, pr.StayAwake = nil, nil
	pr.Ignores, pr.Stop[plan.Insert] = []string{"M0"}, "PAUSE"
	if got := text(pr, Choice{}); strings.Count(got, "\nG4 S30") != 6 ||
		strings.Contains(got, "\nM0") {
		t.Errorf("it goes straight on: %s", got)
	}
	pr.Ignores = nil
	pr.Blank, pr.Stop[plan.Insert] = true, "M600"
	if got := text(pr, Choice{Feeler: 0.2}); strings.Count(got, "\nM0 Place") != 6 ||
		!strings.Contains(got, "0.2 mm of paper") || !strings.Contains(got, "G92 Z2.2 ") {
		t.Errorf("%s", got)
	}
	got := text(pr, Choice{Z: ByClear, HomeAt: &[2]float64{20, 20}})
	if !strings.Contains(got, "G91 ; steps\nG1 Z10 ") || !strings.Contains(got,
		"G28 X Y ; home X and Y; the nozzle is above the part\nG1 X20 Y20 ") ||
		!strings.Contains(got, "\nG28 Z ") || strings.Contains(got, "G92") {
		t.Errorf("%s", got)
	}
	if _, _, _, err := TouchCheck(src, ix, pr, Choice{Layer: 10, Z: ByClear}); err == nil {
		t.Error("homed nowhere")
	}
	pr.HomesFirst = true
	got = text(pr, Choice{})
	before, _, _ := strings.Cut(got, "\nG28 X Y")
	if strings.Contains(before, "\nG1 ") || !strings.Contains(before, "G92 Z12 ") {
		t.Errorf("it moves before it homes:\n%s", got)
	}
}

// TestUnknownBed primes where the file itself goes, and nowhere else, when nobody has said how
// large the bed is.
func TestUnknownBed(t *testing.T) {
	// About the origin in the middle of a bed, without a prime line.
	bare := strings.NewReplacer("G1 Z0.28 F600\n", "", "G0 X4 Y20 F6000\n", "",
		"G1 Y140 E8 F1500\n", "", "X100", "X-10", "X103", "X-7", "X120", "X10", "Y100", "Y-10",
		"Y120", "Y10").Replace(tower(20))
	known := plan.Generic()
	known.Assumed, known.Bed = false, [4]float64{-110, -110, 110, 110}
	for name, c := range map[string]struct {
		file   string
		pr     *plan.Printer
		primes bool
	}{
		"the file's own line": {tower(20), nil, true},
		"no line, no bed":     {bare, nil, false},
		"the printer's bed":   {bare, known, true},
	} {
		t.Run(name, func(t *testing.T) {
			src, ix := read(t, c.file)
			p, err := Make(src, ix, c.pr, Choice{Start: Next, Layer: 10}, nil)
			if err != nil {
				t.Fatal(err)
			}
			reach, primes := ix.ReachOf(), false
			for _, l := range p.Lines {
				primes = primes || strings.HasPrefix(l.Text, "G1 E12 ")
				x, y := l.To[0].Millimetres(), l.To[1].Millimetres()
				if c.pr == nil && strings.HasPrefix(l.Text, "G1 X") &&
					(x < reach[0] || x > reach[2] || y < reach[1] || y > reach[3]) {
					t.Errorf("%q goes beyond %v", l.Text, reach)
				}
			}
			if primes != c.primes || strings.Contains(codes(p, finding.Care), "prime-on-part") == primes {
				t.Errorf("primes: %v, %v", primes, p.Findings)
			}
		})
	}
}
