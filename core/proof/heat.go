package proof

import (
	"slices"
	"strings"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Where the rules of this file come from: no firmware extrudes below gcode.Cold unless
// told to; what a nozzle, a bed and a part bear is docs/safety.md.

// hottestOf is what the printer's nozzle may have, °C.
func hottestOf(pr *plan.Printer) float64 {
	if pr != nil && pr.Hottest > 0 {
		return pr.Hottest
	}
	return hottest
}

// celsius returns the temperature a line names, and whether it is one to cool to.
func celsius(c *gcode.Command) (v float64, down, ok bool) {
	if c.Has('S') {
		return float64(c.Value('S')) / 1e6, false, true
	}
	return float64(c.Value('R')) / 1e6, true, c.Has('R')
}

// heat looks at what a heater is told.
func (x *examiner) heat(line int64, c *gcode.Command, a *gcode.Act) {
	v, down, ok := celsius(c)
	if !ok {
		return
	}
	bed := c.Code == 190 || c.Code == 140
	what, high, reachable := "nozzle", hottestOf(x.pr), 330.0
	if bed {
		what, high, reachable = "bed", hottestBed, hottestBed
	}
	if v > high {
		x.find(finding.Stop, "too-hot", line, "The %s is set to %g °C; this printer takes at most %g "+
			"°C.", what, v, high)
	}
	switch {
	case a.Wait && v > max(reachable, high):
		x.find(finding.Stop, "never-reached-temperature", line,
			"The printer waits for the %s to be at %g °C, which it can hardly reach; it would never "+
				"continue.", what, v)
	case a.Wait && down && v < coldest:
		x.find(finding.Stop, "never-reached-temperature", line,
			"The printer waits for the %s to cool down to %g °C; in a warm room it would never "+
				"continue.", what, v)
	}
}

// heatOnPart looks whether a heater is waited for on the part.
func (x *examiner) heatOnPart(line int64, c *gcode.Command, a *gcode.Act, before *gcode.State) {
	if !a.Wait || !x.onPart() {
		return
	}
	m := &x.w.m
	if c.Code == 190 && before.Bed() == m.Bed() || c.Code == 109 && before.Nozzle() == m.Nozzle() &&
		before.Hot() {
		return // there is nothing to wait for
	}
	x.find(finding.Stop, "heats-on-part", line, "The printer waits here for a heater with the nozzle "+
		"right on the part. Lift it and take it aside first.")
}

// off0 looks at a nozzle that is switched off in the middle of the print.
func (x *examiner) off0(line int64, c *gcode.Command) {
	v, _, ok := celsius(c)
	w := x.w
	if !ok || v > 0 || c.Code != 104 && c.Code != 109 || x.lays == 0 || w.o.Nozzle() == 0 {
		return
	}
	if last := w.ix.Layers[len(w.ix.Layers)-1].Last; w.oLine < last {
		x.find(finding.Stop, "no-heat", line, "The nozzle is switched off here, in the middle of the "+
			"print; the original does not do that.")
	}
}

// dwell looks at a wait by the clock.
func (x *examiner) dwell(line int64, a *gcode.Act) {
	switch {
	case a.Dwell > longWait:
		x.find(finding.Stop, "long-wait", line, "The printer waits here for %.1f hours. Were "+
			"milliseconds meant, with a P instead of the S?", a.Dwell/3600)
	case a.Dwell > shortWait && x.onPart():
		x.find(finding.Stop, "lift-too-low", line,
			"The head waits here for %g s right on the part. Lift "+
				"it by %d mm or more, or take it aside first.", a.Dwell, waitClear)
	}
}

// warm looks whether the nozzle is warm enough for what it lays or pushes.
func (x *examiner) warm(line int64) {
	m := &x.w.m
	switch {
	case m.Nozzle() == 0 && !x.stated && !m.Hot():
		if !x.absolute && x.counts["no-heat"] == 0 {
			x.find(finding.Care, "no-heat", line,
				"Filament is pushed here, and nothing in the file says how "+
					"hot the nozzle is.")
		}
	case m.Nozzle() < gcode.Cold:
		x.find(finding.Stop, "cold-extrusion", line,
			"Filament is pushed while the nozzle is set to %s °C.", gcode.Nano(m.Nozzle()))
	case !m.Hot() && x.absolute:
		x.find(finding.Care, "cold-extrusion", line,
			"Filament is laid, but nothing has waited for the nozzle since it was cold.")
	case !m.Hot() && x.w.o.Hot():
		x.find(finding.Stop, "cold-extrusion", line,
			"Filament is pushed here, but nothing has waited for the nozzle since it was cold.")
	}
}

// push looks at filament that is pushed out on the spot.
func (x *examiner) push(line int64, a *gcode.Act) {
	w := x.w
	if a.Laid > gcode.MM/100 {
		x.warm(line)
	}
	if x.lays == 0 || a.Laid < gcode.FromMM(blob) || !x.overBox(w.m.Pos) {
		return
	}
	if !x.overPart() {
		x.find(finding.Care, "prime-on-part", line, "%s mm of filament are pushed out between parts of "+
			"the print. Go aside first.", a.Laid)
		return
	}
	if w.m.Pos[2].Millimetres() > x.topOf()+1 {
		x.find(finding.Stop, "prime-on-part", line,
			"%s mm of filament are pushed out above the part and fall onto it. Go aside first.", a.Laid)
		return
	}
	x.find(finding.Stop, "filament-jump", line,
		"%s mm of filament are pushed out on the spot, on the "+
			"part.", a.Laid)
}

// pull looks at filament that is drawn back.
func (x *examiner) pull(line int64, a *gcode.Act) {
	w := x.w
	if a.DE < -gcode.FromMM(pullSlack) && x.lays > 0 && x.overBox(w.m.Pos) &&
		w.m.Pos[2].Millimetres() < x.topOf()+1.2 {
		x.find(finding.Stop, "filament-jump", line,
			"%s mm of filament are drawn back over the part at once. Is a G92 E missing before this "+
				"line?", -a.DE)
	}
}

// much looks at how much a laying move lays.
func (x *examiner) much(line int64, a *gcode.Act) {
	mv := layer.Move{From: a.From, To: x.w.m.Pos, Kind: gcode.Lay}
	if a.Arc.Turn != 0 {
		arc := a.Arc
		mv.Arc = &arc
	}
	l := mv.Length()
	if l <= 0.05 || x.prime() {
		return
	}
	r := a.Laid.Millimetres() / l
	if x.lays > 40 && x.usual > 0 && r > rich*x.usual && a.Laid > gcode.MM/2 {
		x.find(finding.Stop, "filament-jump", line,
			"This move lays %s mm of filament, %.0f times as much as is usual here. Does the axis count "+
				"from the start where the line counts in steps, or is a G92 E missing?", a.Laid, r/x.usual)
		return
	}
	x.usual += (r - x.usual) / float64(min(x.lays+1, 200))
}

// forbidden are words that nobody wants in the middle of a print, with the code
// and the sentence of their finding.
var forbidden = map[string][2]string{
	"M112": {"machine-stopped", "M112 is the emergency stop: nothing runs behind it."},
	"M410": {"machine-stopped", "M410 throws away every move that is planned."},
	"M999": {"machine-stopped", "M999 restarts the printer."},
	"M81":  {"machine-stopped", "M81 switches the power off."},
	"M2":   {"machine-stopped", "M2 ends the program."},
	"M30":  {"machine-stopped", "M30 ends the program, or deletes a file."},
	"M500": {"settings-lost", "M500 writes the settings in force into the printer for good."},
	"M501": {"settings-lost", "M501 loads settings that take the place of those in force."},
	"M502": {"settings-lost", "M502 puts the maker's settings in the place of those in force."},
	"M504": {"settings-lost", "M504 checks and may reset the stored settings."},
	"M997": {"machine-stopped", "M997 loads other firmware."},
	"M524": {"machine-stopped", "M524 ends the print."},
}

// word looks at a word that was put in.
func (x *examiner) word(line int64, c *gcode.Command, a *gcode.Act) {
	word := strings.ToUpper(c.Word())
	if f, ok := forbidden[word]; ok {
		level := finding.Stop
		if last := x.w.ix.Layers[len(x.w.ix.Layers)-1].Last; x.w.oLine >= last && word != "M112" {
			level = finding.Care // nothing is printed behind it
		}
		x.find(level, f[0], line, "%s", f[1])
		return
	}
	switch {
	case word == "M80":
		x.find(finding.Care, "machine-stopped", line,
			"M80 switches the power on; some printers restart then.")
	case word == "M211" && c.Has('S') && c.Value('S') == 0:
		x.find(finding.Stop, "limits-off", line, "M211 S0 takes away the limits that keep the head "+
			"inside the printer.")
	case word == "M302" && (c.Has('P') && c.Value('P') != 0 || c.Has('S') &&
		c.Value('S') < gcode.Cold):
		x.find(finding.Stop, "limits-off", line, "M302 lets the printer push cold filament.")
	case word == "M120" || word == "M121":
		x.find(finding.Care, "limits-off", line, "%s changes whether the end switches are watched.", word)
	case (a.Kind == gcode.Unknown || a.Kind == gcode.Macro) && !x.knows(word):
		x.find(finding.Care, "unknown-command", line,
			"Dogear does not know %s, which was put in. Make sure that the printer does.", c.Word())
	}
}

// knows reports whether the printer is said to know a word.
func (x *examiner) knows(word string) bool {
	if x.pr == nil {
		return false
	}
	for _, k := range slices.Concat(x.pr.Knows, x.pr.StayAwake, x.pr.SettleBefore,
		x.pr.SettleAfter) {
		if f := strings.Fields(k); len(f) > 0 && strings.EqualFold(f[0], word) {
			return true
		}
	}
	return false
}
