package layer

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"dogear/core/gcode"
)

func read(t *testing.T, s string) *Index {
	t.Helper()
	ix, err := Read(context.Background(), strings.NewReader(s), Options{})
	if err != nil {
		t.Fatal(err)
	}
	return ix
}

func lines(s ...string) string { return strings.Join(s, "\n") + "\n" }

func TestRefusals(t *testing.T) {
	for name, c := range map[string]struct {
		file string
		want error
	}{
		"empty":        {"", ErrEmpty},
		"blanks":       {"\n\n  \n", ErrNotGCode},
		"comments":     {"; nothing here\n; at all\n", ErrNotGCode},
		"prose":        {"The tide was out and the harbour lay dry.\n", ErrNotGCode},
		"no moves":     {"M104 S200\nG28\n", ErrNoMoves},
		"picture":      {"\x89PNG\r\n\x1a\n", ErrPicture},
		"photograph":   {"\xff\xd8\xff\xe0", ErrPicture},
		"model":        {"solid bollard\n facet normal 0 0 1\n", ErrMesh},
		"UTF-16":       {"\xff\xfeG\x001\x00", ErrUTF16},
		"UTF-16 plain": {strings.Repeat("G\x001\x00 \x00X\x00", 8), ErrUTF16},
		"archive":      {"PK\x03\x04....", ErrArchive},
		"endless line": {strings.Repeat("\x00", maxLine+2), ErrNotGCode},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Read(context.Background(), strings.NewReader(c.file), Options{})
			if !errors.Is(err, c.want) {
				t.Errorf("%v, want %v", err, c.want)
			}
		})
	}
}

func TestOddFilesAreRead(t *testing.T) {
	body := "M83\nG1 Z.2\nG1 X10 E1\nG1 Z.4\nG1 X0 E1\nM104 S0\n"
	for name, file := range map[string]string{
		"long line": "; " + strings.Repeat("x", 5<<20) + "\n" + body,
		"NUL bytes": "\x00\x00\n" + body,
		"BOM":       "\ufeff" + body,
		"CR LF":     strings.ReplaceAll(body, "\n", "\r\n"),
		"no end":    strings.TrimSuffix(body, "\n"),
		"rubbish":   body + "\x01\x02\xff\xfe\n",
		"bytes":     "; \xff\xfe\xfd\n" + body,
	} {
		ix := read(t, file)
		if len(ix.Layers) != 2 {
			t.Errorf("%s: %d layers", name, len(ix.Layers))
		}
	}
}

func codes(ix *Index) string {
	var s []string
	for _, f := range ix.Findings {
		s = append(s, fmt.Sprintf("%s@%d", f.Code, f.Line))
	}
	return strings.Join(s, " ")
}

func TestFindings(t *testing.T) {
	for _, c := range []struct{ name, file, want string }{
		{"all well", "M83\nG1 Z.2\nG1 X10 E1\nM104 S0\n", ""},
		{"bad number", "M83\nG1 Z.2\nG1 X10 Y--1 E1\nM104 S0\n", "bad-number@3"},
		{"checksum", "M83\nN2 G1 Z.2*1\nG1 X10 E1\nM104 S0\n", "checksum@2"},
		{"unknown", "M83\nG1 Z.2\nM9999\nM9999\nG1 X10 E1\nM104 S0\n", "unknown-command@3"},
		{"macro", "BEGIN BED=60\nM83\nG1 Z.2\nG1 X10 E1\nM104 S0\n", "unknown-command@1"},
		{"cut in mid-line", "M83\nG1 Z.2\nG1 X10 E1\nG1 X2", "cut-short@4"},
		{"no end code", "M83\nG1 Z.2\nG1 X10 E1\n", "cut-short@3"},
		{"rubbish", "M83\nG1 Z.2\nG1 X10 E1\nM104 S0\n%&/\n", "unknown-command@5 rubbish-at-end@5"},
		{"binary rubbish", "M83\nG1 Z.2\nG1 X10 E1\nM104 S0\n\x01\xfe\x80\n\x07\n", "rubbish-at-end@5"},
		{"lays nothing", "G1 X1\nG1 X2\n", "no-heights@1"},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := codes(read(t, c.file)); got != c.want {
				t.Errorf("%q, want %q", got, c.want)
			}
		})
	}
}

