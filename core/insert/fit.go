package insert

import (
	"fmt"
	"math"
	"strings"

	"dogear/core/finding"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// Fit is how a part sits in a pocket.
type Fit struct {
	Seat
	Above float64       // room between it and the layer laid next; negative when it stands proud
	Code  string        // of the finding, when Level is set
	Level finding.Level // "" when all is well
	Words string
}

// Rooms, mm.
const (
	loose   = 0.05 // at each side, for a part to drop in by itself
	press   = 0.08 // by which it may be too wide and still be pressed in
	flush   = 0.05 // by which it may stand above the plastic unnoticed
	rattles = 0.5  // at each side, for it to move about
	holds   = 0.4  // share of its height that must stand in the pocket
)

// Words describes a pocket in a line.
func Words(p *landmark.Pocket) string {
	size := fmt.Sprintf("%.1f wide", p.Across)
	switch p.Shape {
	case "hex":
		size = fmt.Sprintf("%.1f across flats", p.Across)
	case "round", "ball":
		size = fmt.Sprintf("⌀ %.1f", p.Across)
	case "rect":
		size = fmt.Sprintf("%.1f × %.1f", math.Max(p.Size[0], p.Size[1]), math.Min(p.Size[0], p.Size[1]))
	}
	open := "open to the top"
	if p.Closes != nil {
		open = fmt.Sprintf("open until layer %d", p.LastOpen)
	}
	if p.Side {
		open += ", and to the side"
	}
	if p.Support > 0 {
		open += ", support in it"
	}
	return fmt.Sprintf("%s, %s, %.1f deep, %s", p.Shape, size, p.Depth, open)
}

// Of fits count parts, one on another, into a pocket when the printer stops
// before layer n.
func Of(ix *layer.Index, p *landmark.Pocket, part *plan.InsertPart, count, n int) Fit {
	f := Fit{Seat: SeatOf(ix, p, part, count, n)}
	l := &ix.Layers[n-1]
	top := (l.Z - l.Height).Millimetres()
	f.Above = hundredth(top - f.Top)
	care := func(level finding.Level, code, format string, args ...any) {
		f.Level, f.Code, f.Words = level, code, fmt.Sprintf(format, args...)
	}
	what := name(part)
	switch {
	case p.Closes != nil && n > *p.Closes:
		care(finding.Stop, "insert-late", "The pocket is closed by layer %d already; stop before that.",
			*p.Closes)
	case n <= p.FirstOpen:
		care(finding.Stop, "insert-early", "The pocket begins with layer %d; nothing holds %s before it.",
			p.FirstOpen, what)
	case f.Narrow > 0 && f.Narrow > p.Widest && f.Side >= -press:
		care(finding.Stop, "insert-fit", "It no longer goes in: layer %d has narrowed the pocket to "+
			"%.1f mm. Stop before layer %d.", f.Narrow, p.At(f.Narrow).Across, f.lastWide(n))
	case f.Narrow > 0 || f.Side < -press:
		care(finding.Stop, "insert-fit", "It does not go in: %s is %.2f mm too wide at each side.", what,
			-f.Side)
	case p.Closes != nil && f.Top > f.ceiling(ix)+flush:
		care(finding.Stop, "insert-proud", "It is never covered: %s would stand %.2f mm into layer %d, "+
			"which closes the pocket. A deeper pocket, or something flatter.", what, f.Top-f.ceiling(ix),
			*p.Closes)
	case top-f.Rest < holds*part.Height && part.Shape != "ball":
		care(finding.Care, "insert-early",
			"Only %.1f of its %.1f mm stand in the pocket by then; it can "+
				"fall over. Stop later.", math.Max(0, top-f.Rest), part.Height)
	case f.Above < -flush:
		care(finding.Care, "insert-proud", "It stands %.2f mm proud of the layer below the stop.",
			-f.Above)
		if u := f.Until(ix, n); u > n {
			f.Words += fmt.Sprintf(" The head is lifted over it until layer %d is laid.", u-1)
		}
	case f.unsure():
		care(finding.Care, "insert-fit", "Whether it goes in is not sure.")
	case f.Side < loose:
		care(finding.Care, "insert-fit", "It must be pressed in (%.2f mm at each side); press gently, "+
			"so that the part does not come off. %.2f mm stay free above it.", f.Side, math.Max(f.Above, 0))
	case p.Closes == nil:
		care(finding.Care, "insert-open", "It drops in, %.2f mm free at each side; but nothing ever "+
			"closes the pocket, and it can fall out.", f.Side)
	default:
		f.Words = fmt.Sprintf("It drops in, %.2f mm free at each side and %.2f mm above.", f.Side,
			math.Max(f.Above, 0))
	}
	if f.Level != finding.Stop {
		f.more(p, part, n)
	}
	return f
}

// more adds what a person should know about something that goes in before layer n.
func (f *Fit) more(p *landmark.Pocket, part *plan.InsertPart, n int) {
	if f.unsure() {
		f.raise("insert-fit", fmt.Sprintf(" No closed wall goes round the pocket, so it is measured to "+
			"%.1f mm only, and %s would have %.2f mm at each side. Try it with a print of a few layers.",
			p.Rough, name(part), f.Side))
	}
	switch {
	case p.Support >= n:
		f.raise("insert-support", fmt.Sprintf(" Support stands in the pocket, and is laid on up to "+
			"layer %d: take it out, and stop before layer %d, or it is laid onto what goes in.", p.Support,
			p.Support+1))
	case p.Support > 0:
		f.raise("insert-support", " Support stands in the pocket: take it out first.")
	}
	if f.Rest > p.FloorZ+0.3 && part.Shape != "ball" {
		f.Words += fmt.Sprintf(" It rests where the pocket gets narrower, %.1f mm above its floor.",
			f.Rest-p.FloorZ)
	}
	if part.Magnet && f.Side > 0.15 {
		f.raise("insert-loose", " A loose magnet jumps to the nozzle: hold it with a drop of glue or a "+
			"piece of steel under the bed, and mark which pole faces up.")
	} else if part.Magnet {
		f.Words += " Mark which pole faces up."
	} else if part.Steel && f.Side > rattles && part.Shape != "ball" {
		f.Words += " It has room to move; a drop of glue keeps it still."
	}
	if p.Side {
		f.raise("insert-open", " The pocket is open at the side too, and it can slide out: a drop of "+
			"glue keeps it.")
	}
	if part.Shape == "hex" && p.Shape != "hex" || part.Shape == "square" && p.Shape != "rect" {
		f.Words += " Nothing keeps it from turning."
	}
}

// unsure reports whether it may have to be pressed in, or not go in at all, for all that is known
// of the pocket's width.
func (f *Fit) unsure() bool {
	rough := f.Pocket.Rough
	return rough > 0 && f.Narrow == 0 && f.Side < loose+rough/2
}

func (f *Fit) raise(code, words string) {
	if f.Level == "" {
		f.Level, f.Code = finding.Care, code
	}
	f.Words += words
}

// lastWide is the last fold at or below n at which the part still passes.
func (f *Fit) lastWide(n int) int {
	for k := n - 1; k > f.Pocket.Widest; k-- {
		if f.Pocket.At(k).Across/2 >= f.Part.Across/2-press {
			return k + 1
		}
	}
	return f.Pocket.Widest + 1
}

// ceiling is the underside of the layer that closes the pocket, mm.
func (s *Seat) ceiling(ix *layer.Index) float64 {
	l := &ix.Layers[*s.Pocket.Closes-1]
	return (l.Z - l.Height).Millimetres()
}

func name(part *plan.InsertPart) string {
	if part.Name == "" {
		return "it"
	}
	return part.Name
}

// At returns the pockets that are open at the fold before layer n: those into
// which something can be put there.
func At(pockets []landmark.Pocket, n int) []*landmark.Pocket {
	var out []*landmark.Pocket
	for i := range pockets {
		if p := &pockets[i]; n > p.FirstOpen && n <= p.LastOpen+1 {
			out = append(out, p)
		}
	}
	return out
}

// Fold returns the layer before which the printer best stops for count parts to
// go into a pocket, and why there: as late as possible, so that nothing can
// knock them. 0 when they do not go in, or the pocket is never closed.
func Fold(ix *layer.Index, p *landmark.Pocket, part *plan.InsertPart, count int) (n int,
	why string) {
	if p.Closes == nil {
		return 0, ""
	}
	for n = *p.Closes; n > p.FirstOpen; n-- {
		if f := Of(ix, p, part, count, n); f.Narrow == 0 && f.Side >= -press {
			break
		}
	}
	switch {
	case n == p.FirstOpen:
		return 0, ""
	case n == *p.Closes:
		return n, fmt.Sprintf("as late as possible: layer %d closes over it", n)
	}
	return n, fmt.Sprintf("the last fold at which it passes: layer %d narrows the opening to %.1f mm",
		n, p.At(n).Across)
}

// Chosen returns how what goes in at an ear sits in the pockets it goes into:
// those the ear names, else those that take it best. Where more of them go in
// than there are pockets, they lie on one another. Nothing is returned when no
// pocket is open there, or the ear does not say how large its insert is.
func Chosen(ix *layer.Index, pockets []landmark.Pocket, e *plan.Ear, n int) []Fit {
	if e.Kind != plan.Insert || e.Insert == nil || e.Insert.Across == 0 || e.Insert.Height == 0 &&
		e.Insert.Shape != "ball" {
		return nil
	}
	part := *e.Insert
	if part.Shape == "ball" && part.Height == 0 {
		part.Height = part.Across
	}
	part.Across += part.Tolerance
	part.Height += part.Tolerance
	if part.Length > 0 {
		part.Length += part.Tolerance
	}
	open := At(pockets, n)
	if len(e.At) > 0 {
		var named []*landmark.Pocket
		for _, at := range e.At {
			for i := range pockets { // also one that is closed by then: it says so
				if p := &pockets[i]; math.Hypot(p.Centre[0]-at[0], p.Centre[1]-at[1]) <= math.Max(p.Size[0],
					p.Size[1])/2 {
					named = append(named, p)
				}
			}
		}
		open = named
	}
	if len(open) == 0 {
		return nil
	}
	count := max(e.Count, 1)
	var out []Fit
	for _, p := range open {
		f := Of(ix, p, &part, 1, n)
		if len(out) > 0 && len(e.At) == 0 { // those that were chosen are all taken
			switch f.Level.Compare(out[0].Level) {
			case 1:
				continue
			case -1:
				out = nil
			}
		}
		out = append(out, f)
	}
	if each := (count + len(out) - 1) / len(out); each > 1 {
		for i := range out {
			out[i] = Of(ix, out[i].Pocket, &part, each, n)
		}
	}
	if len(e.At) == 0 && len(out) > count {
		out = tightest(out, count)
	}
	return out
}

// tightest keeps count of the fits, those with the least room, and with them all
// that cannot be told from the last.
func tightest(all []Fit, count int) []Fit {
	order := append([]Fit(nil), all...)
	for i := range order {
		for j := i; j > 0 && order[j].Side < order[j-1].Side; j-- {
			order[j], order[j-1] = order[j-1], order[j]
		}
	}
	out := order[:count]
	for _, f := range order[count:] {
		if last := &out[count-1]; f.Side-last.Side < 0.1 && math.Abs(f.Top-last.Top) < 0.1 {
			out = append(out, f)
		}
	}
	return out
}

// GoesIn reports whether it comes to lie in the pocket at all.
func (f *Fit) GoesIn() bool {
	return f.Narrow == 0 && f.Side >= -press && f.Code != "insert-late" && f.Top > f.Rest
}

// Wanted reports whether a plan puts anything in whose size is known, so that
// the pockets of the print matter.
func Wanted(p *plan.Plan) bool {
	for i := range p.Ears {
		if e := &p.Ears[i]; e.Kind == plan.Insert && e.Insert != nil && e.Insert.Across > 0 {
			return true
		}
	}
	return false
}

// Say turns what is to be said of some fits into findings, each sentence once.
func Say(fits []Fit, line int64) []finding.Finding {
	var out []finding.Finding
	var count []int
fits:
	for i := range fits {
		f := &fits[i]
		if f.Level == "" {
			continue
		}
		for k := range out {
			if out[k].Message == f.Words {
				count[k]++
				continue fits
			}
		}
		out, count = append(out, finding.Finding{Level: f.Level, Code: f.Code, Line: line,
			Message: f.Words}), append(count, 1)
	}
	for k := range out {
		if count[k] > 1 {
			out[k].Message = Each(out[k].Message, count[k])
		}
	}
	return out
}

// Each says a sentence of several pockets.
func Each(words string, n int) string {
	return fmt.Sprintf("In each of %d pockets: %s", n, strings.ToLower(words[:1])+words[1:])
}
