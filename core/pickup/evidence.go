package pickup

import (
	"errors"
	"fmt"
	"slices"
	"sort"
	"strings"

	"dogear/core/layer"
)

// Kinds of evidence. Lengths are mm, times min.
const (
	Touch      = "touch"       // the nozzle touches the part at this height
	Caliper    = "caliper"     // the part is so high
	Layer      = "layer"       // the last good layer
	FileNumber = "file-number" // the same, as the file counts
	Counted    = "counted"     // layers above one that can be recognised
	Display    = "display"     // X, Y and Z shown when it stopped
	Line       = "line"        // the line it stopped at
	Byte       = "byte"        // bytes sent or read
	Percent    = "percent"     // of the file
	Minutes    = "minutes"     // printed
	Extruded   = "e"           // E shown, in a file that counts from the start
	Weight     = "weight"      // of the part, with what was cut off it, g
	Spool      = "spool"       // what the spool has lost since the print began, g
	Used       = "used"        // the same, m
	Picture    = "picture"     // the part is so high in a picture from the side
)

// Kinds in the order in which they are asked for.
var Kinds = []string{Touch, Caliper, Counted, Layer, FileNumber, Display, Minutes, Percent, Line,
	Byte, Extruded, Weight, Spool, Used, Picture}

// Evidence is one thing that is known about where a print failed.
type Evidence struct {
	Kind  string     `json:"kind"`
	Value float64    `json:"value,omitempty"`
	From  int        `json:"from,omitempty"` // counted: the layer one counts from
	At    [3]float64 `json:"at,omitzero"`    // display
	// touch: what lay between nozzle and part, mm; the part is so much lower
	Under float64 `json:"under,omitempty"`
	// weight, spool: of the filament, g/cm³ and mm. Of the diameter also used has need, where
	// the file counts volumes. A diameter of 0 is the usual 1.75.
	Density  float64 `json:"density,omitempty"`
	Diameter float64 `json:"diameter,omitempty"`
}

// Felt returns evidence whose touches were made with something between nozzle and part, mm:
// a sheet of paper, a feeler.
func Felt(all []Evidence, under float64) []Evidence {
	out := slices.Clone(all)
	for i := range out {
		if out[i].Kind == Touch {
			out[i].Under = under
		}
	}
	return out
}

// Piece is a piece of evidence and what it allows.
type Piece struct {
	Evidence
	Low, High int     // last good layers that it allows, tolerance included
	Best      int     // the one it speaks for most
	Off       float64 // mm between what was measured and the layer's height
	Lines     []int64 // lines it points at, when it points at lines
	Text      string  // what it says, in words
	weight    []float64
}

// Belief is what all evidence together says.
type Belief struct {
	Pieces      []Piece
	Weight      []float64 // by last good layer, 0 for the bare bed; the sum is 1
	Best        int       // the likeliest last good layer
	Low, High   int       // nine tenths of the weight lie between
	One         bool      // there is only one place
	Line        int64     // where in layer Best+1 it stopped, when that is known; else 0
	Contradicts []string  // what does not fit together, in words
}

// ByHeight reports whether nothing but heights and weights speaks for the place: they say how
// far the plastic reaches, not whether the layer on top is whole.
func (b *Belief) ByHeight() bool {
	for i := range b.Pieces {
		switch b.Pieces[i].Kind {
		case Touch, Caliper, Counted, Weight, Spool, Used, Picture:
		default:
			return false
		}
	}
	return len(b.Pieces) > 0
}

// ErrNothing is the cause when evidence speaks for no place in the print.
var ErrNothing = errors.New("no place in this print fits that")