// TestFoldLine puts what may stand between two layers in several orders; the
// fold line is marked by its text.
func TestFoldLine(t *testing.T) {
	for _, c := range []struct{ name, between, fold string }{
		{"travel only", "G1 Z.4\nG0 X0 Y0", "G1 Z.4"},
		{"retraction, then travel", "G1 E-1\nG1 Z.4\nG0 X0 Y0\nG1 E1", "G1 Z.4"},
		{"wipe and retraction", "G1 X8 E-.5\nG1 E-.5\nG1 Z.9\nG1 Z.4\nG1 E1", "G1 Z.9"},
		{"firmware retraction", "G10\nG1 Z.4\nG11", "G1 Z.4"},
		{"clock, then mark", "G1 E-1\n; 12.5 s\n; tier 1\nG1 Z.4\nG1 E1", "; 12.5 s"},
		{"mark before the retraction", "; tier 1\nG1 E-1\nG1 Z.4\nG1 E1", "; tier 1"},
		{"label before the wipe", "; wiping\nG1 X8 E-1\n; tier 1\nG1 Z.4\nG1 E1", "; tier 1"},
		{"retraction behind the travel", "G1 Z.4\nG1 E-1\nG0 X0 Y0\nG1 E1", "G1 Z.4"},
		{"blank lines", "\n  \nM106 S255\nG1 Z.4", "M106 S255"},
		{"message", "M117 next\nG1 Z.4", "M117 next"},
		{"nothing between", "G1 X5 Y5 Z.4 E1", "G1 X5 Y5 Z.4 E1"},
	} {
		t.Run(c.name, func(t *testing.T) {
			var b strings.Builder
			b.WriteString("M83\nG1 Z.2\n")
			b.WriteString("; tier 0\nG1 X10 Y5 E1\n" + c.between + "\nG1 X21 E1\n")
			for n := 2; n < 8; n++ { // so that marks can be learned
				fmt.Fprintf(&b, "%s\nG1 X%d E1\n", strings.NewReplacer("tier 1", fmt.Sprint("tier ", n), "12.5",
					fmt.Sprint(12.5*float64(n)), "Z.4", fmt.Sprint("Z", 0.2*float64(n+1)), "Z.9",
					fmt.Sprint("Z", 0.2*float64(n+1)+.5)).Replace(c.between), 20+n)
			}
			b.WriteString("M104 S0\n")
			ix := read(t, b.String())
			if len(ix.Layers) != 8 {
				t.Errorf("%d layers", len(ix.Layers))
				return
			}
			src := strings.NewReader(b.String())
			off, err := ix.OffsetOf(src, ix.Layers[1].Fold)
			if err != nil || off != ix.Layers[1].Offset {
				t.Errorf("offset %d, index says %d (%v)", off, ix.Layers[1].Offset, err)
			}
			got, _, _ := strings.Cut(b.String()[off:], "\n")
			if got != c.fold {
				t.Errorf("fold at %q, want %q", got, c.fold)
			}
		})
	}
}

func TestKinds(t *testing.T) {
	var vase strings.Builder
	vase.WriteString("M83\nG1 Z.2\n")
	for k := range 400 {
		fmt.Fprintf(&vase, "G1 X%d Y%d Z%.4f E.5\n", k%2*10, k/2%2*10, 0.2+float64(k)*0.05)
	}
	vase.WriteString("M104 S0\n")
	ix := read(t, vase.String())
	if ix.Kind != Vase || len(ix.Layers) < 90 || len(ix.Layers) > 110 {
		t.Errorf("vase: %s with %d layers", ix.Kind, len(ix.Layers))
	}
	object := "G0 X%d\nG1 Z.2\nG1 X%d E1\nG1 Z.4\nG1 X%[1]d E1\nG1 Z.6\nG1 X%[2]d E1\nG1 Z5\n"
	ix = read(t, "M83\n"+fmt.Sprintf(object, 10, 20)+fmt.Sprintf(object, 50, 60)+"M104 S0\n")
	if ix.Kind != Sequential || ix.Objects != 2 || len(ix.Layers) != 6 || ix.Layers[3].Object != 2 ||
		ix.Layers[3].Height != gcode.MM/5 {
		t.Errorf("sequential: %s, %d objects, %d layers", ix.Kind, ix.Objects, len(ix.Layers))
	}
	if got := fmt.Sprint(ix.AtHeight(gcode.FromMM(0.4))); got != "[3 6]" {
		t.Errorf("0.4 mm is reached before layers %s", got)
	}
	// A hop lays nothing and makes no layer.
	ix = read(t, "M83\nG1 Z.2\nG1 X9 E1\nG1 Z.8\nG0 X0\nG1 Z.2\nG1 X9 E1\nM104 S0\n")
	if len(ix.Layers) != 1 {
		t.Errorf("hop: %d layers", len(ix.Layers))
	}
}

