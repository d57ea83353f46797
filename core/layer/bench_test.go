package layer

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"
)

// plate makes a plain sliced file of about n bytes.
func plate(n int) []byte {
	var b bytes.Buffer
	b.WriteString("G21\nG90\nM82\nG28\nM104 S215\nM109 S215\nG92 E0\n")
	e := 0.0
	for l := 1; b.Len() < n; l++ {
		fmt.Fprintf(&b, ";seam %d\nG1 Z%.3f F600\nG0 X20 Y20 F9000\n", l, float64(l)*0.2)
		for k := range 400 {
			e += 0.0412
			fmt.Fprintf(&b, "G1 X%.3f Y%.3f E%.5f\n", 20+float64(k%40)*1.371, 20+float64(k*7%53)*0.913, e)
		}
		fmt.Fprintf(&b, "G1 E%.5f F2100\nG1 E%.5f\n", e-0.8, e)
	}
	return b.Bytes()
}

// BenchmarkRead compares the whole reading with two bounds measured in the
// same run: a plain loop that only sums E, and counting line ends.
func BenchmarkRead(b *testing.B) {
	data := plate(20 << 20)
	// The machine's speed wanders: the three take turns, the best of each counts.
	const far = time.Duration(1 << 62)
	read, plain, count := far, far, far
	best := func(d time.Duration, f func()) time.Duration {
		t := time.Now()
		f()
		return min(d, time.Since(t))
	}
	for b.Loop() {
		for range 7 {
			read = best(read, func() {
				if _, err := Read(context.Background(), bytes.NewReader(data), Options{}); err != nil {
					b.Fatal(err)
				}
			})
			plain = best(plain, func() {
				s := bufio.NewScanner(bytes.NewReader(data))
				sum := 0.0
				for s.Scan() {
					for _, w := range strings.Fields(s.Text()) {
						if w[0] == 'E' {
							v, _ := strconv.ParseFloat(w[1:], 64)
							sum += v
						}
					}
				}
			})
			count = best(count, func() { bytes.Count(data, []byte{'\n'}) })
		}
		mb := float64(len(data)) / 1e6
		b.ReportMetric(mb/read.Seconds(), "MB/s")
		b.ReportMetric(plain.Seconds()/read.Seconds(), "×plain-loop")
		b.ReportMetric(read.Seconds()/count.Seconds(), "×line-count-time")
	}
}

// BenchmarkReadOnly is for profiles.
func BenchmarkReadOnly(b *testing.B) {
	data := plate(40 << 20)
	b.SetBytes(int64(len(data)))
	b.ReportAllocs()
	for b.Loop() {
		if _, err := Read(context.Background(), bytes.NewReader(data), Options{}); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkDecode decodes one layer of 200,000 moves and groups its paths.
func BenchmarkDecode(b *testing.B) {
	var f bytes.Buffer
	f.WriteString("M83\nG1 Z.2\n")
	for k := range 200_000 {
		fmt.Fprintf(&f, "G1 X%.3f Y%.3f E.04120\n", 20+float64(k%40)*1.371, 20+float64(k*7%53)*0.913)
	}
	f.WriteString("M104 S0\n")
	src := bytes.NewReader(f.Bytes())
	ix, err := Read(context.Background(), src, Options{})
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(src.Size())
	for b.Loop() {
		moves, err := ix.Decode(src, 1)
		if err != nil || len(moves) < 199_000 {
			b.Fatal(len(moves), err)
		}
		Paths(moves)
	}
}

// oddFile makes about n bytes of what could make a reader slow: a macro word, a tool, a
// layer or a comment that is new each time.
func oddFile(kind string, n int) []byte {
	var b bytes.Buffer
	b.WriteString("M104 S210\nG28\nM83\n")
	for k := 0; b.Len() < n; k++ {
		z := float64(k/100+1) * 0.2
		switch kind {
		case "words":
			fmt.Fprintf(&b, "SET_BEACON_%d VALUE=%d\n", k, k)
		case "tools":
			fmt.Fprintf(&b, "T%d\nM104 S%d\n", k%30000, 200+k%9)
		case "layers":
			z = float64(k+1) * 0.02
		case "comments":
			fmt.Fprintf(&b, "; note %d of what happens here %x\n", k, k*7919)
		}
		fmt.Fprintf(&b, "G1 Z%.2f\nG1 X%d Y10 E1\nG1 X10 Y%d E1\n", z, 11+k%50, 11+k%40)
	}
	return b.Bytes()
}

// BenchmarkOdd compares files that could make the reader slow with an ordinary one of the
// same size, read in the same run.
func BenchmarkOdd(b *testing.B) {
	const size = 8 << 20
	read := func(data []byte) time.Duration {
		best := time.Duration(1 << 62)
		for range 3 {
			t := time.Now()
			if _, err := Read(context.Background(), bytes.NewReader(data), Options{}); err != nil {
				b.Fatal(err)
			}
			best = min(best, time.Since(t))
		}
		return best
	}
	ordinary := plate(size)
	for _, kind := range []string{"words", "tools", "layers", "comments"} {
		b.Run(kind, func(b *testing.B) {
			data := oddFile(kind, size)
			for b.Loop() {
				b.ReportMetric(float64(read(data))/float64(read(ordinary)), "×ordinary")
			}
		})
	}
}
