package demo

import "dogear/core/plan"

// Kit is what the Low Water model-makers' club owns: printers that are stopped
// in different ways, spools with their heats, and a routine of their own.
func Kit() []plan.Item {
	out := []plan.Item{
		{Drawer: plan.Printers, Key: "shed", Doc: plan.Printer{Name: "club printer in the shed",
			Bed: [4]float64{0, 0, 220, 220}, Top: 250, Park: [2]float64{5, 210},
			Stop:   map[string]string{plan.Colour: "M0", plan.Insert: "M0", plan.Nozzle: "M0"},
			Resume: "Press the knob once; it beeps."}},
		{Drawer: plan.Printers, Key: "hall", Doc: plan.Printer{Name: "long bed in the hall",
			Bed: [4]float64{-150, -150, 150, 150}, Top: 330, Park: [2]float64{-140, 140},
			Places: map[string][2]float64{"brush": {140, 140}}, Stop: map[string]string{plan.Colour: "M600",
				plan.Insert: "M25", plan.Nozzle: "M25"},
			SettleBefore: []string{"M400"}, SettleAfter: []string{"G4 P500"},
			Resume: "Choose “go on” on the display.", Knows: []string{"M600"}}},
		{Drawer: plan.Printers, Key: "porch", Doc: plan.Printer{Name: "small one on the porch",
			Bed: [4]float64{0, 0, 120, 120}, Top: 110, Park: [2]float64{5, 115},
			Silent: true, Blank: true, Routine: map[string]string{plan.Colour: "timed window"},
			Resume: "It goes on by itself when the time is up."}},
	}
	heats := map[string]plan.Filament{
		"red":   {Material: "PLA", Nozzle: [2]float64{215, 210}, Bed: [2]float64{65, 60}},
		"white": {Material: "PLA", Nozzle: [2]float64{220, 215}, Bed: [2]float64{65, 60}},
		"slate": {Material: "PLA", Nozzle: [2]float64{215, 210}, Bed: [2]float64{65, 60}},
		"tar":   {Material: "PLA", Nozzle: [2]float64{215, 210}, Bed: [2]float64{65, 60}},
		"brass": {Material: "PLA, metal-filled", Nozzle: [2]float64{220, 220}, Bed: [2]float64{
			65, 60}, Density: 1.9},
		"kelp": {Material: "PETG", Nozzle: [2]float64{240, 235}, Bed: [2]float64{80, 80}, Density: 1.27},
	}
	for _, it := range plan.Shipped() {
		switch doc := it.Doc.(type) {
		case plan.Printer:
			continue // the club has its own
		case plan.Filament:
			h := heats[it.Key]
			doc.Material, doc.Nozzle, doc.Bed, doc.Density = h.Material, h.Nozzle, h.Bed, h.Density
			it.Doc = doc
		}
		out = append(out, it)
	}
	off := 0.0
	return append(out, plan.Item{Drawer: plan.Routines, Key: "quiet swap", Doc: plan.Routine{
		{Do: "retract", MM: 3, Speed: 30}, {Do: "lift", MM: 20}, {Do: "park"}, {Do: "fan", Percent: &off},
		{Do: "say", Text: "{filament} next, no hurry"}, {Do: "stop"}, {Do: "purge", MM: 40, Speed: 4},
		{Do: "wipe"}, {Do: "return"}, {Do: "restore"}}})
}
