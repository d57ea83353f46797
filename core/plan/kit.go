package plan

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"dogear/core/gcode"
)

// KitFormat is the name of the kit format.
const KitFormat = "dogear-kit/1"

// Kit is what somebody owns: printers, filaments, inserts and routines, by
// name or key.
type Kit struct {
	Format    string                `json:"format"`
	Printers  map[string]Printer    `json:"printers,omitempty"`
	Filaments map[string]Filament   `json:"filaments,omitempty"`
	Inserts   map[string]InsertPart `json:"inserts,omitempty"`
	Routines  map[string]Routine    `json:"routines,omitempty"`
}

// Drawers of a kit.
const (
	Printers  = "printers"
	Filaments = "filaments"
	Inserts   = "inserts"
	Routines  = "routines"
)

// Drawers in the order in which they are shown.
var Drawers = []string{Printers, Filaments, Inserts, Routines}

// Item is one thing in a drawer: a Printer, Filament, InsertPart or Routine. A
// nil Doc stands for one that is taken out.
type Item struct {
	Drawer, Key string
	Doc         any
}

// Items returns everything in the kit, drawer by drawer, ordered by key.
func (k *Kit) Items() []Item {
	var out []Item
	add := func(drawer string, keys []string, doc func(string) any) {
		slices.Sort(keys)
		for _, key := range keys {
			out = append(out, Item{drawer, key, doc(key)})
		}
	}
	add(Printers, slices.Collect(maps.Keys(k.Printers)), func(s string) any { return k.Printers[s] })
	add(Filaments, slices.Collect(maps.Keys(k.Filaments)),
		func(s string) any { return k.Filaments[s] })
	add(Inserts, slices.Collect(maps.Keys(k.Inserts)), func(s string) any { return k.Inserts[s] })
	add(Routines, slices.Collect(maps.Keys(k.Routines)), func(s string) any { return k.Routines[s] })
	return out
}

// ParseKit reads a kit and says in a sentence what is wrong with it.
func ParseKit(r io.Reader) (*Kit, error) {
	var k Kit
	if err := json.NewDecoder(io.LimitReader(r, maxPlan)).Decode(&k); err != nil {
		return nil, fmt.Errorf("this is not JSON that can be read: %w", err)
	}
	if k.Format != KitFormat {
		return nil, fmt.Errorf("the format is %q; %q is understood", k.Format, KitFormat)
	}
	for _, it := range k.Items() {
		if err := CheckKey(it.Key); err != nil {
			return nil, fmt.Errorf("%s %q: %w", it.Drawer, it.Key, err)
		}
	}
	for n, p := range k.Printers {
		if err := p.Check(); err != nil {
			return nil, fmt.Errorf("printer %q: %w", n, err)
		}
		k.Printers[n] = p
	}
	for n, f := range k.Filaments {
		if err := f.Check(); err != nil {
			return nil, fmt.Errorf("filament %q: %w", n, err)
		}
	}
	for n, i := range k.Inserts {
		if err := i.Check(); err != nil {
			return nil, fmt.Errorf("insert %q: %w", n, err)
		}
	}
	for n, x := range k.Routines {
		if err := x.Check(); err != nil {
			return nil, fmt.Errorf("routine %q: %w", n, err)
		}
	}
	return &k, nil
}

// CheckKey says what is wrong with a key or name.
func CheckKey(key string) error {
	if strings.TrimSpace(key) != key || key == "" || len(key) > 80 {
		return errors.New("a name has 1 to 80 characters and no blank at its ends")
	}
	for _, r := range key {
		if r < ' ' || r == utf8.RuneError {
			return errors.New("a name is made of letters, digits and signs")
		}
	}
	return nil
}

