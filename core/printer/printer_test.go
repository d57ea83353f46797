package printer

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// tower is ten square layers with a stop before the fifth.
func tower(stop string) string {
	var b strings.Builder
	b.WriteString("M83\nM190 S60\nM109 S210\nG28\nM117 Low water\nM106 S255\n")
	for n := 1; n <= 10; n++ {
		if n == 5 {
			b.WriteString(stop)
		}
		fmt.Fprintf(&b, "G1 Z%.1f F600\nG0 X50 Y50 F6000\nG1 X90 Y50 E2 F1200\nG1 X90 Y90 E2\n"+
			"G1 X50 Y90 E2\nG1 X50 Y50 E2\n", 0.2*float64(n))
	}
	b.WriteString("M104 S0\nM140 S0\nM84\n")
	return b.String()
}

func load(t *testing.T, file string, pr *plan.Printer) (*Printer, *[]Laid) {
	t.Helper()
	src := strings.NewReader(file)
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		t.Fatal(err)
	}
	laid := &[]Laid{}
	return New(src, ix, pr, func(l Laid) { *laid = append(*laid, l) }), laid
}

func kinds(p *Printer) map[string]int {
	n := map[string]int{}
	for _, e := range p.Take() {
		n[e.Kind]++
	}
	return n
}

func TestRun(t *testing.T) {
	file := tower("M300 S880 P200\nM0 look\n")
	p, laid := load(t, file, nil)
	if p.Run(1e9) || p.State != Waiting {
		t.Fatal(p.State)
	}
	s := p.See()
	if at := strings.Index(file, "look\n") + len("look\n"); s.Bytes != int64(at) {
		t.Errorf("%d bytes are read, not %d", s.Bytes, at)
	}
	if s.Layer != 4 || math.Abs(s.Top-0.8) > 1e-9 || s.Message != "look" ||
		math.Abs(s.Nozzle-210) > 1 || math.Abs(s.Bed-60) > 1 || s.Fan != 100 || s.Laid != 16 {
		t.Errorf("%+v", s)
	}
	// Bed and nozzle take their time: 38 °C at 0.55, 188 °C at 2.4 a second.
	if heat := 38/0.55 + (210-22)/2.4; s.Time < heat || s.Time > heat+80 {
		t.Errorf("%v s", s.Time)
	}
	if n := kinds(p); n["tone"] != 1 || n["stop"] != 1 || n["layer"] != 4 || n["message"] != 2 {
		t.Errorf("%v", n)
	}
	before := p.Time
	p.Run(1e9)
	if p.Time != before {
		t.Error("it goes on by itself")
	}
	p.Resume()
	p.Run(1e9)
	if p.State != Done || len(*laid) != 40 {
		t.Error(p.State, len(*laid))
	}
	if s := p.See(); s.Percent != 100 {
		t.Errorf("done at %v %%", s.Percent)
	}
	if n := kinds(p); n["resume"] != 1 || n["done"] != 1 {
		t.Errorf("%v", n)
	}
}

// TestLateStop honours M25 only when the buffer is empty: without settle lines
// the printer is long past the fold.
func TestLateStop(t *testing.T) {
	for stop, want := range map[string]int{"M25\n": 5, "M400\nM25\n": 5, "M25\nG4 P500\n": 4,
		"M25\nM400\n": 4, "M0\n": 4} {
		p, _ := load(t, tower(stop), nil)
		p.Run(1e9)
		if p.State != Waiting || p.See().Layer != want || want == 5 && p.See().Laid != 18 {
			t.Errorf("%q: %s in layer %d, %d laid, want layer %d", stop, p.State, p.Layer, p.See().Laid,
				want)
		}
	}
}

