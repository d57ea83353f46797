package landmark

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sort"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/raster"
)

// Finder goes up through the layers and remembers the one below.
type Finder struct {
	ix      *layer.Index
	frame   raster.Frame
	below   *raster.Section
	under   *raster.Grid // Solid of the layer under that
	sign    uint64       // of what the layer below lays
	moves   []layer.Move // of the layer that is looked at
	paths   []layer.Path
	rings   []ring // and its closed paths, when ringsOf is that layer
	ringsOf int
	areas   []float64 // of Solid, by layer, mm²
	marks   []Landmark
	open    []*track       // openings of the layer below
	floors  []*raster.Grid // what the layers below cover, the newest last
	pockets []Pocket
}

// NewFinder returns a finder for a print. Add all its layers, from the first to
// the last, then ask for the Report.
func NewFinder(ix *layer.Index) *Finder { return &Finder{ix: ix, frame: raster.FrameOf(ix)} }

// Add looks at layer n, decoded into moves and their paths, which may be used for another when it
// returns.
func (f *Finder) Add(n int, moves []layer.Move, paths []layer.Path) {
	if n > 1 && f.ix.Layers[n-1].Object != f.ix.Layers[n-2].Object {
		f.closeAll()
		f.below, f.under, f.floors = nil, nil, nil
	}
	sign := uint64(0)
	if f.alike(n-1) || f.alike(n) {
		sign = signOf(f.ix, n, moves)
	}
	if n > 3 && f.below != nil && sign == f.sign && f.alike(n-1) {
		f.again(n)
		return
	}
	f.sign, f.moves, f.paths = sign, moves, paths
	s := raster.SectionOf(f.frame, f.ix, n, moves, paths)
	f.areas = append(f.areas, s.Solid.Area())
	if f.below != nil {
		f.compare(n, s, moves)
	} else if n == 1 {
		f.inside(moves)
	}
	f.track(n, s)
	if f.below != nil {
		f.under = f.below.Solid
	}
	s.Release()
	f.remember(s.Solid)
	f.below, f.moves, f.paths = s, nil, nil
}

// Report returns what was found.
func (f *Finder) Report() *Report {
	f.closeAll()
	r := &Report{Format: "dogear-landmarks/1", Landmarks: keep(f.marks), Pockets: f.pockets}
	if r.Pockets == nil {
		r.Pockets = []Pocket{}
	}
	return r
}

// Find looks at every layer. progress is called now and then with 0…1; it may
// be nil.
func Find(ctx context.Context, src layer.Source, ix *layer.Index, progress func(float64)) (*Report,
	error) {
	f := NewFinder(ix)
	layers := ix.NewDecoder(src)
	for n := 1; n <= len(ix.Layers); n++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if progress != nil && n%8 == 0 {
			progress(float64(n) / float64(len(ix.Layers)))
		}
		moves, err := layers.Layer(n)
		if err != nil {
			return nil, err
		}
		f.Add(n, moves, layer.Paths(moves))
	}
	return f.Report(), nil
}

func (f *Finder) add(n int, kind string, certainty float64, reason string) {
	f.marks = append(f.marks, Landmark{BeforeLayer: &n, Kind: kind,
		Certainty: math.Round(min(certainty, 0.99)*100) / 100, Reason: reason})
}

// alike reports whether layer n and the next lay as much with as many moves: then they may
// lay the same.
func (f *Finder) alike(n int) bool {
	if n < 1 || n >= len(f.ix.Layers) {
		return false
	}
	a, b := &f.ix.Layers[n-1], &f.ix.Layers[n]
	return a.Moves == b.Moves && absN(b.Filament-a.Filament)*500 <= a.Filament
}

// signOf tells the way on which a layer is laid from that of another; with as much filament
// they lay the same.
func signOf(ix *layer.Index, n int, moves []layer.Move) uint64 {
	h := uint64(14695981039346656037)
	mix := func(v gcode.Nano) { h = (h ^ uint64(v)) * 1099511628211 }
	mix(ix.Layers[n-1].Height)
	for i := range moves {
		m := &moves[i]
		mix(gcode.Nano(m.Kind))
		if m.Kind != gcode.Lay && m.Kind != gcode.Travel {
			continue
		}
		mix(m.To[0])
		mix(m.To[1])
		if m.Arc != nil {
			mix(gcode.FromMM(m.Arc.Turn * 1000))
		}
		if i == 0 || m.Label != moves[i-1].Label {
			for k := range len(m.Label) {
				mix(gcode.Nano(m.Label[k]))
			}
		}
	}
	return h
}

