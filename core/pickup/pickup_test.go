package pickup

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/plan"
)

// tower is a sliced file of square layers of 0.2 mm, with a start-up, a prime
// line and a clock, that counts its filament from the start.
func tower(layers int) string {
	var b strings.Builder
	b.WriteString("; harbour test tower\nG21\nG90\nM82\nM140 S65\nM104 S215\nM190 S65\nM109 S215\n" +
		"G28\nG29\nM117 Low water\nM204 S900\nG92 E0\nG1 Z0.28 F600\nG0 X4 Y20 F6000\n" +
		"G1 Y140 E8 F1500\nG92 E0\nM900 K0.04\nM862.3 P \"x\"\nM107\n")
	e := 0.0
	for n := 1; n <= layers; n++ {
		fmt.Fprintf(&b, "; tier %d\n", n)
		if n == 2 {
			b.WriteString("M104 S205\nM140 S60\nM106 S200\n")
		}
		fmt.Fprintf(&b, "G1 Z%.2f F600\nG0 X100 Y100 F9000\n", 0.2*float64(n))
		for _, p := range [][2]int{{120, 100}, {120, 120}, {100, 120}, {100, 100}} {
			e += 0.7
			fmt.Fprintf(&b, "G1 X%d Y%d E%.5f F1800\n", p[0], p[1], e)
		}
	}
	b.WriteString("M104 S0\nM140 S0\nM84\n")
	return b.String()
}

func read(t *testing.T, file string) (layer.Source, *layer.Index) {
	t.Helper()
	src := strings.NewReader(file)
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return src, ix
}

func TestEvidence(t *testing.T) {
	src, ix := read(t, tower(100))
	at := func(n int) int64 { return ix.Layers[n-1].First + 1 }
	extruded, err := ix.Before(src, 42)
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		e         Evidence
		low, high int
		best      int
	}{
		"touch":           {Evidence{Kind: Touch, Value: 10.07}, 50, 50, 50},
		"touch between":   {Evidence{Kind: Touch, Value: 10.13}, 51, 51, 51},
		"caliper":         {Evidence{Kind: Caliper, Value: 10.0}, 49, 52, 50},
		"counted":         {Evidence{Kind: Counted, From: 40, Value: 12}, 52, 52, 52},
		"layer":           {Evidence{Kind: Layer, Value: 7}, 7, 7, 7},
		"line inside":     {Evidence{Kind: Line, Value: float64(at(31))}, 30, 31, 30},
		"line in the gap": {Evidence{Kind: Line, Value: float64(ix.Layers[30].Fold)}, 30, 31, 30},
		"percent":         {Evidence{Kind: Percent, Value: 50}, 48, 51, 49},
		"byte":            {Evidence{Kind: Byte, Value: float64(ix.Layers[19].Offset) + 20}, 17, 20, 19},
		"minutes":         {Evidence{Kind: Minutes, Value: ix.Layers[59].Begin / 60}, 26, 91, 59},
		"display":         {Evidence{Kind: Display, At: [3]float64{110.1, 119.8, 4.2}}, 20, 21, 20},
		"display in a hop": {Evidence{
			Kind: Extruded, Value: extruded.LogicalE().Millimetres() + 0.9}, 41, 42, 41},
	} {
		b, err := Weigh(src, ix, []Evidence{c.e})
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		p := b.Pieces[0]
		if p.Low != c.low || p.High != c.high || b.Best != c.best && c.e.Kind != Percent &&
			c.e.Kind != Byte && c.e.Kind != Minutes && c.e.Kind != Caliper {
			t.Errorf("%s: %d to %d, best %d; want %d to %d, best %d (%s)", name, p.Low, p.High, b.Best,
				c.low, c.high, c.best, p.Text)
		}
		if p.Text == "" {
			t.Errorf("%s says nothing", name)
		}
	}
	for name, e := range map[string]Evidence{
		"no kind": {}, "no layer": {Kind: Layer, Value: 200}, "no number": {Kind: FileNumber, Value: 999},
		"too high": {Kind: Touch, Value: 99}, "no height": {Kind: Caliper},
		"no line": {Kind: Line, Value: 1e7}, "too many bytes": {Kind: Byte, Value: 1e9},
		"too much": {Kind: Percent, Value: 101}, "no time": {Kind: Minutes},
		"beside it":       {Kind: Display, At: [3]float64{5, 5, 4.2}},
		"no such E":       {Kind: Extruded, Value: 1e6},
		"counted too far": {Kind: Counted, From: 99, Value: 20},
	} {
		if _, err := Weigh(src, ix, []Evidence{e}); err == nil {
			t.Errorf("%s is believed", name)
		}
	}
}