// TestHarm says so when the printer is told to do harm.
func TestHarm(t *testing.T) {
	for lines, c := range map[string]struct{ state, says string }{
		"M112\n":                    {Stopped, "M112 ends everything"},
		"M81\n":                     {Dead, "the power is gone"},
		"M84\n":                     {Done, "has let go of its motors"},
		"G1 Z900 F600\n":            {Done, "beyond its top of 250 mm"},
		"G1 Z-3 F600\n":             {Done, "below its bed"},
		"G28\n":                     {Done, "comes down onto the part"},
		"G28 Z\n":                   {Done, "comes down onto the part"},
		"G1 Z0.3 F600\nG28 X\n":     {Done, "homes the sides at 0.30 mm"},
		"M104 S400\n":               {Stopped, "switches itself off at 300 °C"},
		"M104 S0\nG4 S300\n":        {Done, "lays filament with the nozzle at 22 °C"},
		"G1 Z50 F600\nG1 X50 Y50\n": {Done, ""},
	} {
		t.Run(lines, func(t *testing.T) {
			p, _ := load(t, tower(lines), nil)
			p.Run(1e9)
			var all []string
			for _, e := range p.Take() {
				if e.Kind == "harm" || e.Kind == "fault" {
					all = append(all, e.Text)
				}
			}
			got := strings.Join(all, "; ")
			if p.State != c.state || c.says == "" && got != "" || !strings.Contains(got, c.says) {
				t.Errorf("%s, %q; want %s, %q", p.State, got, c.state, c.says)
			}
		})
	}
	cold, _ := load(t, strings.Replace(tower(""), "M109 S210\n", "", 1), nil)
	if cold.Run(1e9); kinds(cold)["harm"] != 1 {
		t.Error("a file without heat is laid cold without a word")
	}
}

func TestFaults(t *testing.T) {
	for fault, want := range map[string]struct {
		state string
		laid  int
	}{
		"power@layer:6": {Dead, 20}, "stop@line:40": {Stopped, 18}, "sensor@layer:3": {Stopped, 8},
		"jam@layer:6": {Done, 20}, "runout@layer:2": {Done, 4}, "skip-x@layer:6": {Done, 40},
		"power@minute:0.5": {Dead, 0},
	} {
		t.Run(fault, func(t *testing.T) {
			p, laid := load(t, tower(""), nil)
			f, err := ParseFault(fault)
			if err != nil {
				t.Fatal(err)
			}
			p.Throw(f)
			p.Run(1e9)
			if p.State != want.state || len(*laid) != want.laid && fault != "stop@line:40" {
				t.Errorf("%s, %d laid; want %s, %d", p.State, len(*laid), want.state, want.laid)
			}
			if n := kinds(p); n["fault"] != 1 {
				t.Errorf("%v", n)
			}
			if f.Kind == "skip-x" && (*laid)[39].To[0] != 53*gcode.MM {
				t.Errorf("%v", (*laid)[39])
			}
			if ev := p.Evidence(); strings.HasPrefix(fault, "jam") && (len(ev) != 1 || ev[0].Value != 1) {
				t.Errorf("%+v", ev)
			}
		})
	}
	for _, s := range []string{"", "power", "power@noon:3", "flood@layer:3", "jam@layer:x",
		"jam@layer:0"} {
		if _, err := ParseFault(s); err == nil {
			t.Errorf("%q is a fault", s)
		}
	}
}

func TestWaitsForEver(t *testing.T) {
	p, _ := load(t, tower("M109 R10\n"), nil)
	p.Run(1e9)
	if p.State != Stopped || !strings.Contains(p.Events[len(p.Events)-1].Text, "never continues") {
		t.Error(p.State, p.Events)
	}
	// Cooling down is waited for when it is asked for.
	p, _ = load(t, tower("M109 R150\nM109 S210\n"), nil)
	p.Run(1e9)
	q, _ := load(t, tower(""), nil)
	q.Run(1e9)
	if d := p.Time - q.Time; p.State != Done || math.Abs(d-(60+60/2.4)) > 3 {
		t.Errorf("%v s later", d)
	}
}

// BenchmarkRun compares simulated with real time.
func BenchmarkRun(b *testing.B) {
	file := strings.Repeat(strings.Join(strings.Split(tower(""), "\n")[6:66], "\n")+"\n", 40)
	src := strings.NewReader("M83\nM109 S210\nG28\n" + file)
	ix, err := layer.Read(context.Background(), src, layer.Options{})
	if err != nil {
		b.Fatal(err)
	}
	sim := 0.0
	for b.Loop() {
		p := New(src, ix, nil, nil)
		p.Run(1e12)
		sim += p.Time
	}
	b.ReportMetric(sim/b.Elapsed().Seconds(), "×real")
}
