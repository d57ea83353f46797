package plan

import (
	"errors"
	"fmt"
	"strings"

	"dogear/core/gcode"
)

// Change lays what lies between two folds otherwise: slower over a bridge, hotter
// for a colour, with more or less filament or air. What it does not name stays as
// the file has it, and behind it everything is as the file has it.
type Change struct {
	ID          string `json:"id"`
	BeforeLayer int    `json:"before_layer,omitempty"` // it begins before this layer,
	BeforeLine  int64  `json:"before_line,omitempty"`  // or, inside a layer, in front of this line
	// it ends before this layer; one more than there are: at the end
	UntilLayer int   `json:"until_layer,omitempty"`
	UntilLine  int64 `json:"until_line,omitempty"`
	// mm: where its folds lay in the file the plan was made for
	Z      *float64 `json:"z,omitempty"`
	UntilZ *float64 `json:"until_z,omitempty"` //
	Speed  float64  `json:"speed,omitempty"`   // percent of the file's own; 0 leaves it
	Flow   float64  `json:"flow,omitempty"`    // percent of the file's own; 0 leaves it
	Fan    *float64 `json:"fan,omitempty"`     // percent
	Nozzle float64  `json:"nozzle,omitempty"`  // °C; 0 leaves it
}

// What can be changed to: of the file's own, %, and °C.
var (
	Speeds  = [2]float64{10, 300}
	Flows   = [2]float64{50, 150}
	Fans    = [2]float64{0, 100}
	Nozzles = [2]float64{gcode.Cold / 1e6, 450}
)

// Check says what is wrong with a change.
func (c *Change) Check() error {
	switch {
	case (c.BeforeLayer != 0) == (c.BeforeLine != 0):
		return errors.New("say where it begins with exactly one of before_layer and before_line")
	case (c.UntilLayer != 0) == (c.UntilLine != 0):
		return errors.New("say where it ends with exactly one of until_layer and until_line")
	case c.BeforeLayer < 0 || c.BeforeLine < 0 || c.UntilLayer < 0 || c.UntilLine < 0:
		return errors.New("layers and lines count from 1")
	case c.BeforeLayer > 0 && c.UntilLayer > 0 && c.UntilLayer <= c.BeforeLayer, c.BeforeLine > 0 &&
		c.UntilLine > 0 && c.UntilLine <= c.BeforeLine:
		return errors.New("it ends before it begins")
	case c.Speed == 0 && c.Flow == 0 && c.Fan == nil && c.Nozzle == 0:
		return errors.New("it changes nothing: name a speed, a flow, a fan or a temperature")
	case c.Speed != 0 && !within(c.Speed, Speeds[0], Speeds[1]):
		return fmt.Errorf("a speed of %g %% is out of range; say %g to %g", c.Speed, Speeds[0], Speeds[1])
	case c.Flow != 0 && !within(c.Flow, Flows[0], Flows[1]):
		return fmt.Errorf("a flow of %g %% is out of range; say %g to %g", c.Flow, Flows[0], Flows[1])
	case c.Fan != nil && !within(*c.Fan, Fans[0], Fans[1]):
		return fmt.Errorf("a fan at %g %% is out of range; say %g to %g", *c.Fan, Fans[0], Fans[1])
	case c.Nozzle != 0 && !within(c.Nozzle, Nozzles[0], Nozzles[1]):
		return fmt.Errorf("a nozzle at %g °C is out of range; say %g to %g", c.Nozzle, Nozzles[0],
			Nozzles[1])
	}
	return checkID(c.ID)
}

// Words says what is laid otherwise.
func (c *Change) Words() string {
	var out []string
	if c.Speed != 0 {
		out = append(out, fmt.Sprintf("speed %g %%", c.Speed))
	}
	if c.Flow != 0 {
		out = append(out, fmt.Sprintf("flow %g %%", c.Flow))
	}
	if c.Fan != nil {
		out = append(out, fmt.Sprintf("fan %g %%", *c.Fan))
	}
	if c.Nozzle != 0 {
		out = append(out, fmt.Sprintf("nozzle %g °C", c.Nozzle))
	}
	return strings.Join(out, ", ")
}

// Clash says what two changes that overlap both want to change; "" when they get
// along.
func (c *Change) Clash(o *Change) string {
	switch {
	case c.Speed != 0 && o.Speed != 0:
		return "speed"
	case c.Flow != 0 && o.Flow != 0:
		return "flow"
	case c.Fan != nil && o.Fan != nil:
		return "fan"
	case c.Nozzle != 0 && o.Nozzle != 0:
		return "temperature"
	}
	return ""
}
