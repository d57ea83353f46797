package landmark_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"testing"
	"time"

	"dogear/core/landmark"
	"dogear/core/layer"
)

// sheet writes G-code by hand, as large as it takes: relative filament, a mark at each layer.
type sheet struct {
	b    bytes.Buffer
	x, y float64
	z    float64
}

func newSheet() *sheet {
	s := &sheet{}
	s.b.WriteString("G21\nG90\nM83\nG28\nM104 S215\nM109 S215\n")
	return s
}

func (s *sheet) layer(n int, z float64) {
	fmt.Fprintf(&s.b, ";seam %d\nG1 Z%.3f F600\n", n, z)
	s.z = z
}

func (s *sheet) kind(word string) { s.b.WriteString(";" + word + "\n") }

func (s *sheet) to(x, y float64) {
	fmt.Fprintf(&s.b, "G1 E-.8 F2100\nG0 X%.3f Y%.3f F9000\nG1 E.8 F2100\n", x, y)
	s.x, s.y = x, y
}

func (s *sheet) lay(x, y float64) {
	e := math.Hypot(x-s.x, y-s.y) * 0.0374 // 0.45 wide, 0.2 high, of 1.75 mm
	fmt.Fprintf(&s.b, "G1 X%.3f Y%.3f E%.5f\n", x, y, e)
	s.x, s.y = x, y
}

// loop lays a closed line through places f(0) … f(1).
func (s *sheet) loop(pieces int, f func(t float64) (x, y float64)) {
	s.to(f(0))
	for k := 1; k <= pieces; k++ {
		s.lay(f(float64(k) / float64(pieces)))
	}
}

func (s *sheet) square(x, y, half float64) { s.rect(x, y, half, half) }

// rect lays a rectangle round a place, halfX and halfY to its sides.
func (s *sheet) rect(x, y, halfX, halfY float64) {
	s.to(x-halfX, y-halfY)
	s.lay(x+halfX, y-halfY)
	s.lay(x+halfX, y+halfY)
	s.lay(x-halfX, y+halfY)
	s.lay(x-halfX, y-halfY)
}

func (s *sheet) circle(x, y, r float64, pieces int) {
	s.loop(pieces, func(t float64) (float64, float64) {
		sin, cos := math.Sincos(2 * math.Pi * t)
		return x + r*cos, y + r*sin
	})
}

// stripes fills a square with lines so far apart, one way on even layers and the other on odd
// ones.
func (s *sheet) stripes(n int, x, y, half, gap float64) {
	for k, at := 0, -half+gap/2; at < half; k, at = k+1, at+gap {
		a, b := -half, half
		if k%2 == 1 {
			a, b = b, a
		}
		if n%2 == 0 {
			s.to(x+a, y+at)
			s.lay(x+b, y+at)
		} else {
			s.to(x+at, y+a)
			s.lay(x+at, y+b)
		}
	}
}

// cushion is a square of layers with walls and fill of so much percent.
func cushion(half float64, layers int, fill float64) []byte {
	s := newSheet()
	for n := 1; n <= layers; n++ {
		s.layer(n, 0.2*float64(n))
		s.kind("outer wall")
		s.square(110, 110, half)
		s.kind("inner wall")
		s.square(110, 110, half-0.45)
		s.kind("fill")
		gap := 2 * 0.45 / fill
		s.stripes(1, 110, 110, half-0.7, gap)
		s.stripes(2, 110, 110, half-0.7, gap)
	}
	return s.b.Bytes()
}

// sieve is a plate with 400 holes.
func sieve(layers int) []byte {
	s := newSheet()
	for n := 1; n <= layers; n++ {
		s.layer(n, 0.2*float64(n))
		s.kind("outer wall")
		s.square(110, 110, 100)
		for k := range 400 {
			s.circle(20+9*float64(k%20), 20+9*float64(k/20), 2.5, 24)
		}
		s.kind("solid")
		s.stripes(n, 110, 110, 99, 0.9)
	}
	return s.b.Bytes()
}

