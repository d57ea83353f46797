package layer

import (
	"fmt"
	"math"
	"strings"
	"testing"
)

// pen writes files of a few strokes, with what is known of them.
type pen struct {
	strings.Builder
	line  int
	x, y  float64
	marks string // before each layer; # is its number, $ its height
	z     []float64
	first []int // first laying line of each layer
}

func newPen(marks string) *pen {
	p := &pen{marks: marks}
	p.put("M104 S210", "M109 S210", "G28", "M83", "G92 E0")
	return p
}

// hot is the last line of what newPen writes.
const hot = 5

func (p *pen) put(lines ...string) {
	for _, l := range lines {
		p.WriteString(l + "\n")
		p.line++
	}
}

func (p *pen) layer(z float64) {
	p.z = append(p.z, z)
	p.first = append(p.first, 0)
	if p.marks != "" {
		p.put(strings.NewReplacer("#", fmt.Sprint(len(p.z)), "$", fmt.Sprintf("%.2f", z)).Replace(
			p.marks))
	}
	p.up(z)
}

func (p *pen) up(z float64) { p.put(fmt.Sprintf("G1 Z%.3f F600", z)) }

func (p *pen) to(x, y float64) {
	p.put("G1 E-1", fmt.Sprintf("G0 X%.3f Y%.3f", x, y), "G1 E1")
	p.x, p.y = x, y
}

func (p *pen) lay(x, y float64, rest string) {
	p.put(fmt.Sprintf("G1 X%.3f Y%.3f%s E%.4f", x, y, rest, 0.04*math.Hypot(x-p.x, y-p.y)))
	p.x, p.y = x, y
	if n := len(p.first); n > 0 && p.first[n-1] == 0 {
		p.first[n-1] = p.line
	}
}

// square lays a square wall; with a slope its first side rises by h in so many moves.
func (p *pen) square(x, y, size, z, h float64, slope int) {
	p.to(x, y)
	if slope > 0 {
		p.up(z - h)
		for k := 1; k <= slope; k++ {
			t := float64(k) / float64(slope)
			p.lay(x+size/4*t, y, fmt.Sprintf(" Z%.4f", z-h+h*t))
		}
	}
	p.lay(x+size, y, "")
	p.lay(x+size, y+size, "")
	p.lay(x, y+size, "")
	p.lay(x, y, "")
}

// stripes lays fill between x, y and x+size, y+size.
func (p *pen) stripes(x, y, size, gap float64) {
	for k := 0.0; k <= size; k += gap {
		p.to(x+k, y)
		p.lay(x+k, y+size, "")
	}
}

func (p *pen) read(t *testing.T) *Index {
	t.Helper()
	p.put("M104 S0", "M84")
	return read(t, p.String())
}
