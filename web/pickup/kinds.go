package pickup

import "dogear/core/pickup"

// kindWords name the kinds of evidence: on a card, and where there is little room.
var kindWords = map[string]struct{ card, short string }{
	pickup.Touch:      {"Touched with the nozzle", "touch"},
	pickup.Caliper:    {"Calipers", "calipers"},
	pickup.Counted:    {"Layers counted", "count"},
	pickup.Layer:      {"Last good layer", "layer"},
	pickup.FileNumber: {"The file's number", "number"},
	pickup.Display:    {"Position on the display", "display"},
	pickup.Minutes:    {"Clock when it stopped", "clock"},
	pickup.Percent:    {"Percentage", "percent"},
	pickup.Line:       {"Line", "line"},
	pickup.Byte:       {"Bytes sent", "bytes"},
	pickup.Extruded:   {"E on the display", "E"},
	pickup.Weight:     {"Weight of the part", "weight"},
	pickup.Spool:      {"Lost by the spool", "spool"},
	pickup.Used:       {"Filament used", "used"},
	pickup.Picture:    {"In a picture from the side", "picture"},
}