// Printer is what must be known of a printer to stop it. Lengths in mm.
type Printer struct {
	Name string `json:"name,omitempty"`
	// min x, min y, max x, max y; the origin is 0, 0
	Bed  [4]float64 `json:"bed"`
	Top  float64    `json:"top"`  // highest the nozzle can go
	Park [2]float64 `json:"park"` // where the head waits
	// further places to park at, by name
	Places map[string][2]float64 `json:"places,omitempty"`
	// G90 and G91 switch the filament axis too
	G90MovesE *bool             `json:"g90_moves_e,omitempty"`
	Stop      map[string]string `json:"stop,omitempty"` // word by kind of ear
	// name of a routine by kind of ear
	Routine      map[string]string `json:"routine,omitempty"`
	SettleBefore []string          `json:"settle_before,omitempty"`
	SettleAfter  []string          `json:"settle_after,omitempty"`
	// how everything behind is lifted by {dz} mm; by G92 when empty
	Shift []string `json:"shift,omitempty"`
	// it has nothing to make a tone with
	Silent bool `json:"silent,omitempty"`
	Blank  bool `json:"blank,omitempty"` // it shows no messages
	// how it is told to go on, if that is odd
	Resume string `json:"resume,omitempty"`
	// how far it reaches to each side of the nozzle, and how much is free under that; 0 when not
	// known
	Head [2]float64 `json:"head,omitzero"`
	// of what runs across the whole bed, above the nozzle; 0 when not known
	Gantry float64 `json:"gantry,omitempty"`
	// words it understands besides those of every printer
	Knows []string `json:"knows,omitempty"`
	// stop words at which it was seen to go straight on
	Ignores []string `json:"ignores,omitempty"`
	// lines that keep motors and heaters on while it waits; they stand in front of each stop
	StayAwake []string `json:"stay_awake,omitempty"`
	// minutes for which it then keeps its place while it waits; 0 when not known
	Holds float64 `json:"holds,omitempty"`
	// the day on which a handshake told how it stops: 2006-01-02
	Asked string `json:"asked,omitempty"`
	// °C its nozzle may have; 0 means 300
	Hottest float64 `json:"hottest,omitempty"`
	// it refuses to move before it has homed
	HomesFirst bool `json:"homes_first,omitempty"`
	// nobody has said that bed, top and park place are so
	Assumed bool `json:"assumed,omitempty"`
}

// Called is what a sentence calls the printer: by its name, if it has one.
func (p *Printer) Called() string {
	if p.Name == "" || p.Name == Generic().Name {
		return "the printer"
	}
	return "“" + p.Name + "”"
}

// StopWord returns how this printer is told to stop for a kind of ear.
func (p *Printer) StopWord(kind string) string {
	if w := p.Stop[kind]; w != "" {
		return w
	}
	return "M0"
}

// plainStops are stop words that every printer is taken to know.
var plainStops = []string{"M0", "M1", "M25", "G4"}

// KnowsStop reports whether the printer is known to stop at a word: it is one
// of every printer, one that it is told to stop with, or one that it is said to
// know. What a host answers to (@…) is not the printer's to know.
func (p *Printer) KnowsStop(word string) bool {
	first := stopName(word)
	if p.IgnoresStop(word) {
		return false
	}
	if first == "" || first[0] == '@' || slices.Contains(plainStops, first) {
		return true
	}
	for _, k := range p.Knows {
		if stopName(k) == first {
			return true
		}
	}
	for _, k := range p.Stop {
		if stopName(k) == first {
			return true
		}
	}
	return false
}

// IgnoresStop reports whether the printer was seen to go straight on at a stop word.
func (p *Printer) IgnoresStop(word string) bool {
	first := stopName(word)
	return first != "" && slices.ContainsFunc(p.Ignores,
		func(w string) bool { return stopName(w) == first })
}

// Generic is the printer that is used when a plan names none.
func Generic() *Printer {
	return &Printer{Name: "generic printer", Bed: [4]float64{0, 0, 220, 220}, Top: 250,
		Park: [2]float64{5, 210}, Assumed: true}
}

