package pickup

import (
	"errors"
	"fmt"
	"math"
)

// Bound is what an amount of a choice may be. 0 stands for what is usual, whatever Low is.
type Bound struct {
	Name      string // in forms and, with dashes, on the command line
	Low, High float64
	Unit      string
	of        func(c *Choice) *float64
}

// Of returns where a choice keeps the amount.
func (b *Bound) Of(c *Choice) *float64 { return b.of(c) }

// Check says what is wrong with an amount.
func (b *Bound) Check(v float64) error {
	if v == 0 || v >= b.Low && v <= b.High {
		return nil
	}
	return fmt.Errorf("%s can be %g to %g %s, not %g", b.Name, b.Low, b.High, b.Unit, v)
}

// Bounds are the bounds of all amounts: what is outside of them was not meant, or helps nobody.
var Bounds = []Bound{
	{"feeler", 0, 2, "mm", func(c *Choice) *float64 { return &c.Feeler }},
	{"dx", -50, 50, "mm", func(c *Choice) *float64 { return &c.DX }},
	{"dy", -50, 50, "mm", func(c *Choice) *float64 { return &c.DY }},
	{"dz", -2, 2, "mm", func(c *Choice) *float64 { return &c.DZ }},
	{"flow", 20, 200, "%", func(c *Choice) *float64 { return &c.Flow }},
	{"nozzle", 0, 500, "°C", func(c *Choice) *float64 { return &c.Nozzle }},
	{"bed", 0, 200, "°C", func(c *Choice) *float64 { return &c.Bed }},
	{"prime", 0, 200, "mm", func(c *Choice) *float64 { return &c.Prime }},
	{"clearance", 1, 200, "mm", func(c *Choice) *float64 { return &c.Clearance }},
	{"ease_speed", 10, 100, "%", func(c *Choice) *float64 { return &c.Ease.Speed }},
	{"ease_hotter", -40, 40, "°C", func(c *Choice) *float64 { return &c.Ease.Hotter }},
	{"brim", 0, MaxBrim, "mm", func(c *Choice) *float64 { return &c.Brim }},
}

// maxLayersEased is how many layers may be made gentler.
const maxLayersEased = 50

// maxAway is the largest coordinate of a place, mm.
const maxAway = 2000

// Check says what is wrong with a choice, whatever the print is.
func (c *Choice) Check() error {
	for i := range Bounds {
		if err := Bounds[i].Check(*Bounds[i].of(c)); err != nil {
			return err
		}
	}
	if c.Ease.Layers < 0 || c.Ease.Layers > maxLayersEased {
		return fmt.Errorf("0 to %d layers can be made gentler", maxLayersEased)
	}
	if c.Brim > 0 && !c.LooseTop {
		return errors.New("a brim goes round a loose top only")
	}
	for _, p := range []*[2]float64{c.HomeAt, c.PrimeAt} {
		if p != nil && !(math.Abs(p[0]) <= maxAway && math.Abs(p[1]) <= maxAway) {
			return fmt.Errorf("no printer reaches X%g Y%g", p[0], p[1])
		}
	}
	return nil
}
