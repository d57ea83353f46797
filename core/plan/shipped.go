package plan

import (
	"fmt"
	"math"
)

// Shipped returns what a new Kit holds: a printer that every file can be
// stopped on, filaments that say a colour and nothing of heat, since nobody
// knows yet what is on the spool, and inserts in standard sizes.
func Shipped() []Item {
	g := *Generic()
	g.Name = "my printer"
	out := []Item{{Printers, "my printer", g}}
	for _, f := range []struct{ key, name, colour string }{
		{"red", "Signal red", "#b8362b"}, {"white", "Gull white", "#ece6d8"},
		{"slate", "Wet slate", "#4b5a66"},
		{"tar", "Tar black", "#24221f"}, {"brass", "Brass sand", "#c79f2b"}, {"kelp", "Kelp", "#5c7a4a"},
	} {
		purge := 30.0
		if f.key == "white" {
			purge = 45 // light behind dark takes longer to run clean
		}
		out = append(out, Item{Filaments, f.key, Filament{Name: f.name, Colour: f.colour, Purge: purge}})
	}
	return append(out, inserts()...)
}

// inserts are parts in standard sizes: across flats and greatest height of ISO
// 4032 for hexagon nuts and DIN 562 for square ones, ISO 7089 for washers, ISO
// 3290 for balls, ISO 2338 for pins. Magnets follow no standard; these sizes are
// common. Weights are of steel, 7.85 g/cm³, and of sintered magnets, 7.5.
func inserts() []Item {
	var out []Item
	add := func(i InsertPart, volume float64) { // mm³
		rho := 7.85
		if i.Magnet {
			rho = 7.5
		}
		i.Steel = true
		i.Grams = math.Round(volume*rho/100) / 10
		out = append(out, Item{Inserts, i.Name, i})
	}
	for _, n := range [][4]float64{{2.5, 5, 2, 0}, {3, 5.5, 2.4, 0}, {4, 7, 3.2, 0}, {5, 8, 4.7, 0},
		{6, 10, 5.2, 0}, {8, 13, 6.8, 0}, {10, 16, 8.4, 0}} {
		add(InsertPart{Name: fmt.Sprintf("M%g nut", n[0]), Shape: "hex", Across: n[1], Height: n[2]},
			(n[1]*n[1]*math.Sqrt(3)/2-n[0]*n[0]*math.Pi/4)*n[2])
	}
	for _, n := range [][3]float64{{3, 5.5, 1.8}, {4, 7, 2.2}, {5, 8, 2.7}, {6, 10, 3.2}} {
		add(InsertPart{Name: fmt.Sprintf("M%g square nut", n[0]), Shape: "square", Across: n[1],
			Height: n[2]}, (n[1]*n[1]-n[0]*n[0]*math.Pi/4)*n[2])
	}
	for _, n := range [][4]float64{{3, 7, 3.2, 0.5}, {4, 9, 4.3, 0.8}, {5, 10, 5.3, 1},
		{6, 12, 6.4, 1.6}, {8, 16, 8.4, 1.6}} {
		add(InsertPart{Name: fmt.Sprintf("M%g washer", n[0]), Shape: "ring", Across: n[1], Inner: n[2],
			Height: n[3]}, (n[1]*n[1]-n[2]*n[2])*math.Pi/4*n[3])
	}
	for _, d := range []float64{4, 5, 6, 8, 10} {
		add(InsertPart{Name: fmt.Sprintf("ball %g", d), Shape: "ball", Across: d, Height: d},
			d*d*d*math.Pi/6)
	}
	for _, n := range [][2]float64{{5, 2}, {6, 2}, {8, 3}, {10, 3}} {
		add(InsertPart{Name: fmt.Sprintf("disc magnet %g × %g", n[0], n[1]), Shape: "disc", Across: n[0],
			Height: n[1], Magnet: true}, n[0]*n[0]*math.Pi/4*n[1])
	}
	for _, n := range [][3]float64{{10, 5, 2}, {20, 10, 3}} {
		add(InsertPart{Name: fmt.Sprintf("block magnet %g × %g × %g", n[0], n[1], n[2]), Shape: "block",
			Length: n[0], Across: n[1], Height: n[2], Magnet: true}, n[0]*n[1]*n[2])
	}
	for _, n := range [][2]float64{{3, 10}, {4, 20}} {
		add(InsertPart{Name: fmt.Sprintf("pin %g × %g, upright", n[0], n[1]), Shape: "disc",
			Across: n[0],
			Height: n[1]}, n[0]*n[0]*math.Pi/4*n[1])
		add(InsertPart{Name: fmt.Sprintf("pin %g × %g, lying", n[0], n[1]), Shape: "block", Length: n[1],
			Across: n[0], Height: n[0]}, n[0]*n[0]*math.Pi/4*n[1])
	}
	return out
}