// TestTogether puts pieces together: they agree on one place, or are named.
func TestTogether(t *testing.T) {
	src, ix := read(t, tower(100))
	b, err := Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10.07}, {Kind: Caliper, Value: 9.95},
		{Kind: Percent, Value: 50.5}})
	if err != nil || b.Best != 50 || !b.One || b.Low != 50 || b.High != 50 || len(b.Contradicts) > 0 {
		t.Errorf("%+v %v", b, err)
	}
	b, err = Weigh(src, ix, []Evidence{{Kind: Caliper, Value: 10}, {Kind: Percent, Value: 50}})
	if err != nil || b.One || b.Low >= b.High {
		t.Errorf("%+v %v", b, err)
	}
	b, err = Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10}, {Kind: Percent, Value: 80}})
	if err != nil || b.Best != 0 || len(b.Contradicts) != 1 ||
		!strings.Contains(b.Contradicts[0], "did the printer go on without filament?") &&
			!strings.Contains(b.Contradicts[0], "Did the printer go on without filament?") {
		t.Errorf("%+v %v", b.Contradicts, err)
	}
	b, err = Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10}, {Kind: Layer, Value: 44}})
	if err != nil || b.Best != 44 || !b.One || len(b.Contradicts) != 1 {
		t.Errorf("%+v %v", b, err)
	}
	sum := 0.0
	for _, w := range b.Weight {
		sum += w
	}
	if sum < 0.999 || sum > 1.001 {
		t.Errorf("the weights sum up to %v", sum)
	}
}

func made(t *testing.T, file string, c Choice) (*Pickup, string) {
	t.Helper()
	src, ix := read(t, file)
	p, err := Make(src, ix, nil, c, nil)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if _, err := edit.Write(&b, src, p.Edits); err != nil {
		t.Fatal(err)
	}
	return p, b.String()
}

func codes(p *Pickup, level string) string {
	var out []string
	for _, f := range p.Findings {
		if f.Level == level {
			out = append(out, f.Code)
		}
	}
	return strings.Join(out, " ")
}

