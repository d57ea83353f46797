package proof

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// align finds what was inserted, removed and rewritten.
func align(original, edited Source) (*Aligned, error) {
	a := newAligner(original, edited, &Own{})
	for {
		if _, more, err := a.next(); err != nil || !more {
			return &a.out, err
		}
	}
}

func TestAlign(t *testing.T) {
	var lines []string
	for i := range 4000 {
		lines = append(lines, fmt.Sprintf("G1 X%d Y%d E0.1", i%97, i%89))
	}
	lines[1200] = "M104 S210"
	file := strings.Join(lines, "\n") + "\n"
	at := func(n int, ins ...string) string {
		return strings.Join(append(append(append([]string{}, lines[:n]...), ins...), lines[n:]...),
			"\n") + "\n"
	}
	for name, c := range map[string]struct {
		edited                       string
		inserted, removed, rewritten int64
	}{
		"the same":     {file, 0, 0, 0},
		"one line":     {at(1000, "M0"), 1, 0, 0},
		"a block":      {at(1000, strings.Split(strings.Repeat("G4 S1\n", 500), "\n")...), 501, 0, 0},
		"at the end":   {file + "M84\n", 1, 0, 0},
		"at the start": {"; hello\n" + file, 1, 0, 0},
		"cut":          {strings.Join(lines[3000:], "\n") + "\n", 0, 3000, 0},
		"cut and opened": {"G92 Z1\nG1 Z5\nM109 S200\n" + strings.Join(lines[3000:], "\n") + "\n", 3,
			3000, 0},
		"rewritten": {strings.Replace(file, "M104 S210", "; dogear was: M104 S210\nM104 S225", 1),
			1, 0, 1},
		"line ends":      {strings.ReplaceAll(file, "\n", "\r\n"), 0, 0, 0},
		"a move changed": {strings.Replace(file, lines[2000], "G1 X1000 Y3 E9", 1), 1, 1, 0},
		"nothing left":   {"", 0, 4000, 0},
		"numbered":       {numbered(lines), 0, 0, 0},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := align(strings.NewReader(file), strings.NewReader(c.edited))
			if err != nil || r.Inserted != c.inserted || r.Removed != c.removed ||
				int64(len(r.Rewritten)) != c.rewritten {
				t.Errorf("%d inserted, %d removed, %d rewritten; want %d, %d, %d (%v)", r.Inserted,
					r.Removed, len(r.Rewritten), c.inserted, c.removed, c.rewritten, err)
			}
		})
	}
	// Whatever is inserted is counted, wherever it stands.
	random := rand.New(rand.NewPCG(7, 7))
	for range 50 {
		out, want := []string{}, int64(0)
		for _, l := range lines {
			if random.IntN(200) == 0 {
				for k := range 1 + random.IntN(5) {
					out = append(out, fmt.Sprintf("M117 %d %d", k, random.IntN(1000)))
					want++
				}
			}
			out = append(out, l)
		}
		r, err := align(strings.NewReader(file), strings.NewReader(strings.Join(out, "\n")+"\n"))
		if err != nil || r.Inserted != want || r.Removed != 0 {
			t.Fatalf("%d inserted, want %d; %d removed (%v)", r.Inserted, want, r.Removed, err)
		}
	}
}

// FuzzAlign aligns any two texts: what is inserted and removed makes up the
// difference in lines.
func FuzzAlign(f *testing.F) {
	f.Add("a\nb\nc\n", "a\nx\nb\nc\n")
	f.Add("G1 X1\nM104 S200\n", "M104 S210\n")
	f.Fuzz(func(t *testing.T, a, b string) {
		r, err := align(strings.NewReader(a), strings.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		count := func(s string) int64 {
			n := int64(strings.Count(s, "\n"))
			if s != "" && !strings.HasSuffix(s, "\n") {
				n++
			}
			return n
		}
		if r.Inserted < 0 || r.Removed < 0 || count(a)+r.Inserted-r.Removed != count(b) {
			t.Errorf("%d lines, %d inserted, %d removed, %d lines", count(a), r.Inserted, r.Removed,
				count(b))
		}
	})
}

// numbered gives lines their numbers and checksums.
func numbered(lines []string) string {
	var b strings.Builder
	for i, l := range lines {
		l = fmt.Sprintf("N%d %s", i+1, l)
		sum := byte(0)
		for k := range len(l) {
			sum ^= l[k]
		}
		fmt.Fprintf(&b, "%s*%d\n", l, sum)
	}
	return b.String()
}