// crumbs are so many small loops in one layer.
func crumbs(loops int) []byte {
	s := newSheet()
	for n := 1; n <= 2; n++ {
		s.layer(n, 0.2*float64(n))
		s.kind("outer wall")
		for k := range loops {
			s.square(10+1.3*float64(k%150), 10+1.3*float64(k/150), 0.4)
		}
	}
	return s.b.Bytes()
}

// tower is one square again and again.
func tower(layers int) []byte {
	s := newSheet()
	for n := 1; n <= layers; n++ {
		s.layer(n, 0.02*float64(n))
		s.square(110, 110, 10)
	}
	return s.b.Bytes()
}

// figure is like what fills most of a large file: wavy walls and wavy fill in short pieces,
// each layer a little different, closed floors now and then; about size bytes.
func figure(size int) []byte {
	s := newSheet()
	for n := 1; s.b.Len() < size; n++ {
		z := 0.2 * float64(n)
		s.layer(n, z)
		r := func(t, in float64) float64 {
			return 55 + 12*math.Sin(5*t+z/15) + 4*math.Sin(11*t-z/7) + 6*math.Sin(z/20) - in
		}
		for k := range 3 {
			s.kind([]string{"outer wall", "inner wall", "inner wall"}[k])
			s.loop(1100, func(t float64) (float64, float64) {
				sin, cos := math.Sincos(2 * math.Pi * t)
				d := r(2*math.Pi*t, 0.45*(float64(k)+0.5))
				return 110 + d*cos, 110 + d*sin
			})
		}
		gap := 3.0
		if n%60 < 4 {
			gap = 0.45
			s.kind("solid")
		} else {
			s.kind("fill")
		}
		for k, at := 0, -70.0; at < 70; k, at = k+1, at+gap {
			first := true
			for u := -70.0; u <= 70; u += 0.6 {
				a := u
				if k%2 == 1 {
					a = -u
				}
				x, y := a, at
				if gap > 1 {
					y += 1.2 * math.Sin(a/1.6+z)
				}
				if n%2 == 0 {
					x, y = y, x
				}
				if math.Hypot(x, y) > r(math.Atan2(y, x), 1.5) {
					first = true
					continue
				}
				if first {
					s.to(110+x, 110+y)
					first = false
				} else if gap > 1 || math.Mod(u, 6) < 0.6 {
					s.lay(110+x, 110+y)
				}
			}
		}
	}
	return s.b.Bytes()
}

// BenchmarkFind compares finding landmarks with reading the same file and with reading 100 MB,
// in one run. Run it on one core (-cpu 1): then time is work.
func BenchmarkFind(b *testing.B) {
	read := func(data []byte) *layer.Index {
		ix, err := layer.Read(context.Background(), bytes.NewReader(data), layer.Options{})
		if err != nil {
			b.Fatal(err)
		}
		return ix
	}
	big := figure(100e6)
	for _, c := range []struct {
		name string
		data func() []byte
	}{
		{"cushion of 100 mm", func() []byte { return cushion(50, 20, 0.2) }},
		{"cushion of 200 mm", func() []byte { return cushion(100, 20, 0.2) }},
		{"400 holes", func() []byte { return sieve(10) }},
		{"20000 loops", func() []byte { return crumbs(20000) }},
		{"20000 layers", func() []byte { return tower(20000) }},
		{"figure", func() []byte { return big }},
	} {
		b.Run(c.name, func(b *testing.B) {
			data := c.data()
			ix := read(data)
			// The machine's speed wanders: they take turns, the best of each counts.
			const far = time.Duration(1 << 62)
			reading, hundred, finding := far, far, far
			best := func(d time.Duration, f func()) time.Duration {
				t := time.Now()
				f()
				return min(d, time.Since(t))
			}
			for b.Loop() {
				for range 5 {
					reading = best(reading, func() { read(data) })
					hundred = best(hundred, func() { read(big) })
					finding = best(finding, func() {
						if _, err := landmark.Find(context.Background(), bytes.NewReader(data), ix,
							nil); err != nil {
							b.Fatal(err)
						}
					})
				}
				b.ReportMetric(float64(len(data))/1e6, "MB")
				b.ReportMetric(finding.Seconds()/reading.Seconds(), "×reading")
				b.ReportMetric(finding.Seconds()/hundred.Seconds(), "×reading-100-MB")
			}
		})
	}
}