// TestOpening looks at the verdict on every line of a start-up.
func TestOpening(t *testing.T) {
	p, out := made(t, tower(100), Choice{Start: Next, Layer: 50})
	want := map[string]string{
		"G21": "kept", "G90": "kept", "M82": "kept", "M140 S65": "changed M140 S60",
		"M104 S215": "changed M104 S150", "M190 S65": "changed M140 S60",
		"M109 S215": "changed M104 S150",
		"G28":       "muted", "G29": "muted", "M117 Low water": "muted", "M204 S900": "kept",
		"G92 E0":        "kept",
		"G1 Z0.28 F600": "muted", "G0 X4 Y20 F6000": "muted", "G1 Y140 E8 F1500": "muted",
		"M900 K0.04": "kept", `M862.3 P "x"`: "kept", "M107": "kept",
	}
	for _, e := range p.Opening {
		if e.Line == 0 {
			continue
		}
		got := e.Verdict
		if e.Verdict == Changed {
			got += " " + e.Now
		}
		if got != want[e.Was] || e.Why == "" {
			t.Errorf("%q is %s (%s), want %s", e.Was, got, e.Why, want[e.Was])
		}
	}
	var added []string
	for _, e := range p.Opening {
		if e.Verdict == Added {
			added = append(added, e.Now)
		}
	}
	wantAdded := "G21|G90|M83|G92 Z10|G1 Z20 F600|M83|M190 S60|G28 X Y|G1 X88 Y110 F6000|M109 " +
		"S205|G1 E12 F180|G1 E-0.4 F2100|G1 X82 F6000|G1 X88 F6000|G1 X100 Y100 F6000|G1 Z12 F600|G1 " +
		"Z10 F300|G1 E0.4 F2100|M106 S200|G1 F1800|M82|G92 E140"
	if got := strings.Join(added, "|"); got != wantAdded {
		t.Errorf("added\n%s, want\n%s", got, wantAdded)
	}
	if p.Start.Layer != 51 || p.Start.Kept != 50 ||
		!strings.Contains(out, "; dogear left out: G28\n") || codes(p, layer.Grave) != "" {
		t.Errorf("%+v %v", p.Start, p.Findings)
	}
}

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
		p, out := made(t, file, c.c)
		opening, _, _ := strings.Cut(out, "; dogear pick-up ends")
		rest := opening
		for _, o := range c.order {
			_, after, ok := strings.Cut(rest, o)
			if !ok && o == "\nM420 Z4 S1" {
				_, after, ok = strings.Cut(rest, "\nM420 S1 Z4")
			}
			if !ok {
				t.Errorf("%s: %q does not stand where it should\n%s", name, o, opening)
				break
			}
			rest = after
		}
		for _, n := range c.never {
			if strings.Contains(opening, "\n"+n) {
				t.Errorf("%s: %q is written", name, n)
			}
		}
		for _, w := range []string{"\nM420", "\nM206", "\nM290", "\nM851"} {
			if strings.Count(opening, w) > 1 {
				t.Errorf("%s: %q more than once", name, w)
			}
		}
		if codes(p, layer.Grave) != "" {
			t.Errorf("%s: %v", name, p.Findings)
		}
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
			func(f layer.Finding) bool { return f.Code == "lift-by-hand" })
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

// TestFlips turns lines of the start-up, and takes the consequences.
func TestFlips(t *testing.T) {
	file := tower(20)
	for was, code := range map[string]string{"G28": "homes-onto-part", "G29": "homes-onto-part",
		"G1 Z0.28 F600": "drag", "M117 Low water": ""} {
		line := int64(1 + slices.Index(strings.Split(file, "\n"), was))
		p, out := made(t, file, Choice{Start: Next, Layer: 10, Flip: map[int64]bool{line: true}})
		if got := codes(p, layer.Grave); !strings.Contains(got, code) || code == "" && got != "" ||
			!strings.Contains(out, "\n"+was+"\n") {
			t.Errorf("%s: %v", was, p.Findings)
		}
	}
	_, out := made(t, file, Choice{Start: Next, Layer: 10, Flip: map[int64]bool{12: false}})
	if !strings.Contains(out, "; dogear left out: M204 S900\n") ||
		!strings.Contains(out, "\nM204 S900 ; setting as the file made it\n") {
		t.Error("a line that was turned off is not made up for")
	}
}

// TestHomingClear homes Z beside the part, and refuses it near the part.
func TestHomingClear(t *testing.T) {
	file := tower(100)
	p, out := made(t, file, Choice{Start: Next, Layer: 50, Z: ByClear, HomeAt: &[2]float64{20, 20}})
	if codes(p, layer.Grave) != "" || !strings.Contains(out, "G91 ; steps\n"+
		"G1 Z10 F600 ; up first, from wherever it stands\n"+
		"G90 ; places count from the corner of the bed\nM190 S60 ; the bed, so that the part does not "+
		"let go\nG28 X Y ; find the sides; the nozzle is above the part\n"+
		"G1 X20 Y20 F6000 ; beside the part\nG28 Z") {
		t.Errorf("%v\n%s", p.Findings, out[:1500])
	}
	for _, at := range [][2]float64{{110, 110}, {90, 110}, {125, 125}} {
		p, _ := made(t, file, Choice{Start: Next, Layer: 50, Z: ByClear, HomeAt: &at})
		if codes(p, layer.Grave) != "homes-onto-part" || p.Refused == nil || p.Refused.Missing < 3 {
			t.Errorf("%v: %v %+v", at, p.Findings, p.Refused)
		}
	}
	// A part of 2 mm lets the block pass, but not the tip.
	if p, _ := made(t, file, Choice{Start: Next, Layer: 10, Z: ByClear,
		HomeAt: &[2]float64{90, 110}}); codes(p, layer.Grave) != "" {
		t.Error(p.Findings)
	}
	src, ix := read(t, file)
	if _, err := Make(src, ix, nil, Choice{Start: Next, Layer: 50, Z: ByClear}, nil); err == nil {
		t.Error("homed nowhere")
	}
	p, _ = made(t, file, Choice{Start: Next, Layer: 50, Z: ByClear, HomeAt: &[2]float64{500, 20}})
	if codes(p, layer.Grave) != "outside-bed" {
		t.Error(p.Findings)
	}
}

