package printer

import (
	"fmt"
	"math"

	"dogear/core/gcode"
)

// home finds the place again, and says so when the part is in the way.
func (p *Printer) home() {
	given := func(l byte) bool { return p.c.Has(l) || p.c.Bare(l) }
	onlyXY := p.a.Kind == gcode.Home && (given('X') || given('Y')) && !given('Z')
	switch from := p.a.From; {
	case p.laidTop == 0 || p.Layer >= len(p.ix.Layers) &&
		p.Line > p.ix.Layers[len(p.ix.Layers)-1].Last:
	case onlyXY && from[2] < p.laidTop:
		p.say("harm", fmt.Sprintf("homes the sides at %s mm, through a part %s mm high", from[2],
			p.laidTop))
	case !onlyXY && p.overTop(from):
		p.say("harm", "comes down onto the part to find the bed")
	}
	p.skip = [3]gcode.Nano{} // the sides are found again
	if p.a.Kind == gcode.Home && !given('X') && !given('Y') && !given('Z') {
		p.lost = false
	}
}

// overTop reports whether a place lies overTop what the print lays.
func (p *Printer) overTop(at [3]gcode.Nano) bool {
	b := p.ix.Box
	return at[0] >= b[0] && at[0] <= b[2] && at[1] >= b[1] && at[1] <= b[3]
}

// limits looks where a move goes.
func (p *Printer) limits() {
	at := p.m.Pos
	if p.m.Known&gcode.KnowZ != 0 {
		z := at[2].Millimetres()
		p.once("top", z > p.pr.Top+0.01, fmt.Sprintf("goes to Z %.2f, beyond its top of %g mm", z,
			p.pr.Top))
		p.once("bed", z < -0.01, fmt.Sprintf("goes to Z %.2f, below its bed", z))
	}
	if b := p.pr.Bed; !p.pr.Assumed && p.m.Known&3 == 3 {
		x, y := at[0].Millimetres(), at[1].Millimetres()
		p.once("side", x < b[0]-0.01 || x > b[2]+0.01 || y < b[1]-0.01 || y > b[3]+0.01,
			fmt.Sprintf("goes to X %.1f Y %.1f, off its bed", x, y))
	}
	p.once("lost", p.lost, "moves, but has let go of its motors: nobody knows where it stands")
}

// heat follows a heater line, and waits if it says so.
func (p *Printer) heat() {
	h, what := &p.nozzle, "nozzle"
	target := float64(p.m.Nozzle()) / 1e6
	if p.c.Code == 140 || p.c.Code == 190 {
		h, what, target = &p.bed, "bed", float64(p.m.Bed())/1e6
	} else if p.c.Has('T') && p.c.Value('T')/1e6 != int64(p.m.Tool) {
		return
	}
	if most := max(p.pr.Hottest, 0); what == "nozzle" && target > or(most, limit) {
		p.State = Stopped
		p.nozzle.target, p.bed.target = 0, 0
		p.say("fault", fmt.Sprintf("the nozzle is to be at %.0f °C; the printer switches itself off at "+
			"%.0f °C", target, or(most, limit)))
		return
	}
	h.target = target
	if !p.a.Wait {
		return
	}
	p.empty()
	s := h.wait(!p.c.Has('S'))
	if math.IsInf(s, 1) {
		p.State = Stopped
		p.say("fault", fmt.Sprintf("the printer never continues for the %s to be at %.0f °C", what,
			target))
		return
	}
	if s > 0 {
		p.say("hot", fmt.Sprintf("%s to %.0f °C, in %.0f s", what, target, s))
	}
	p.pass(s)
}

// plan works out how long the moves of a layer take.
func (p *Printer) plan(n int) {
	p.took, p.tookLine, p.tookAt = p.took[:0], p.tookLine[:0], 0
	moves, err := p.ix.Decode(p.src, n)
	if err != nil {
		return // it goes by length and feed then
	}
	times, err := p.ix.Times(p.src, n, moves)
	if err != nil {
		return
	}
	end := p.ix.Layers[n-1].Begin + p.ix.Layers[n-1].Seconds
	for i := range moves {
		to := end
		if i+1 < len(times) {
			to = times[i+1]
		}
		p.took, p.tookLine = append(p.took, math.Max(to-times[i], 0)), append(p.tookLine, moves[i].Line)
	}
}

// pass lets time go by.
func (p *Printer) pass(s float64) {
	p.Time += s
	p.nozzle.pass(s)
	p.bed.pass(s)
}

func (p *Printer) wait(word string) {
	if p.State == Printing {
		p.State = Waiting
		p.rested = 0
		p.say("stop", word+": waits for you")
	}
}