// again takes in layer n, which lays just what the one below does: nothing begins or
// ends there.
func (f *Finder) again(n int) {
	f.under = f.below.Solid
	f.remember(f.below.Solid)
	f.areas = append(f.areas, f.areas[n-2])
	f.heights(n)
	for _, t := range f.open {
		if t.support == t.last {
			t.support = n
		}
		t.last, t.narrows = n, false
	}
}

// heights notes where layers become thicker or thinner.
func (f *Finder) heights(n int) {
	if h, b := f.ix.Layers[n-1].Height, f.ix.Layers[n-2].Height; n > 2 && b > 0 && absN(h-b)*20 > b*3 {
		f.add(n, HeightChanges, 0.9, fmt.Sprintf("Layers are %s mm thick from here, %s mm before",
			trim(h), trim(b)))
	}
}

// compare looks at layer n against the one below.
func (f *Finder) compare(n int, s *raster.Section, moves []layer.Move) {
	below := f.below
	was, is := f.areas[n-2], f.areas[n-1]
	if was <= 0 || is <= 0 {
		return
	}
	ended := below.Solid.Clone()
	ended.AndNot(s.Solid)
	ends := ended.Area()
	grown := s.Solid.Clone()
	grown.AndNot(below.Solid)
	fresh := grown.Area()
	f.slots(n, grown)
	share := ends / was
	// A slope loses a rim a layer; a flat top ends all at once.
	slope := f.usual(n)
	islands := s.Pieces
	parts, tops := s.Ended(below, f.under)
	cuts := 0
	if n > 2 && share > engravedLeast && ends > 2*slope+engravedArea {
		cuts = figures(ended, below.Solid)
	}
	switch {
	case parts > 0 && tops > partArea && tops > 0.7*ends:
		f.add(n, FlatEnds, 0.6+0.35*min(1, share), fmt.Sprintf("%s here; %d %s", ofParts(parts),
			islands, map[bool]string{true: "goes on", false: "go on"}[islands == 1]))
	case share > 0.18 && ends > 3*slope+4:
		sure := 0.55 + 0.45*min(1, (share-0.18)/0.5)
		switch {
		case islands > 1 && islands > below.Pieces:
			f.add(n, Raised, sure+0.1, fmt.Sprintf("Plastic stops over %.0f %% of the flat top; %d "+
				"islands go on", share*100, islands))
		case share > 0.5:
			f.add(n, Raised, sure-0.1, fmt.Sprintf("Plastic stops over %.0f %% of the flat top; one part "+
				"goes on", share*100))
		default:
			f.add(n, FlatEnds, sure-0.05, fmt.Sprintf("A flat area of %.0f mm² is finished; the rest goes "+
				"on", ends))
		}
	case cuts > 1:
		f.add(n, FlatEnds, 0.6+min(0.2, 0.03*float64(cuts)),
			fmt.Sprintf("%d figures of %.0f mm² together are cut in from here on", cuts, ends))
	case n > 2 && fresh/was > 0.18 && fresh > 3*slope+4:
		f.add(n, Step, 0.5+0.45*min(1, fresh/was-0.18), fmt.Sprintf("The section grows by %.0f %% at "+
			"once", fresh/was*100))
	}
	f.heights(n)
	// A line over nothing leaves fresh cells; where there are hardly any, the
	// moves need not be followed.
	if s.Overhang(below).Area() < 0.8 || s.NewHere(below).Area() < 0.8 {
		return
	}
	if l := longest(s, below, moves); l >= 3 {
		f.add(n, Bridge, 0.5+min(0.4, l/50), fmt.Sprintf("Lines cross %.1f mm of nothing, held at both "+
			"ends", l))
	}
}

// partArea is how large the top of what ends by itself must be, mm²: a whisker is no part.
const partArea = 4

