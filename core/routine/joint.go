package routine

import (
	"strings"

	"dogear/core/gcode"
)

// Joint says that a fold lies between two files: the state found is that of the
// one, and [Fold.Goal] the state that the other expects.
//
//	one    ├──── laid ────┤
//	joint                 ├ away, stop, return ┤
//	other                                      ├──── laid ────┤
//
// The rules are those of an ear; only what is put back is the other file's.
type Joint struct {
	Title string
	DZ    gcode.Nano // by which everything behind it is lifted, as a nozzle of another length asks for
}

// places gives the place where the head has come down the name that the file
// behind has for it. At an ear it has that name already.
func (c *compiler) places() {
	if c.fold.Goal == nil {
		return
	}
	if c.shift != 0 {
		for _, l := range c.plan.Printer.Shift {
			l = strings.ReplaceAll(l, "{dz}", mmText(c.shift))
			c.lifts = append(c.lifts, l)
			c.ownLine(l, "the height of this nozzle")
		}
	}
	at := c.m.Pos
	if len(c.plan.Printer.Shift) == 0 {
		at[2] -= c.shift
	}
	var words []string
	for k, l := range "XYZ" {
		if want := at[k] - c.goal.Off[k]; c.m.Pos[k]-c.m.Off[k] != want {
			words = append(words, word(byte(l), want))
		}
	}
	if len(words) > 0 {
		c.addLine("G92 "+strings.Join(words, " "), "from here on places are those of the next piece")
	}
}