func TestRefusedPlaces(t *testing.T) {
	src, ix := read(t, tower(20))
	for _, c := range []struct {
		c    Choice
		want error
	}{
		{Choice{Start: Next}, ErrFromTheStart}, {Choice{Layer: 1, Start: Redo}, ErrFromTheStart},
		{Choice{Start: Next, Layer: 20}, ErrDone}, {Choice{Start: Next, Layer: 21}, nil},
		{Choice{Start: Mid, Line: 3}, ErrFromTheStart}, {Choice{Start: Mid, Line: ix.Lines}, ErrDone},
		{Choice{Start: Mid, Line: ix.Lines + 5}, nil}, {Choice{Start: "later", Layer: 3}, nil},
		{Choice{Start: Next, Layer: 3, Z: "guess"}, nil},
		{Choice{Start: Mid, Line: ix.Layers[9].First + 1, LooseTop: true}, nil},
	} {
		_, err := Make(src, ix, nil, c.c, nil)
		if err == nil || c.want != nil && !errors.Is(err, c.want) {
			t.Errorf("%+v: %v, want %v", c.c, err, c.want)
		}
	}
}

// TestLookAtTop asks whether the last layer is whole where only its height is known.
func TestLookAtTop(t *testing.T) {
	file := tower(20)
	src, ix := read(t, file)
	for _, c := range []struct {
		known []Evidence
		start string
		want  bool
	}{
		{[]Evidence{{Kind: Touch, Value: 2}}, Next, true},
		{[]Evidence{{Kind: Caliper, Value: 2}, {Kind: Counted, From: 8, Value: 2}}, Next, true},
		{[]Evidence{{Kind: Touch, Value: 2}}, Redo, false},
		{[]Evidence{{Kind: Touch, Value: 2}, {Kind: Layer, Value: 10}}, Next, false},
	} {
		b, err := Weigh(src, ix, c.known)
		if err != nil {
			t.Fatal(err)
		}
		p, _ := made(t, file, Choice{Start: c.start, Layer: 10, Measured: b.ByHeight()})
		if got := strings.Contains(codes(p, layer.Care), "look-at-top"); got != c.want {
			t.Errorf("%v, %s: asks %v, want %v", c.known, c.start, got, c.want)
		}
	}
}

// TestEase slows the first layers and puts everything back behind them.
func TestEase(t *testing.T) {
	_, out := made(t, tower(20), Choice{Start: Next, Layer: 10, Flow: 110,
		Ease: Ease{Layers: 2, Speed: 80, Hotter: 5}, DZ: 0.1, DX: 0.5, Prime: 20, PrimeAt: &[2]float64{10,
			10}, Feeler: 0.1, Bed: 70})
	for _, want := range []string{"\nM109 S210", "\nM220 S80", "\nM221 S110", "\nG92 X100 Z2 ",
		"\nG92 Z2.1 ", "\nG1 X10 Y10 F6000", "\nG1 E20 F180", "\nM190 S70",
		"; dogear ease ends here\nM220 S100 ; speed as the file has it\n" +
			"M221 S100 ; filament as the file has it\nM104 S205 ; nozzle as it would be\n; tier 13\n"} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is not there:\n%s", want, out[:2600])
		}
	}
	p, _ := made(t, tower(20), Choice{Start: Next, Layer: 10, PrimeAt: &[2]float64{110, 110}})
	if codes(p, layer.Grave) != "prime-on-part" {
		t.Error(p.Findings)
	}
}