func ofParts(n int) string {
	if n == 1 {
		return "One part ends"
	}
	return fmt.Sprintf("%d parts end", n)
}

// Figures cut in are small: so much of the top at least, and so many mm² together.
const (
	engravedLeast = 0.01
	engravedArea  = 6
)

// figures counts the places where plastic ends that are more than a line's seam and lie
// inside of what was laid below: at its rim a slope ends, in pieces.
func figures(ended, was *raster.Grid) int {
	core := ended.Clone()
	core.Erode(1)
	k := 0
	for _, p := range core.Pieces() {
		if p.Cells > 3 && p.Inside(was, 2) {
			k++
		}
	}
	return k
}

// usual is what lately changed from layer to layer, mm²: what most layers change by at
// least, so that the levels of a relief do not hide one another.
func (f *Finder) usual(n int) float64 {
	var by []float64
	for i := max(1, n-6); i < n-1; i++ {
		by = append(by, math.Abs(f.areas[i]-f.areas[i-1]))
	}
	if len(by) == 0 {
		return 0
	}
	slices.Sort(by)
	return by[(len(by)-1)/4]
}

func absN(n gcode.Nano) gcode.Nano { return max(n, -n) }

func trim(n gcode.Nano) string { return string(gcode.AppendMM(nil, (n+500)/1000*1000, 1)) }

// longest returns the longest stretch of a line laid over nothing that begins
// and ends over plastic, mm.
func longest(s, below *raster.Section, moves []layer.Move) float64 {
	best := 0.0
	step := s.Solid.Cell
	for i := range moves {
		m := &moves[i]
		if m.Kind != gcode.Lay || m.Arc != nil {
			continue
		}
		l := m.Length()
		if l < 3 {
			continue
		}
		x0, y0 := m.From[0].Millimetres(), m.From[1].Millimetres()
		dx, dy := m.To[0].Millimetres()-x0, m.To[1].Millimetres()-y0
		k := int(l / step)
		from := -1.0 // where the stretch began; negative: not held at its beginning
		held := false
		for j := 0; j <= k; j++ {
			t := float64(j) / float64(k)
			x, y := x0+dx*t, y0+dy*t
			if !s.Solid.At(x, y) {
				held, from = false, -1
				continue
			}
			if below.Solid.At(x, y) {
				if held && from >= 0 {
					best = max(best, t*l-from)
				}
				held, from = true, -1
			} else if from < 0 && held {
				from = t * l
			}
		}
	}
	return best
}

// inside finds the places inside a layer where another group of paths begins:
// behind the skirt, and where one island's lettering gives way to its ground.
func (f *Finder) inside(moves []layer.Move) {
	for _, b := range Groups(moves) {
		line := b.Line
		f.marks = append(f.marks, Landmark{BeforeLine: &line, Kind: Paths, Certainty: b.Certainty,
			Reason: b.Reason})
	}
}

// most bounds the number of landmarks of a report.
const most = 14

// keep drops the weaker of two marks of a kind on neighbouring folds, and all but
// the surest; what is left stands in the order of the file, inside marks first.
func keep(marks []Landmark) []Landmark {
	sort.SliceStable(marks, func(i, j int) bool { return marks[i].Certainty > marks[j].Certainty })
	out := []Landmark{}
	for _, m := range marks {
		near := func(o Landmark) bool {
			if m.BeforeLayer == nil || o.BeforeLayer == nil || o.Kind != m.Kind {
				return false
			}
			d := *o.BeforeLayer - *m.BeforeLayer
			return d >= -1 && d <= 1
		}
		if len(out) < most && !slices.ContainsFunc(out, near) {
			out = append(out, m)
		}
	}
	place := func(m Landmark) int {
		if m.BeforeLayer == nil {
			return 0
		}
		return *m.BeforeLayer
	}
	sort.SliceStable(out, func(i, j int) bool {
		a, b := place(out[i]), place(out[j])
		if a != b {
			return a < b
		}
		return out[i].BeforeLine != nil && out[j].BeforeLine != nil &&
			*out[i].BeforeLine < *out[j].BeforeLine
	})
	return out
}
