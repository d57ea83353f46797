package pickup

import (
	"cmp"
	"fmt"
	"math"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/mark"
	"dogear/core/raster"
	"dogear/core/routine"
)

// MaxBrim is how wide a brim may be, mm.
const MaxBrim = 20.0

// How a brim is laid.
const (
	brimSlow  = 1200 // mm/min, where the file's first layer says nothing
	brimQuick = 1800 // mm/min, at the most
	brimLine  = 0.45 // mm wide, where the layer's walls say nothing
)

// brim lays loops round the first layer of a loose top, from the outside in, at the height at
// which that layer will lie. The innermost touches it, and the filament of all is what lines of
// their width and height take: w·h·l / (π·d²/4).
func (w *writer) brim(z gcode.Nano) error {
	c, s := w.c, w.s
	if c.Brim == 0 {
		return nil
	}
	moves, err := w.ix.Decode(w.src, s.Layer)
	if err != nil {
		return err
	}
	l := &w.ix.Layers[s.Layer-1]
	wide := wallWidth(moves, l.Height, l.Diameter)
	n := int(math.Ceil(c.Brim/wide - 0.01))
	away := make([]float64, n)
	for k := range away {
		away[k] = wide * float64(n-k)
	}
	feed, err := feedOf(w.src, w.ix, 1)
	if err != nil {
		return err
	}
	if feed == 0 {
		feed = brimSlow
	}
	feed = math.Round(min(feed, brimQuick))
	perMM := wide * z.Millimetres() / (math.Pi * l.Diameter * l.Diameter / 4)
	w.sc.Mark(mark.Mark{Kind: mark.Brim, Title: fmt.Sprintf("%d loops round the loose top", n)}, "")
	length := 0.0
	for _, loops := range raster.Round(w.ix, s.Layer, moves, away) {
		for _, loop := range loops {
			for i := range loop {
				loop[i][0] = math.Round((loop[i][0]+c.DX)*1000) / 1000
				loop[i][1] = math.Round((loop[i][1]+c.DY)*1000) / 1000
			}
			w.loop(loop, z, feed, perMM)
			length += loop.Length()
			w.p.Brim = append(w.p.Brim, loop)
		}
	}
	w.sc.Mark(mark.Mark{Kind: mark.Brim, Ends: true}, "")
	w.p.Opening = append(w.p.Opening, Entry{Verdict: Added,
		Now: fmt.Sprintf("brim: %d loops, %.2f m", n, length/1000),
		Why: "holds the loose top on the bed; cut it off before you glue"})
	w.p.BrimWide = wide
	w.brimFits(wide)
	return nil
}

// loop lays one loop: over it, down, round, and the end where it began.
func (w *writer) loop(loop raster.Loop, z gcode.Nano, feed, perMM float64) {
	m := w.sc.State()
	at := func(p [2]float64) string {
		return routine.Word('X', gcode.FromMM(p[0])-m.Off[0]) + " " +
			routine.Word('Y', gcode.FromMM(p[1])-m.Off[1])
	}
	first := loop[0]
	near := math.Hypot(first[0]-m.Pos[0].Millimetres(), first[1]-m.Pos[1].Millimetres()) < brimStep
	if !near || m.Pos[2] != z {
		w.hold()
		if m.Pos[2] < w.up {
			w.sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', w.up-m.Off[2]), feedZ), "")
		}
		w.sc.Put(fmt.Sprintf("G1 %s F%d", at(first), feedXY), "")
		w.sc.Put(fmt.Sprintf("G1 %s F%d", routine.Word('Z', z-m.Off[2]), feedDown), "")
		if m.Pulled {
			w.sc.Put("G11", "")
		}
		w.sc.Filament(m.Debt, feedPull, "")
	} else if m.Pos[0] != gcode.FromMM(first[0]) || m.Pos[1] != gcode.FromMM(first[1]) {
		w.sc.Put(fmt.Sprintf("G1 %s F%d", at(first), feedXY), "")
	}
	from := first
	for i := range loop {
		to := loop[(i+1)%len(loop)]
		e := gcode.FromMM(math.Round(math.Hypot(to[0]-from[0], to[1]-from[1])*perMM*1e5) / 1e5)
		w.sc.Put(fmt.Sprintf("G1 %s %s F%g", at(to), routine.Word('E', m.Step(e)), feed), "")
		from = to
	}
}

// brimStep is how far the head goes from one loop to the next without being lifted, mm.
const brimStep = 1.5

// brimFits says when a brim reaches further than the bed.
func (w *writer) brimFits(wide float64) {
	bed, whose, known := w.pr.Bed, "the bed ends", ""
	if _, named := w.ix.NamedBed(); w.pr.Assumed && !named {
		bed, whose = w.ix.ReachOf(), "the file itself goes, and how large the bed is nobody has said"
		known = "Name the printer, or make"
	}
	for _, loop := range w.p.Brim {
		for _, p := range loop {
			if p[0]-wide/2 < bed[0] || p[1]-wide/2 < bed[1] || p[0]+wide/2 > bed[2] ||
				p[1]+wide/2 > bed[3] {
				w.find(finding.Stop, "outside-bed", w.s.Line, fmt.Sprintf("The brim would reach X%.1f "+
					"Y%.1f, further than %s. %s it narrower, or move the loose top by X and Y.", p[0], p[1], whose,
					cmp.Or(known, "Make")))
				return
			}
		}
	}
}

// wallWidth is how wide the outer walls of a layer are laid, mm, by length.
func wallWidth(moves []layer.Move, height gcode.Nano, diameter float64) float64 {
	sum, length := 0.0, 0.0
	for _, p := range layer.Paths(moves) {
		if p.Class != layer.Outer {
			continue
		}
		for i := p.From; i < p.To; i++ {
			l := moves[i].Length()
			sum += l * moves[i].Width(height, diameter)
			length += l
		}
	}
	if length == 0 {
		return brimLine
	}
	return min(max(sum/length, 0.3), 0.8)
}