// Check says what is wrong with a printer, and puts in the generic one's bed
// and top where it is silent.
func (p *Printer) Check() error {
	g := Generic()
	if p.Bed == ([4]float64{}) {
		p.Bed, p.Assumed = g.Bed, true
		if p.Park == ([2]float64{}) {
			p.Park = g.Park
		}
	}
	if p.Top <= 0 {
		p.Top = g.Top
	}
	b := p.Bed
	if b[0] >= b[2] || b[1] >= b[3] {
		return errors.New("the printer's bed has no size")
	}
	for _, v := range append(b[:], p.Top, p.Park[0], p.Park[1]) {
		if !within(v, -farthest, farthest) {
			return fmt.Errorf("%g mm is out of range; the bed, the top and the park place lie within %d "+
				"mm", v, farthest)
		}
	}
	for _, v := range []float64{p.Head[0], p.Head[1], p.Gantry} {
		if !within(v, 0, 1000) {
			return fmt.Errorf("%g mm is out of range for a head", v)
		}
	}
	for name, at := range p.Places {
		if !within(at[0], -farthest, farthest) || !within(at[1], -farthest, farthest) {
			return fmt.Errorf("the place %q is out of range", name)
		}
	}
	if err := checkLines("a line", slices.Concat(p.SettleBefore, p.SettleAfter, p.Knows,
		p.Shift, p.Ignores, p.StayAwake)...); err != nil {
		return err
	}
	for _, l := range p.StayAwake {
		if err := checkAwake(l); err != nil {
			return err
		}
	}
	if !within(p.Holds, 0, 10000) {
		return fmt.Errorf("%g min is out of range for how long a printer keeps its place", p.Holds)
	}
	if p.Hottest != 0 && !within(p.Hottest, 150, 600) {
		return fmt.Errorf("%g °C is out of range for the hottest a nozzle may be; say 150 to 600",
			p.Hottest)
	}
	for kind, w := range p.Stop {
		if !isKind(kind) {
			return fmt.Errorf("there is no kind of ear %q to stop for", kind)
		}
		if err := CheckStop(w); err != nil {
			return err
		}
	}
	return nil
}

func isKind(k string) bool { return slices.Contains(Kinds, k) }

func within(v, low, high float64) bool { return v >= low && v <= high && !math.IsNaN(v) }

// Filament is a spool. Temperatures are °C: first layer, then the rest; zero
// means not known, and the file's own are kept. Lengths are mm of filament.
type Filament struct {
	Name     string     `json:"name"`
	Colour   string     `json:"colour"`
	Material string     `json:"material,omitempty"`
	Nozzle   [2]float64 `json:"nozzle,omitzero"`
	Bed      [2]float64 `json:"bed,omitzero"`
	Purge    float64    `json:"purge,omitempty"` // pushed through when it is loaded
	// what is pushed through behind certain filaments, by their keys: light behind dark takes
	// more than the other way round
	After    map[string]float64 `json:"after,omitempty"`
	Load     float64            `json:"load,omitempty"`     // from the gears to the nozzle
	Unload   float64            `json:"unload,omitempty"`   // back out of the gears
	Diameter float64            `json:"diameter,omitempty"` // mm; 0 means 1.75
	Density  float64            `json:"density,omitempty"`  // g/cm³; 0 means 1.24
}

var colour = regexp.MustCompile(`^#[0-9a-fA-F]{6}$`)

// Check says what is wrong with a filament.
func (f *Filament) Check() error {
	if f.Colour != "" && !colour.MatchString(f.Colour) {
		return fmt.Errorf("the colour %q is not written as #rrggbb", f.Colour)
	}
	for _, t := range []float64{f.Nozzle[0], f.Nozzle[1]} {
		if t != 0 && !within(t, 150, 500) {
			return fmt.Errorf("%g °C is no temperature for a nozzle that prints", t)
		}
	}
	for _, t := range f.Bed {
		if !within(t, 0, 200) {
			return fmt.Errorf("%g °C is no temperature for a bed", t)
		}
	}
	for _, v := range []float64{f.Purge, f.Load, f.Unload} {
		if !within(v, 0, mostPurged) {
			return fmt.Errorf("%g mm is out of range", v)
		}
	}
	for key, v := range f.After {
		if !within(v, 0, mostPurged) {
			return fmt.Errorf("%g mm behind %q is out of range", v, key)
		}
	}
	if f.Diameter != 0 && !within(f.Diameter, 0.5, 5) || f.Density != 0 &&
		!within(f.Density, 0.2, 20) {
		return errors.New("the diameter or the density is out of range")
	}
	return nil
}

// mostPurged is the greatest length that is pushed through or moved at once, mm.
const mostPurged = 2000

// PurgeOf returns what a purge at an ear pushes through, mm: what is known of the pair of
// filaments, else of the new one, else what the step says.
func (p *Plan) PurgeOf(e *Ear, s Step) float64 {
	f, ok := p.Filaments[e.Filament]
	if !ok || e.Kind != Colour {
		return s.MM
	}
	if mm := f.After[e.From]; mm > 0 {
		return mm
	}
	if f.Purge > 0 {
		return f.Purge
	}
	return s.MM
}