// TestOddFiles: macros, numbered lines, rubbish at the end, a printer too low.
func TestOddFiles(t *testing.T) {
	macro := strings.Replace(tower(20), "G28\nG29\n", "START_WORK BED=65 EXTRUDER=215\n", 1)
	p, out := made(t, macro, Choice{Start: Next, Layer: 10})
	if !strings.Contains(out, "; dogear left out: START_WORK") ||
		codes(p, layer.Care) != "macro-start" {
		t.Error(p.Findings)
	}
	var numbered strings.Builder
	for i, l := range strings.Split(strings.TrimSpace(tower(20)), "\n") {
		if strings.HasPrefix(l, ";") {
			numbered.WriteString(l + "\n")
			continue
		}
		line := fmt.Sprintf("N%d %s", i, l)
		sum := byte(0)
		for k := range len(line) {
			sum ^= line[k]
		}
		fmt.Fprintf(&numbered, "%s*%d\n", line, sum)
	}
	_, out = made(t, numbered.String(), Choice{Start: Next, Layer: 10})
	if !strings.Contains(out, "\nG21\n") || strings.Contains(out, "\nN1 ") ||
		!strings.Contains(out, "\nM110 N") {
		t.Error(out[:1500])
	}
	p, out = made(t, tower(20)+strings.Repeat("\x00\x01\x02 rubbish \xff\n", 40),
		Choice{Start: Next, Layer: 10})
	if strings.Contains(out, "rubbish") || codes(p, layer.Note) != "rubbish-at-end" {
		t.Error(p.Findings)
	}
	src, ix := read(t, tower(20))
	low := plan.Generic()
	low.Top, low.Assumed = 2.2, false
	p, err := Make(src, ix, low, Choice{Start: Next, Layer: 10}, nil)
	if err != nil || codes(p, layer.Grave) != "lift-too-low" {
		t.Error(err, p.Findings)
	}
}

func TestTouchCheck(t *testing.T) {
	src, ix := read(t, tower(20))
	lines, pins, s, err := TouchCheck(src, ix, Choice{Start: Next, Layer: 10, Feeler: 0.1})
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

func ExampleWeigh() {
	src := strings.NewReader(tower(100))
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		panic(err)
	}
	b, err := Weigh(src, ix, []Evidence{{Kind: Touch, Value: 10.07}, {Kind: Percent, Value: 50}})
	fmt.Println(b.Best, b.One, err)
	fmt.Println(b.Pieces[0].Text)
	// Output:
	// 50 true <nil>
	// layer 50 at 10.00 mm, off by 0.07
}

// FuzzMake picks up anything that has layers: it is refused in a sentence, or
// the rest is the original.
func FuzzMake(f *testing.F) {
	f.Add(tower(4), 2, int64(0), false)
	f.Add(tower(4), 0, int64(40), false)
	f.Add("G91\nG1 Z1\nG1 X5 E1\nG28\nG1 X-5 E1\nG92 X3\nG1 Z1 F0\nG2 X1 I3 E1\n", 1, int64(0), true)
	f.Fuzz(func(t *testing.T, file string, n int, line int64, loose bool) {
		src := strings.NewReader(file)
		ix, err := layer.Read(context.Background(), src, layer.Options{})
		if err != nil {
			return
		}
		c := Choice{Start: Next, Layer: n, LooseTop: loose}
		if line > 0 {
			c = Choice{Start: Mid, Line: line}
		}
		p, err := Make(src, ix, nil, c, nil)
		if err != nil {
			if err.Error() == "" {
				t.Error("refused without a word")
			}
			return
		}
		var b bytes.Buffer
		if _, err := edit.Write(&b, src, p.Edits); err != nil {
			t.Fatal(err)
		}
		if len(p.Edits) == 1 && !strings.HasSuffix(b.String(), file[p.Start.Offset:]) {
			t.Error("the rest is not the original")
		}
		if _, err := Weigh(src, ix, []Evidence{{Kind: Touch, Value: 1},
			{Kind: Percent, Value: 40}}); err != nil && err.Error() == "" {
			t.Error("refused without a word")
		}
	})
}
