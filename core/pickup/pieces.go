package pickup

import (
	"errors"
	"fmt"
	"math"

	"dogear/core/gcode"
	"dogear/core/layer"
	"dogear/core/raster"
)

// look works out what one piece of evidence allows.
func look(src layer.Source, ix *layer.Index, e Evidence) (*Piece, error) {
	p := &Piece{Evidence: e, weight: make([]float64, len(ix.Layers)+1)}
	var err error
	switch e.Kind {
	case Touch:
		err = p.height(ix, e.Value-e.Under, 0, 0)
	case Caliper:
		err = p.height(ix, e.Value, 0.1, 0.1)
	case Picture: // a camera looks from one place, and a hand sets the lines
		err = p.height(ix, e.Value, max(0.5, 0.02*e.Value), 0)
	case Layer:
		err = p.exactly(ix, int(e.Value), fmt.Sprintf("layer %d", int(e.Value)))
	case FileNumber:
		n := ix.ByNumber(int64(e.Value))
		if n == 0 {
			return nil, fmt.Errorf("the file has no layer that it calls %g", e.Value)
		}
		err = p.exactly(ix, n, fmt.Sprintf("layer %d", n))
	case Counted:
		err = p.exactly(ix, e.From+int(e.Value), fmt.Sprintf("%d layers above layer %d: layer %d",
			int(e.Value), e.From, e.From+int(e.Value)))
	case Line:
		if e.Value < 1 || e.Value > float64(ix.Lines) {
			return nil, fmt.Errorf("there is no line %.0f; the file has %d", e.Value, ix.Lines)
		}
		p.lines(ix, []int64{int64(e.Value)})
	case Byte, Percent:
		err = p.share(ix, e)
	case Minutes:
		err = p.time(ix, e.Value*60)
	case Display:
		err = p.display(src, ix)
	case Extruded:
		err = p.extruded(src, ix)
	case Weight, Spool, Used:
		err = p.plastic(ix)
	default:
		err = fmt.Errorf("there is no evidence %q", e.Kind)
	}
	if err != nil {
		return nil, err
	}
	p.bounds()
	return p, nil
}

// bounds works out what is allowed from the weights.
func (p *Piece) bounds() {
	p.Low, p.High = -1, -1
	best := 0.0
	for k, w := range p.weight {
		if w > best {
			best, p.Best = w, k
		}
	}
	least := 0.0
	if p.Kind == Touch { // what is half as likely is named only when it tips the scale
		least = best / 2
	}
	for k, w := range p.weight {
		if w <= 0 || w < least {
			continue
		}
		if p.Low < 0 {
			p.Low = k
		}
		p.High = k
	}
	// Of a flat top the middle.
	last := p.Best
	for k := p.Best; k < len(p.weight) && p.weight[k] == best; k++ {
		last = k
	}
	if p.Kind != Touch && p.Kind != Line && p.Kind != Display {
		p.Best = (p.Best + last) / 2
	}
}

// trapezoid is 1 up to tol, and 0 from three times that on.
func trapezoid(d, tol float64) float64 {
	switch d = math.Abs(d); {
	case d <= tol:
		return 1
	case d >= 3*tol:
		return 0
	}
	return (3*tol - d) / (2 * tol)
}

func (p *Piece) exactly(ix *layer.Index, n int, text string) error {
	if n < 0 || n > len(ix.Layers) {
		return fmt.Errorf("there is no layer %d; the print has %d", n, len(ix.Layers))
	}
	p.weight[n] = 1
	p.Text = text
	return nil
}

// Where a touch is as good as on a layer's top, and where it is not on it at all, as a share
// of the layer's height. Half way between two tops both are as likely.
const (
	surely  = 0.25
	notEven = 0.75
)