// Clean are the answers to whether a change of filament came out clean.
const (
	TooLittle = "too little"
	JustRight = "right"
	TooMuch   = "too much"
)

// NextPurge returns what to push through the next time, mm, after mm were. It goes by steps
// that two or three changes are enough to settle: too little costs a print, too much only
// filament, so that it goes up faster than down.
func NextPurge(mm float64, clean string) (float64, error) {
	switch clean {
	case TooLittle:
		return math.Min(math.Ceil(mm*1.4/5)*5, mostPurged), nil
	case TooMuch:
		return math.Max(math.Floor(mm*0.8/5)*5, 5), nil
	case JustRight:
		return mm, nil
	}
	return 0, fmt.Errorf("a change can be %q, %q or %q, not %q", TooLittle, JustRight, TooMuch, clean)
}

// Grams returns the weight of a length of the filament, mm: the volume of the
// round thread times its density.
func (f *Filament) Grams(mm float64) float64 {
	d, rho := f.Diameter, f.Density
	if d == 0 {
		d = gcode.UsualDiameter
	}
	if rho == 0 {
		rho = 1.24
	}
	return mm * math.Pi / 4 * d * d * rho / 1000
}

// Shapes an insert can have.
var Shapes = []string{"hex", "square", "disc", "block", "ball", "ring", "other"}

// InsertPart is what goes into a pocket. Lengths in mm: Across is the width
// across flats or the diameter, Length the longer side of a block, Inner the
// hole of a ring.
type InsertPart struct {
	Name   string  `json:"name,omitempty"`
	Shape  string  `json:"shape"`
	Across float64 `json:"across"`
	Length float64 `json:"length,omitempty"`
	Inner  float64 `json:"inner,omitempty"`
	Height float64 `json:"height"`
	Steel  bool    `json:"steel,omitempty"`
	Magnet bool    `json:"magnet,omitempty"`
	Grams  float64 `json:"grams,omitempty"`
	// Tolerance is by how much it may be larger than its sizes say.
	Tolerance float64 `json:"tolerance,omitempty"`
}

// Check says what is wrong with an insert. Sizes may be left out.
func (i *InsertPart) Check() error {
	if i.Shape != "" && !slices.Contains(Shapes, i.Shape) && i.Shape != "round" && i.Shape != "rect" {
		return fmt.Errorf("the shape %q is not known; there are %s", i.Shape, strings.Join(Shapes, ", "))
	}
	for _, v := range []float64{i.Across, i.Length, i.Inner, i.Height, i.Tolerance} {
		if !within(v, 0, 500) {
			return fmt.Errorf("%g mm is out of range", v)
		}
	}
	if !within(i.Grams, 0, 10000) {
		return fmt.Errorf("%g g is out of range", i.Grams)
	}
	return nil
}

// Dialect says what the printer does otherwise than most, as far as that changes what a
// file means.
func (p *Printer) Dialect() gcode.Dialect {
	d := gcode.Dialect{KeepE: p.G90MovesE != nil && !*p.G90MovesE}
	for _, kind := range slices.Sorted(maps.Keys(p.Stop)) {
		d.StopWords = withStop(d.StopWords, p.Stop[kind])
	}
	return d
}

// Dialect is that of the plan's printer, which also stops at the words of its ears.
func (p *Plan) Dialect() gcode.Dialect {
	var d gcode.Dialect
	if p.Printer != nil {
		d = p.Printer.Dialect()
	}
	for i := range p.Ears {
		d.StopWords = withStop(d.StopWords, p.Ears[i].Stop)
	}
	return d
}

// withStop adds the word with which a stop begins. A timed wait is none: other lines of
// the file may wait too.
func withStop(words []string, line string) []string {
	w := stopName(line)
	if w == "" || w == "G4" || usualStop(w) || slices.Contains(words, w) {
		return words
	}
	return append(words, w)
}

// usualStop reports whether every printer is taken to stop at a word.
func usualStop(w string) bool {
	switch w {
	case "M0", "M1", "M25", "M226", "M600", "M601", "PAUSE", "@PAUSE":
		return true
	}
	return false
}
