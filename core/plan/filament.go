package plan

import (
	"errors"
	"fmt"
	"math"
	"regexp"

	"dogear/core/gcode"
)

// Filament is a spool. Temperatures are °C: first layer, then the rest; zero
// means not known, and the file's own are kept. Lengths are mm of filament.
type Filament struct {
	Name     string     `json:"name"`
	Colour   string     `json:"colour"`
	Material string     `json:"material,omitempty"`
	Nozzle   [2]float64 `json:"nozzle,omitzero"`
	Bed      [2]float64 `json:"bed,omitzero"`
	Purge    float64    `json:"purge,omitempty"` // pushed through when it is loaded
	// what is pushed through behind certain filaments, by their keys: light behind dark takes
	// more than the other way round
	After    map[string]float64 `json:"after,omitempty"`
	Load     float64            `json:"load,omitempty"`     // from the gears to the nozzle
	Unload   float64            `json:"unload,omitempty"`   // back out of the gears
	Diameter float64            `json:"diameter,omitempty"` // mm; 0 means 1.75
	Density  float64            `json:"density,omitempty"`  // g/cm³; 0 means 1.24
}

var colour = regexp.MustCompile(`^#[0-9a-fA-F]{6}$`)

// Check says what is wrong with a filament.
func (f *Filament) Check() error {
	if f.Colour != "" && !colour.MatchString(f.Colour) {
		return fmt.Errorf("the colour %q is not written as #rrggbb", f.Colour)
	}
	for _, t := range []float64{f.Nozzle[0], f.Nozzle[1]} {
		if t != 0 && !within(t, 150, 500) {
			return fmt.Errorf("%g °C is no temperature for a nozzle that prints", t)
		}
	}
	for _, t := range f.Bed {
		if !within(t, 0, 200) {
			return fmt.Errorf("%g °C is no temperature for a bed", t)
		}
	}
	for _, v := range []float64{f.Purge, f.Load, f.Unload} {
		if !within(v, 0, maxPurged) {
			return fmt.Errorf("%g mm is out of range", v)
		}
	}
	for key, v := range f.After {
		if !within(v, 0, maxPurged) {
			return fmt.Errorf("%g mm behind %q is out of range", v, key)
		}
	}
	if f.Diameter != 0 && !within(f.Diameter, 0.5, 5) || f.Density != 0 &&
		!within(f.Density, 0.2, 20) {
		return errors.New("the diameter or the density is out of range")
	}
	return nil
}

// maxPurged is the greatest length that is pushed through or moved at once, mm.
const maxPurged = 2000

// PurgeOf returns what a purge at an ear pushes through, mm: what is known of the pair of
// filaments, else of the new one, else what the step says.
func (p *Plan) PurgeOf(e *Ear, s Step) float64 {
	f, ok := p.Filaments[e.Filament]
	if !ok || e.Kind != Colour {
		return s.MM
	}
	if mm := f.After[e.From]; mm > 0 {
		return mm
	}
	if f.Purge > 0 {
		return f.Purge
	}
	return s.MM
}

// Clean are the answers to whether a change of filament came out clean.
const (
	TooLittle = "too little"
	JustRight = "right"
	TooMuch   = "too much"
)

// NextPurge returns what to push through the next time, mm, after mm were. It goes by steps
// that two or three changes are enough to settle: too little costs a print, too much only
// filament, so that it goes up faster than down.
func NextPurge(mm float64, clean string) (float64, error) {
	switch clean {
	case TooLittle:
		return math.Min(math.Ceil(mm*1.4/5)*5, maxPurged), nil
	case TooMuch:
		return math.Max(math.Floor(mm*0.8/5)*5, 5), nil
	case JustRight:
		return mm, nil
	}
	return 0, fmt.Errorf("a change can be %q, %q or %q, not %q", TooLittle, JustRight, TooMuch, clean)
}

// Grams returns the weight of a length of the filament, mm: the volume of the
// round thread times its density.
func (f *Filament) Grams(mm float64) float64 {
	d, rho := f.Diameter, f.Density
	if d == 0 {
		d = gcode.UsualDiameter
	}
	if rho == 0 {
		rho = 1.24
	}
	return mm * math.Pi / 4 * d * d * rho / 1000
}
