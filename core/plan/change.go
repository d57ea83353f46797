package plan

import (
	"errors"
	"fmt"
	"strings"
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
	case c.Speed != 0 && !within(c.Speed, 10, 300):
		return fmt.Errorf("a speed of %g %% is out of range; say 10 to 300", c.Speed)
	case c.Flow != 0 && !within(c.Flow, 50, 150):
		return fmt.Errorf("a flow of %g %% is out of range; say 50 to 150", c.Flow)
	case c.Fan != nil && !within(*c.Fan, 0, 100):
		return fmt.Errorf("a fan at %g %% is out of range; say 0 to 100", *c.Fan)
	case c.Nozzle != 0 && !within(c.Nozzle, 170, 450):
		return fmt.Errorf("a nozzle at %g °C is out of range; say 170 to 450", c.Nozzle)
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