func TestPlaces(t *testing.T) {
	ix := read(t, lines("M83", "G1 Z.2", "G1 X10 E1", "G1 Z.4", "G1 X0 E1", "G1 Z.6", "G1 X10 E1",
		"M104 S0"))
	for z, want := range map[float64]string{0: "[1]", 0.2: "[2]", 0.21: "[3]", 9: "[]"} {
		if got := fmt.Sprint(ix.AtHeight(gcode.FromMM(z))); got != want {
			t.Errorf("AtHeight(%v) = %s, want %s", z, got, want)
		}
	}
	if a, b := ix.At(3), ix.At(4); a != 1 || b != 2 {
		t.Errorf("At: %d %d", a, b)
	}
}

// TestStatedTime compares with what the file itself says.
func TestStatedTime(t *testing.T) {
	file := func(clock func(n int) string) *Index {
		var b strings.Builder
		b.WriteString("M83\nM204 S1000\n")
		for n := range 40 {
			fmt.Fprintf(&b, "; tier %d\nG1 Z%.1f F3000\nG1 X%d E9\nG1 X%d Y%d E9\n%s", n, 0.2*float64(n+1),
				100+n%2, n%2, n, clock(n))
		}
		b.WriteString("M104 S0\n")
		return read(t, b.String())
	}
	plain := file(func(int) string { return "" })
	ix := file(
		func(n int) string { return fmt.Sprintf("; %.2f s gone\n", float64(n+1)*plain.Seconds/40*1.2) })
	if d := ix.Seconds/plain.Seconds - 1.2; d > 0.01 || d < -0.01 || ix.Scale < 1.19 ||
		ix.Scale > 1.21 {
		t.Errorf("%v s by the moves, %v s by the clock, scale %v", plain.Seconds, ix.Seconds, ix.Scale)
	}
	sum := 0.0
	for i := range ix.Layers {
		sum += ix.Layers[i].Seconds
		if i > 0 && ix.Layers[i].Begin <= ix.Layers[i-1].Begin {
			t.Fatalf("layer %d begins at %v, the one before at %v", i+1, ix.Layers[i].Begin,
				ix.Layers[i-1].Begin)
		}
	}
	if d := ix.Layers[0].Begin + sum - ix.Seconds; d > 1e-6 || d < -1e-6 {
		t.Errorf("layers take %v s of %v", sum, ix.Seconds)
	}
	if ix :=
		file(func(n int) string { return fmt.Sprintf("; %d.5 s gone\n", n*900) }); ix.Scale != 1 ||
		!strings.Contains(codes(ix), "time-stated") {
		t.Errorf("a clock far off stretches by %v: %s", ix.Scale, codes(ix))
	}
	if ix := file(
		func(n int) string { return fmt.Sprintf("; %.1f %% done\n", float64(n)*2.5+.5) }); ix.Scale != 1 {
		t.Errorf("percent are taken for seconds: %v", ix.Scale)
	}
}

// TestMoveTimes checks that moves fill the time of their layer, in order.
func TestMoveTimes(t *testing.T) {
	data := plate(1 << 20)
	src := bytes.NewReader(data)
	ix := read(t, string(data))
	for _, n := range []int{1, 2, len(ix.Layers) / 2} {
		moves, err := ix.Decode(src, n)
		if err != nil {
			t.Fatal(err)
		}
		times, err := ix.Times(src, n, moves)
		if err != nil {
			t.Fatal(err)
		}
		l := &ix.Layers[n-1]
		if len(times) != len(moves) || times[0] < l.Begin ||
			times[len(times)-1] > l.Begin+l.Seconds+1e-6 {
			t.Fatalf("layer %d: %d moves, %d times, %v … %v of %v + %v", n, len(moves), len(times),
				times[0],
				times[len(times)-1], l.Begin, l.Seconds)
		}
		for i := 1; i < len(times); i++ {
			if times[i] < times[i-1] {
				t.Fatalf("layer %d: move %d begins before the one before it", n, i)
			}
		}
	}
}

func TestCancel(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := Read(ctx, bytes.NewReader(plate(3<<20)), Options{}); !errors.Is(err,
		context.Canceled) {
		t.Error(err)
	}
}