// Weigh puts evidence together. Each piece gives every layer a plausibility:
// flat within its tolerance, falling to nothing at three times that.
func Weigh(src layer.Source, ix *layer.Index, all []Evidence) (*Belief, error) {
	n := len(ix.Layers)
	b := &Belief{Weight: make([]float64, n+1)}
	for k := range b.Weight {
		b.Weight[k] = 1
	}
	decided := 0
	for _, e := range all {
		p, err := look(src, ix, e)
		if err != nil {
			return nil, err
		}
		b.Pieces = append(b.Pieces, *p)
	}
	for i := range b.Pieces {
		p := &b.Pieces[i]
		for k := range b.Weight {
			b.Weight[k] *= p.weight[k]
		}
		if p.Kind == Layer || p.Kind == Line {
			decided = i + 1
		}
	}
	sum := 0.0
	for _, w := range b.Weight {
		sum += w
	}
	if sum == 0 || decided > 0 {
		b.contradict(ix)
	}
	if decided > 0 { // what is said outright decides
		copy(b.Weight, b.Pieces[decided-1].weight)
		sum = 0
		for _, w := range b.Weight {
			sum += w
		}
	}
	if sum == 0 {
		return b, nil
	}
	for k := range b.Weight {
		b.Weight[k] /= sum
		if b.Weight[k] > b.Weight[b.Best]+1e-12 {
			b.Best = k
		}
	}
	// Of several that are as likely, the one in the middle.
	last := b.Best
	for last+1 <= n && b.Weight[last+1] > b.Weight[b.Best]-1e-12 {
		last++
	}
	b.Best = (b.Best + last) / 2
	b.settle(ix)
	return b, nil
}

// settle works out the range, and whether there is one place only.
func (b *Belief) settle(ix *layer.Index) {
	type at struct {
		k int
		w float64
	}
	var order []at
	for k, w := range b.Weight {
		if w > 0 {
			order = append(order, at{k, w})
		}
	}
	sort.SliceStable(order, func(i, j int) bool {
		if d := order[i].w - order[j].w; d > 1e-12 || d < -1e-12 {
			return d > 0
		}
		return abs(order[i].k-b.Best) < abs(order[j].k-b.Best)
	})
	b.Low, b.High = b.Best, b.Best
	sum := 0.0
	for _, o := range order {
		if sum >= 0.9 {
			break
		}
		sum += o.w
		b.Low, b.High = min(b.Low, o.k), max(b.High, o.k)
	}
	b.One = len(order) == 1 || order[1].w < order[0].w/2
	for i := range b.Pieces {
		p := &b.Pieces[i]
		in := slices.DeleteFunc(slices.Clone(p.Lines),
			func(l int64) bool { return max(ix.At(l), 1) != b.Best+1 })
		if len(in) == 1 || len(in) > 1 && p.Kind == Line {
			b.Line = in[0]
		}
	}
}

// contradict names the pieces that do not fit together.
func (b *Belief) contradict(ix *layer.Index) {
	for i := range b.Pieces {
		for k := range i {
			p, q := &b.Pieces[k], &b.Pieces[i]
			fits := false
			for w := range p.weight {
				fits = fits || p.weight[w]*q.weight[w] > 0
			}
			if fits {
				continue
			}
			low, high := p, q
			if low.Best > high.Best {
				low, high = high, low
			}
			text := fmt.Sprintf("%s speaks for layer %d, %s for layer %d, %d layers more.",
				upper(names[low.Kind]), low.Best, names[high.Kind], high.Best, high.Best-low.Best)
			if measured[low.Kind] && !measured[high.Kind] {
				text += " Did the printer go on without filament? Then only what was measured counts."
			} else if k := high.Kind; k == Weight || k == Spool {
				text += " Was something else weighed along, or is the filament denser than that?"
			} else if !measured[low.Kind] && measured[high.Kind] {
				text += " Was the part measured at its highest place, or the number read off later than it " +
					"stopped?"
			}
			b.Contradicts = append(b.Contradicts, text)
		}
	}
}

// names of the kinds, in words.
var names = map[string]string{Touch: "the touch", Caliper: "the caliper",
	Layer: "the layer you gave", FileNumber: "the file's number", Counted: "the count",
	Display: "the display",
	Line:    "the line", Byte: "the number of bytes", Percent: "the percentage", Minutes: "the clock",
	Extruded: "the filament axis", Weight: "the scale", Spool: "the spool", Used: "the spool",
	Picture: "the picture"}

// Measures reports whether a kind of evidence looks at the part or its plastic, not at what the
// printer says.
func Measures(kind string) bool { return measured[kind] }

// measured are the kinds that look at the part, not at the printer.
var measured = map[string]bool{Touch: true, Caliper: true, Counted: true, Weight: true,
	Spool: true, Used: true, Picture: true}

func upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