// height compares a height with the tops of the layers. Without a tolerance of
// its own it is taken to be a touch: half a layer either way, the less sure the nearer to
// the half. A first layer that was squashed makes the part lower than the file says, by up
// to squash.
func (p *Piece) height(ix *layer.Index, z, tol, squash float64) error {
	if !(z > 0) || z > ix.Height().Millimetres()+5 {
		return fmt.Errorf("%g mm is not a height of this print, which is %s mm high", z, ix.Height())
	}
	best, off := 0, math.Inf(1)
	for k := range ix.Layers {
		l := &ix.Layers[k]
		top := l.Z.Millimetres()
		d := z - top
		if math.Abs(d) < math.Abs(off)-1e-9 {
			best, off = k+1, d
		}
		switch {
		case tol > 0:
			p.weight[k+1] = trapezoid(d+squash/2, tol+squash/2)
		default:
			off := math.Abs(d) / max(l.Height.Millimetres(), 1e-6)
			p.weight[k+1] = min(1, max(0, (notEven-off)/(notEven-surely)))
		}
	}
	if best == 0 {
		return ErrNothing
	}
	if tol == 0 && p.weight[best] == 0 {
		p.weight[best] = 1 // far off every layer: the nearest, and how far is said
	}
	p.Off = off
	p.Text = fmt.Sprintf("layer %d at %s mm, off by %.2f", best, ix.Layers[best-1].Z, off)
	if p.Under > 0 {
		p.Text += fmt.Sprintf(" (less the %g mm that lay under the nozzle)", p.Under)
	}
	return nil
}

// part is the weight of the layer that lies only in part, where whole ones are
// asked for: whoever looks at it may take it for good.
const part = 0.3

// lines are places inside layers: the layers before are whole.
func (p *Piece) lines(ix *layer.Index, at []int64) {
	p.Lines = at
	for _, l := range at {
		n := ix.At(l)
		if n == 0 {
			p.weight[0] = 1
			continue
		}
		if l > ix.Layers[n-1].Last {
			p.weight[n] = 1
			continue
		}
		p.weight[n-1] = 1
		p.weight[n] = max(p.weight[n], part)
	}
	switch len(at) {
	case 0:
	case 1:
		p.Text = fmt.Sprintf("line %d, in layer %d", at[0], max(ix.At(at[0]), 1))
	default:
		p.Text = fmt.Sprintf("%d places, the first on line %d", len(at), at[0])
	}
}

// shareTolerance is how far a share of the file may be off: half a percent, for
// what the printer holds in its buffer and what the host rounds.
const shareTolerance = 0.005

func (p *Piece) share(ix *layer.Index, e Evidence) error {
	s := e.Value / 100
	if e.Kind == Byte {
		s = e.Value / float64(ix.Bytes)
	}
	if !(s >= 0 && s <= 1) {
		return errors.New("it must lie between the beginning and the end of the file")
	}
	for k := range p.weight {
		// Layer k is whole and the next one is under way between these two.
		from, to := share(ix, k+1), share(ix, k+2)
		d := 0.0
		if s < from {
			d = from - s
		} else if s > to {
			d = s - to
		}
		p.weight[k] = trapezoid(d, shareTolerance)
	}
	p.Text = fmt.Sprintf("%.1f %% of the file", s*100)
	return nil
}

// share returns how much of the file lies before layer n.
func share(ix *layer.Index, n int) float64 {
	if n > len(ix.Layers) {
		return 1
	}
	return float64(ix.Layers[n-1].Offset) / float64(max(ix.Bytes, 1))
}

// timeTolerance is how far the clock may be off, as a share of the time.
const timeTolerance = 0.05

func (p *Piece) time(ix *layer.Index, s float64) error {
	if !(s > 0) {
		return errors.New("the time must be more than 0")
	}
	tol := max(s*timeTolerance, 30)
	for k := range p.weight {
		from, to := 0.0, math.Inf(1)
		if k > 0 {
			from = ix.Layers[k-1].Begin + ix.Layers[k-1].Seconds
		}
		if k < len(ix.Layers) {
			to = ix.Layers[k].Begin + ix.Layers[k].Seconds
		}
		d := 0.0
		if s < from {
			d = from - s
		} else if s > to {
			d = s - to
		}
		p.weight[k] = trapezoid(d, tol)
	}
	p.Text = fmt.Sprintf("%.0f min of about %.0f", s/60, ix.Seconds/60)
	return nil
}

