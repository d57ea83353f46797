package demo

// Dialect is a way of writing G-code. The zero value writes absolute
// coordinates and filament, LF, with no comments at all.
type Dialect struct {
	Name      string
	RelE      bool
	RelXYZ    bool    // after the start code all coordinates are relative
	Hop       float64 // mm lifted on travels
	Wipe      bool    // retracts while going back along the path
	Firmware  bool    // G10 and G11 instead of E
	Arcs      bool    // walls of round parts as G2 and G3
	CRLF      bool
	Numbered  bool // N numbers and checksums
	Tight     bool // lower case, no blanks
	Inch      bool
	Macro     bool   // the start is one word that only the printer knows
	Mark      string // before each layer; # its number, $ its height, % that and 0.05, @ the count
	First     int    // number of the first layer
	Clock     string // behind each layer; # is the time in seconds so far
	Labels    bool   // names the groups of paths
	LateClose bool   // the retraction that ends a layer stands behind the next mark
	ResetE    bool   // G92 E0 at each layer
	NoModes   bool   // never says G90, M82 or M83
	Slope     int    // walls begin on a slope of so many short moves from the layer below
	Volume    bool   // E counts cubic millimetres (M200)
}

// Dialects are the ways of writing that the demo and the tests use.
func Dialects() []Dialect {
	return []Dialect{
		{Name: "plain", Mark: "; layer # ---", Clock: "; seconds so far #", Labels: true},
		{Name: "hopping", RelE: true, Hop: 0.4, Wipe: true, Mark: "; sheet begins\n; top at $",
			Labels: true, First: 1},
		{Name: "bare"},
		{Name: "round", RelE: true, Arcs: true, Mark: "; level #/@", First: 1},
		{Name: "shouting", Firmware: true, CRLF: true, Mark: "M117 Level # of @", First: 1, Labels: true},
		{Name: "numbered", Numbered: true, Mark: "; tier #", LateClose: true},
		{Name: "tight", Tight: true, RelE: true, Mark: ";row#"},
		{Name: "macro", Macro: true, RelE: true, Mark: ";storey #", First: 1, Clock: "; elapsed # s",
			Wipe: true, Hop: 0.2},
		{Name: "resetting", ResetE: true, Mark: "; course #", Hop: 0.6, LateClose: true},
		{Name: "steps", RelXYZ: true, RelE: true, Mark: "; step #"},
		{Name: "imperial", Inch: true, Mark: "; ply #"},
		{Name: "silent", NoModes: true, Clock: "; # s"},
		{Name: "sloped", Slope: 6, Mark: "; rung # of @", First: 1, Labels: true, Wipe: true},
		{Name: "slanting", Slope: 9, RelE: true, Hop: 0.4},
		{Name: "volumes", Volume: true, RelE: true, Mark: "; floor #", Clock: "; # s so far"},
		{Name: "trailing", RelE: true, Hop: 0.4, Mark: "; sheet begins\n; top at $", LateClose: true,
			Wipe: true, Labels: true},
		{Name: "raised", Volume: true, Mark: "; reaches %"},
	}
}

// DialectNamed returns the dialect with that name, the plain one if there is none.
func DialectNamed(name string) Dialect {
	all := Dialects()
	for _, d := range all {
		if d.Name == name {
			return d
		}
	}
	return all[0]
}