// TestTimes checks the planner on moves whose time is known by hand.
func TestTimes(t *testing.T) {
	// 100 mm at 50 mm/s with 1,000 mm/s²: 0.05 s up, 0.05 s down, 97.5 mm even.
	ix := read(t, "M83\nM204 S1000\nG1 Z.2 F3000\nG4 P0\nG1 X100 E1\nG4 P0\nM104 S0\n")
	if got := ix.Layers[0].Seconds; got < 2.04 || got > 2.2 {
		t.Errorf("one move takes %v s, want 2.05 and a little for the way up", got)
	}
	// The same way in a hundred pieces on a straight line takes as long.
	var b strings.Builder
	b.WriteString("M83\nM204 S1000\nG1 Z.2 F3000\nG4 P0\n")
	for k := range 100 {
		fmt.Fprintf(&b, "G1 X%d E.01\n", k+1)
	}
	b.WriteString("G4 P0\nM104 S0\n")
	cut := read(t, b.String())
	if d := cut.Seconds - ix.Seconds; d > 0.01 || d < -0.01 {
		t.Errorf("cut into pieces it takes %v s longer", d)
	}
	// Corners cost: a zigzag is slower than a straight line.
	b.Reset()
	b.WriteString("M83\nM204 S1000\nG1 Z.2 F3000\nG4 P0\n")
	for k := range 100 {
		fmt.Fprintf(&b, "G1 X%d E.01\n", (k+1)%2)
	}
	b.WriteString("G4 P0\nM104 S0\n")
	if z := read(t, b.String()); z.Seconds < cut.Seconds*1.5 {
		t.Errorf("a zigzag takes %v s, a line %v s", z.Seconds, cut.Seconds)
	}
}

// FuzzRead checks that no bytes make the reading fail, that folds lie where
// they must, and that the state kept at a fold is the one that a fresh reading
// of everything before it leaves.
func FuzzRead(f *testing.F) {
	f.Add([]byte("M83\nG1 Z.2\nG1 X10 E1\nG1 E-1\n; a 1\nG1 Z.4\nG1 X0 E2\nM104 S0\n"))
	f.Add([]byte("G20\ng1z.1\r\ng1x1e1\ng91\ng1z.1x1e2\nT1\nG92\nG2 X1 I1 E9\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		src := bytes.NewReader(b)
		ix, err := Read(context.Background(), src, Options{})
		if err != nil {
			return
		}
		for i := range ix.Layers {
			l := &ix.Layers[i]
			if l.Fold > l.First || l.First > l.Last || i > 0 && l.Fold <= ix.Layers[i-1].Last {
				t.Fatalf("layer %d: fold %d first %d last %d", i+1, l.Fold, l.First, l.Last)
			}
			var m gcode.Machine
			var c gcode.Command
			var a gcode.Act
			for line := range bytes.SplitAfterSeq(b[:l.Offset], []byte("\n")) {
				c.Parse(line)
				m.Exec(&c, &a)
			}
			at, err := ix.Before(src, i+1)
			if err != nil {
				t.Fatal(err)
			}
			if m.Pos != at.Pos || m.E != at.E || m.Debt != at.Debt || m.Feed != at.Feed ||
				m.RelE != at.RelE || m.Laid != at.Laid {
				t.Fatalf("layer %d: the kept state is not the state there:\n%+v\n%+v", i+1, at, m.State)
			}
			if off, err := ix.OffsetOf(src, l.Fold); err != nil || off != l.Offset {
				t.Fatalf("layer %d: offset %d, kept %d (%v)", i+1, off, l.Offset, err)
			}
		}
	})
}

func ExampleRead() {
	file := strings.NewReader("M83\n; floor 0\nG1 Z.2\nG1 X10 E1\nG1 E-1\n; floor 1\nG1 Z.4\nG1 E1\n" +
		"G1 X0 E1\n; floor 2\nG1 Z.6\nG1 X10 E1\nM104 S0\n")
	ix, err := Read(context.Background(), file, Options{})
	if err != nil {
		panic(err)
	}
	for n, l := range ix.Layers {
		fmt.Printf("layer %d (file: %d) at %s mm, fold in front of line %d\n", n+1, l.Number, l.Z, l.Fold)
	}
	// Output:
	// layer 1 (file: 0) at 0.20 mm, fold in front of line 2
	// layer 2 (file: 1) at 0.40 mm, fold in front of line 6
	// layer 3 (file: 2) at 0.60 mm, fold in front of line 10
}
