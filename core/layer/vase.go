package layer

import (
	"slices"

	"dogear/core/gcode"
)

// A vase is one wall that rises all the time. It has no heights at which its
// layers lie, so it is read a second time, cut into turns.

// quantum is the coarsest step in which a file writes heights (two decimals): what rises
// slowly stands level in between. least is how far it must have risen for the way on
// which it rises by a quantum to be known.
const (
	quantum = gcode.MM / 100
	least   = 2*quantum + eps
)

// plateau reports whether what was laid level behind a climb is more than any climb that
// goes on leaves between two of its steps: this is where it led to. It rose by rise while
// climbed was laid.
func plateau(flat, rise, climbed gcode.Nano) bool {
	return rise > least && 2*float64(flat)*float64(rise) > 3*float64(quantum)*float64(climbed)
}

// climber follows what is laid while the height rises. The sloped starts of walls
// rise by one layer, a spiral by many.
type climber struct {
	rise   gcode.Nano // of the present climb
	begin  gcode.Nano // laid in all when it began
	risen  gcode.Nano // laid in all when it last rose
	at     gcode.Nano // height at which it ended
	high   bool       // it has risen higher than any sloped start does
	spiral gcode.Nano // laid by the high climbs before it
	from   gcode.Nano // laid in all when the first of them began
	any    bool
}

// climb takes in a sloped move. laid is what was laid in all before it; broken says
// that something lies between it and the laying move before it: a spiral goes on at the
// height at which it was left.
func (c *climber) climb(rise, laid gcode.Nano, broken bool, r *reader) {
	if d := r.a.From[2] - c.at; rise < 0 || broken && (d > eps || d < -eps) {
		c.stop(laid)
	}
	c.at = r.m.Pos[2]
	if rise < 0 {
		return
	}
	c.risen = r.m.Laid
	if c.rise == 0 {
		c.begin = laid
	}
	c.rise += rise
	if !c.high && c.rise > 3*gcode.MM/10 && c.rise > r.flatStep()*5/2 {
		c.high = true
		if !c.any {
			c.any, c.from = true, c.begin
		}
	}
}

// level takes in a level move at height z. laid is what was laid in all before it, and by
// it.
func (c *climber) level(z, laid, by gcode.Nano) {
	if c.rise == 0 {
		return
	}
	d := z - c.at
	if d > eps || d < -eps || plateau(laid+by-c.risen, c.rise, c.risen-c.begin) {
		c.stop(laid)
	}
}

// stop ends the present climb.
func (c *climber) stop(laid gcode.Nano) {
	if c.high {
		c.spiral += laid - c.begin
	}
	c.rise, c.high = 0, false
}

// vase reports whether most of what has been laid since the first climb that was
// too high for a sloped start was laid by such climbs.
func (c *climber) vase(laid gcode.Nano) bool {
	s := c.spiral
	if c.high {
		s += laid - c.begin
	}
	return c.any && s*2 > laid-c.from
}

// flatStep returns how much higher than the one before most layers are.
func (r *reader) flatStep() gcode.Nano {
	if len(r.turns.steps) == 0 {
		if r.turns.flatZ > 0 {
			return r.turns.flatZ
		}
		return gcode.MM / 5
	}
	s := slices.Clone(r.turns.steps)
	slices.Sort(s)
	return s[len(s)/2]
}

// layTurn says which turn of a vase a laying move belongs to, and opens it when it
// is the first of it.
func (r *reader) layTurn(rise gcode.Nano, at int64) {
	h := &r.hot
	z := max(r.m.Pos[2], r.a.From[2])
	sloped := rise > 1 || rise < -1
	opens := len(r.ix.Layers) == 0
	if !opens {
		opens = z > r.turns.top+eps || z < h.z-eps && r.early && !sloped
		if r.l.cut != 0 && sloped { // the file says where its turns begin
			opens = r.l.hit
		}
	}
	if r.early && (opens || !r.joins()) {
		r.early = len(r.ix.Layers) < maxEarly
		opens = opens || r.early && !sloped
	}
	if opens {
		r.betweenNothing(at)
		last := h.z
		r.leadsHere()
		r.openRun(z)
		r.turns.top = z
		if sloped {
			base := r.a.From[2]
			if len(r.ix.Layers) > 1 {
				base = last
			}
			r.turns.top = max(z, base+r.turns.turn)
		}
	}
	r.l.hit = false
	if len(r.l.pending) > 0 {
		r.l.settle(len(r.ix.Layers)-1, opens)
	}
	h.z = max(h.z, z)
	r.low, r.high = h.z-eps, r.turns.top+eps
}
