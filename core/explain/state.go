package explain

import (
	"fmt"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Mark says what a comment of the file is good for. n is the layer that the
// line belongs to.
func Mark(text []byte, marks layer.Marks, n int, ix *layer.Index) string {
	t := layer.Template(text)
	switch {
	case t == marks.Clock:
		return "the file's clock; it closes the layer"
	case t == marks.Layer:
		if n > 0 && ix.Layers[n-1].HasNumber && ix.Layers[n-1].Number != int64(n) {
			return fmt.Sprintf("the file's own mark; it counts layer %d as %d", n, ix.Layers[n-1].Number)
		}
		return "the file's own mark of the layer"
	case t == marks.Height:
		return "the file's own height mark"
	}
	for _, l := range ix.Labels {
		if t == ";"+l {
			return "the file's own name for the paths that follow"
		}
	}
	return "a comment"
}

// State says in short sentences what the machine remembers.
func State(m *gcode.Machine) []string {
	out := []string{fmt.Sprintf("head at X %s, Y %s, Z %s mm", places(m.Pos[0], 3),
		places(m.Pos[1], 3), places(m.Pos[2], 3))}
	how := "from the start"
	if m.RelE {
		how = "in steps"
	}
	unit := "mm"
	if m.Volumetric() {
		unit = "mm³"
		how += fmt.Sprintf(", by volume of filament %.2f mm thick", m.Diameter())
	}
	out = append(out, fmt.Sprintf("filament axis at %s %s, counted %s", places(m.LogicalE(), 5), unit,
		how))
	if m.Debt > 0 {
		out = append(out, fmt.Sprintf("%s mm of filament drawn back", places(m.Debt, 5)))
	}
	if m.Pulled {
		out = append(out, "the firmware holds filament back")
	}
	if m.RelXYZ {
		out = append(out, "places count in steps")
	}
	if m.Inch {
		out = append(out, "the file writes inches")
	}
	out = append(out, fmt.Sprintf("speed %s mm/s, fan at %.0f %%", places(m.Feed/60, 1),
		m.FanShare(m.Fan)))
	nozzle, bed := "nozzle: nothing said yet", "bed: nothing said yet"
	if m.Stated() {
		nozzle = "nozzle to " + places(gcode.Nano(m.Nozzle()), 1) + " °C"
	}
	if m.BedStated() {
		bed = "bed to " + places(gcode.Nano(m.Bed()), 1) + " °C"
	}
	out = append(out, fmt.Sprintf("%s, %s, tool %d", nozzle, bed, m.Tool))
	for _, s := range m.Settings() {
		out = append(out, "in force: "+s.Line)
	}
	return append(out, fmt.Sprintf("%s mm of filament laid so far, up to a height of %s mm",
		places(m.Laid, 2), places(m.Top, 3)))
}
