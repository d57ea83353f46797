package printer

import (
	"math"

	"dogear/core/pickup"
)

// Seen is what a person sees at the printer.
type Seen struct {
	State   string     `json:"state"`
	Time    float64    `json:"time"` // s since the start
	Line    int64      `json:"line"`
	Layer   int        `json:"layer"`
	At      [3]float64 `json:"at"` // the display's place
	E       float64    `json:"e"`
	Bytes   int64      `json:"bytes"`
	Percent float64    `json:"percent"`
	Nozzle  float64    `json:"nozzle"`
	Bed     float64    `json:"bed"`
	Fan     int        `json:"fan"` // percent
	Message string     `json:"message"`
	Top     float64    `json:"top"`  // of the plastic on the bed
	Laid    int64      `json:"laid"` // moves that left plastic
}

// See returns what the display shows and what lies on the bed. Without power
// the display is dark: only the clock, the bed and what a host has kept are
// known.
func (p *Printer) See() Seen {
	s := Seen{State: p.State, Time: p.Time, Line: p.Line, Layer: p.Layer,
		E: p.m.LogicalE().Millimetres(), Bytes: p.off, Percent: 100 * float64(p.off) /
			math.Max(float64(p.src.Size()), 1),
		Nozzle: p.nozzle.now, Bed: p.bed.now, Fan: int(math.Round(float64(p.m.Fan) / 2.55e6)),
		Message: p.message, Top: p.laidTop.Millimetres(), Laid: p.laid}
	for k, v := range p.m.Logical() {
		s.At[k] = v.Millimetres()
	}
	return s
}

// Evidence is what is known about where the print ended, for a pick-up. A jam
// leaves only what can be measured, and where on the top the plastic ends; without power
// there is no display.
func (p *Printer) Evidence() []pickup.Evidence {
	var out []pickup.Evidence
	s := p.See()
	if s.Top > 0 {
		out = append(out, pickup.Evidence{Kind: pickup.Touch, Value: s.Top})
	}
	if p.jammed {
		// One sees where plastic ends: where the layer was begun, on the side that is
		// higher, is the first line that is missing.
		if n := p.ix.At(p.lastLaid); n > 0 && p.lastLaid < p.ix.Layers[n-1].Last {
			out = append(out, pickup.Evidence{Kind: pickup.Line, Value: float64(p.lastLaid + 1)})
		}
		return out
	}
	// The host has kept the line that was carried out last; the next one is
	// where it goes on.
	if p.ix.Layers != nil && s.Line+1 > p.ix.Layers[0].First && s.Line < p.ix.Lines {
		out = append(out, pickup.Evidence{Kind: pickup.Line, Value: float64(s.Line + 1)})
	}
	return out
}
