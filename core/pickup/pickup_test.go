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
	"dogear/core/finding"
	"dogear/core/gcode"
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

func codes(p *Pickup, level finding.Level) string {
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
		!strings.Contains(out, "; dogear left out: G28\n") || codes(p, finding.Stop) != "" {
		t.Errorf("%+v %v", p.Start, p.Findings)
	}
}

// TestFlips turns lines of the start-up, and takes the consequences.
func TestFlips(t *testing.T) {
	file := tower(20)
	for was, code := range map[string]string{"G28": "homes-onto-part", "G29": "homes-onto-part",
		"G1 Z0.28 F600": "drag", "M117 Low water": ""} {
		line := int64(1 + slices.Index(strings.Split(file, "\n"), was))
		p, out := made(t, file, Choice{Start: Next, Layer: 10, Flip: map[int64]bool{line: true}})
		if got := codes(p, finding.Stop); !strings.Contains(got, code) || code == "" && got != "" ||
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
		t.Run(fmt.Sprint(c.c.Start, c.c.Layer, c.c.Line), func(t *testing.T) {
			_, err := Make(src, ix, nil, c.c, nil)
			if err == nil || c.want != nil && !errors.Is(err, c.want) {
				t.Errorf("%+v: %v, want %v", c.c, err, c.want)
			}
		})
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
		t.Run(c.start, func(t *testing.T) {
			b, err := Weigh(src, ix, c.known)
			if err != nil {
				t.Fatal(err)
			}
			p, _ := made(t, file, Choice{Start: c.start, Layer: 10, Measured: b.ByHeight()})
			if got := strings.Contains(codes(p, finding.Care), "look-at-top"); got != c.want {
				t.Errorf("%v, %s: asks %v, want %v", c.known, c.start, got, c.want)
			}
		})
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
	if codes(p, finding.Stop) != "prime-on-part" {
		t.Error(p.Findings)
	}
}

// TestOddFiles: macros, numbered lines, rubbish at the end, a printer too low.
func TestOddFiles(t *testing.T) {
	macro := strings.Replace(tower(20), "G28\nG29\n", "START_WORK BED=65 EXTRUDER=215\n", 1)
	p, out := made(t, macro, Choice{Start: Next, Layer: 10})
	if !strings.Contains(out, "; dogear left out: START_WORK") ||
		codes(p, finding.Care) != "macro-start" {
		t.Error(p.Findings)
	}
	for _, c := range []struct {
		line string
		ok   bool
	}{{"M420 S1", true}, {"BED_NET LOAD=harbour", true}, {"M900 K0.2", true}, {"G28", false},
		{"G1 X5", false}, {"M104 S200", false}, {"M0", false}, {"G91", false}, {"M84", false},
		{"a\nG28", false}, {"; only a note", true}} {
		t.Run(c.line, func(t *testing.T) {
			src, ix := read(t, macro)
			p, err := Make(src, ix, nil, Choice{Start: Next, Layer: 10, Lines: []string{c.line}}, nil)
			if (err == nil) != c.ok {
				t.Errorf("%v", err)
			}
			if err != nil || c.line[0] == ';' {
				return
			}
			var now []string
			for _, e := range p.Opening {
				now = append(now, e.Now)
			}
			if text := strings.Join(now, "\n"); strings.Index(text, "G28 X Y") >
				strings.Index(text, c.line) || strings.Index(text, "G1 E12") < strings.Index(text, c.line) {
				t.Errorf("%q stands in the wrong place:\n%s", c.line, text)
			}
			if codes(p, finding.Care) != "" || codes(p, finding.Stop) != "" {
				t.Errorf("%v", p.Findings)
			}
		})
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
	if strings.Contains(out, "rubbish") || codes(p, finding.Note) != "rubbish-at-end" {
		t.Error(p.Findings)
	}
	src, ix := read(t, tower(20))
	low := plan.Generic()
	low.Top, low.Assumed = 2.2, false
	p, err := Make(src, ix, low, Choice{Start: Next, Layer: 10}, nil)
	if err != nil || codes(p, finding.Stop) != "lift-too-low" {
		t.Error(err, p.Findings)
	}
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

// TestGentleLooseTop gives a loose top a first layer as the file's own when that is asked for,
// and refuses one that would be laid below the bed.
func TestGentleLooseTop(t *testing.T) {
	file := strings.Replace(tower(20), "G1 Z0.4 ", "M104 S200\nG1 Z0.4 ", 1)
	src, ix := read(t, file)
	for _, gentle := range []bool{false, true} {
		made := func(p *Pickup) string {
			var b strings.Builder
			for _, e := range p.Edits {
				b.Write(e.Text)
			}
			return b.String()
		}
		p, err := Make(src, ix, nil, Choice{Start: Next, Layer: 10, LooseTop: true, Gentle: gentle,
			DX: 3}, nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := p.Choice.Ease.Layers; (got == 1) != gentle {
			t.Errorf("gentle %v: %d layers", gentle, got)
		}
		if text := made(p); strings.Contains(text, "M106 S200 ; fan as the file has it") != gentle ||
			strings.Contains(text, "M106 S200 ; fan as it was") == gentle {
			t.Errorf("gentle %v: %s", gentle, text)
		}
		if p.Shift[0] != 3*gcode.MM {
			t.Errorf("moved by %v", p.Shift)
		}
		if c := codes(p, finding.Stop); c != "" {
			t.Error(c, p.Findings)
		}
	}
	var two strings.Builder
	two.WriteString("M83\nM109 S210\nG28\n")
	for _, x := range []int{20, 90} {
		for n := 1; n <= 6; n++ {
			fmt.Fprintf(&two, "G1 Z%.1f F600\nG0 X%d Y20 F6000\nG1 X%d E1 F600\nG1 Y40 E1\nG1 X%d E1\n"+
				"G1 Y20 E1\n", 0.2*float64(n), x, x+20, x)
		}
	}
	src, ix = read(t, two.String())
	_, err := Make(src, ix, nil, Choice{Start: Next, Layer: 3, LooseTop: true}, nil)
	if ix.Kind != layer.Sequential || err == nil || !strings.Contains(err.Error(), "below the bed") {
		t.Errorf("%s: %v", ix.Kind, err)
	}
}