// Where a display position counts as on a move, mm.
const (
	passes  = 0.5
	sameZ   = 0.02
	maxHop  = 5.0
	maxLook = 400 // layers that are looked through
)

// display finds the moves that pass a position. A height that is no layer's may
// be a hop over one that lies below.
func (p *Piece) display(src layer.Source, ix *layer.Index) error {
	x, y, z := p.At[0], p.At[1], p.At[2]
	var at []int64
	looked := 0
	for n := range ix.Layers {
		top := ix.Layers[n].Z.Millimetres()
		if top < z-maxHop || top > z+ix.Layers[n].Height.Millimetres()+sameZ {
			continue
		}
		if looked++; looked > maxLook {
			break
		}
		moves, err := ix.Decode(src, n+1)
		if err != nil {
			return err
		}
		for i := range moves {
			m := &moves[i]
			lo, hi := m.From[2].Millimetres(), m.To[2].Millimetres()
			if lo > hi {
				lo, hi = hi, lo
			}
			if z < lo-sameZ || z > hi+sameZ || distance(m, x, y) > passes {
				continue
			}
			if k := len(at); k == 0 || m.Line > at[k-1]+1 {
				at = append(at, m.Line)
			} else {
				at[k-1] = m.Line // one run of moves is one place
			}
		}
	}
	if len(at) == 0 {
		return fmt.Errorf("the place X%g Y%g Z%g: no move passes within %g mm of it", x, y, z, passes)
	}
	p.lines(ix, at)
	return nil
}

// distance returns how far a move passes from a place, mm.
func distance(m *layer.Move, x, y float64) float64 {
	best := math.Inf(1)
	at := [2]float64{m.From[0].Millimetres(), m.From[1].Millimetres()}
	leg := func(x1, y1 float64) {
		to := [2]float64{x1, y1}
		best = min(best, raster.FromSegment([2]float64{x, y}, at, to))
		at = to
	}
	if m.Arc != nil {
		k := m.Arc.Pieces(0.05)
		for i := 1; i <= k; i++ {
			leg(m.Arc.At(float64(i) / float64(k)))
		}
		return best
	}
	leg(m.To[0].Millimetres(), m.To[1].Millimetres())
	return best
}

// extruded finds the lines at which the filament axis passes a value.
func (p *Piece) extruded(src layer.Source, ix *layer.Index) error {
	if ix.EMode == "relative" {
		return errors.New("this file counts its filament in steps, so the E on the display says " +
			"nothing about the place")
	}
	want := gcode.FromMM(p.Value)
	var at []int64
	end := ix.Until(len(ix.Layers))
	for k := range ix.States {
		s := &ix.States[k]
		from, until, laid := s.State.LogicalE(), end, ix.Filament
		if k+1 < len(ix.States) {
			next := &ix.States[k+1]
			until, laid = next.Line, next.State.Laid-s.State.Laid
			if want < from-20*gcode.MM && next.State.LogicalE() > want {
				continue
			}
		}
		// In between the axis may run back a little, or be set anew.
		if reach := laid + 20*gcode.MM; want > from+reach && !s.State.RelE && want > reach {
			continue
		}
		last := from
		err := ix.WalkFrom(src, s.Line, until, func(line int64, _ []byte, c *gcode.Command, a *gcode.Act,
			m *gcode.Machine) bool {
			e := m.LogicalE()
			if a.Kind == gcode.Lay && last < want && e >= want {
				at = append(at, line)
			}
			last = e
			return len(at) < 1000
		})
		if err != nil {
			return err
		}
	}
	if len(at) == 0 {
		return fmt.Errorf("the filament axis never stands at %g while something is laid", p.Value)
	}
	p.lines(ix, at)
	return nil
}

func abs(n int) int { return max(n, -n) }
