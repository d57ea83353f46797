package layer

import (
	"dogear/core/gcode"
)

// startState is what a layer keeps of its first laying move.
type startState struct {
	tool             int
	nozzle, bed, fan int64
	begin            float64
}

// layRun books laying moves that go on in the present layer, as many as stand
// at the beginning of data, up to the next line whose offset is kept.
func (r *reader) layRun(data []byte) (int, error) {
	if r.vase || r.line%Stride == 0 || r.m.Pos[2] > r.top+eps || r.m.Pos[2] < r.hot.z-eps || len(r.l.pending) > 0 {
		return 0, nil
	}
	h := &r.hot
	run := gcode.Run{Ends: r.ends[:0:min(int64(len(r.ends)), Stride-r.line%Stride)], Box: h.box}
	x, y := r.m.Pos[0], r.m.Pos[1]
	n := r.m.LayRun(data, &run)
	if n == 0 {
		return 0, nil
	}
	k := len(run.Ends)
	h.box = run.Box
	h.moves += k
	h.laid += run.Laid
	r.line += int64(k)
	r.off += int64(n)
	r.crlf += int64(run.CRs)
	h.last = r.line
	before := r.lays / checkEach
	r.lays += k
	if r.m.RelE {
		r.relLays += k
	}
	r.pace()
	r.p.way(x, y, run.Ends, r.speed)
	if r.lays/checkEach != before && r.sloped() {
		return n, errVase
	}
	return n, nil
}

// goOn books a laying move that goes on from the one before it, in the same
// layer: most of a file.
func (r *reader) goOn(s []byte) error {
	h := &r.hot
	x, y := r.m.Pos[0], r.m.Pos[1]
	if r.a.Arc.Turn != 0 {
		h.box = union(h.box, r.extent())
	} else {
		if x < h.box[0] {
			h.box[0] = x
		} else if x > h.box[2] {
			h.box[2] = x
		}
		if y < h.box[1] {
			h.box[1] = y
		} else if y > h.box[3] {
			h.box[3] = y
		}
	}
	h.moves++
	h.laid += r.a.Laid
	h.last = r.line
	r.lays++
	if r.m.RelE {
		r.relLays++
	}
	if r.sampled < sampleLines {
		r.sample(s)
	}
	r.time()
	if r.lays%checkEach == 0 && r.sloped() {
		return errVase
	}
	return nil
}

// hot is what is summed up over the laying moves of the present layer.
type hot struct {
	z     gcode.Nano
	box   [4]gcode.Nano
	moves int
	laid  gcode.Nano
	first int64
	last  int64
}

// settle writes the sums into the present layer.
func (r *reader) settle() {
	h := &r.hot
	if len(r.ix.Layers) > 0 && h.moves > 0 {
		cur := &r.ix.Layers[len(r.ix.Layers)-1]
		cur.Box, cur.Moves, cur.Filament, cur.First, cur.Last, cur.Z = h.box, h.moves, h.laid, h.first, h.last, h.z
	}
	r.hot = hot{}
	r.steady = false
}

// lay books a laying move.
func (r *reader) lay(s []byte, at int64) error {
	m, a := &r.m, &r.a
	r.moved = true
	z := max(m.Pos[2], a.From[2])
	rise := m.Pos[2] - a.From[2]
	sloped := rise > 1 || rise < -1
	r.lays++
	if sloped {
		r.slope++
	} else if z > r.flatZ+eps {
		if len(r.steps) < 4096 && r.flatZ > 0 {
			r.steps = append(r.steps, z-r.flatZ)
		}
		r.flatZ = z
	}
	if r.lays%checkEach == 0 && (r.sloped() || !r.vase && r.climb > 2*checkEach) {
		return errVase
	}
	if m.RelE {
		r.relLays++
	}
	if r.sampled < sampleLines {
		r.sample(s)
	}
	layers := r.ix.Layers
	opens := len(layers) == 0
	if !opens {
		opens = z > r.top+eps || z < r.hot.z-eps && (!r.vase || r.early && !sloped)
		if r.vase && r.l.cut != 0 && sloped { // the file says where its turns begin
			opens = r.l.hit
		}
	}
	if !r.gap.set { // the layer changes without a line between
		r.gap.first = point{r.line, at, r.pre}
		if r.preSet {
			r.p.open()
		}
	} else if r.gap.late && !r.gap.lateSet {
		r.gap.late = false
	}
	if opens {
		r.open(z, sloped)
	}
	r.l.hit = false
	if len(r.l.pending) > 0 {
		r.l.settle(len(r.ix.Layers)-1, opens)
	}
	box := r.extent()
	if r.early {
		r.chain(box, opens)
	}
	h := &r.hot
	h.z = max(h.z, z)
	if r.early {
		r.ix.Layers[len(r.ix.Layers)-1].Z = h.z
	} else {
		if h.moves == 0 {
			h.first, h.box = r.line, box
		} else {
			h.box = union(h.box, box)
		}
		h.last = r.line
		h.moves++
		h.laid += a.Laid
		r.steady = true
	}
	r.end = m.Pos
	r.ended, r.strange = false, 0
	if r.gap.set {
		r.gap = gap{comments: r.gap.comments[:0]}
	}
	r.inMove = false
	r.time()
	return nil
}

// open begins a new layer; its fold is the gap that ends here.
func (r *reader) open(z gcode.Nano, sloped bool) {
	r.top = z
	last := r.hot.z
	r.settle()
	r.hot.z = z
	if r.vase && sloped {
		base := r.a.From[2]
		if len(r.ix.Layers) > 0 {
			base = last
		}
		r.top = max(z, base+r.turn)
	}
	if sloped {
		r.climb++
	}
	r.p.fold()
	s := r.startState()
	l := Layer{Z: z, Tool: s.tool, Nozzle: s.nozzle, Bed: s.bed, Fan: s.fan}
	l.stand(r.gap.first)
	r.gaps = append(r.gaps, r.gap.choice())
	r.ix.Layers = append(r.ix.Layers, l)
}

// stand puts the fold of a layer at a point.
func (l *Layer) stand(p point) { l.Fold, l.Offset, l.At = p.line, p.off, p.at }

func (r *reader) startState() startState {
	return startState{tool: int(r.m.Tool), nozzle: r.m.Nozzle(), bed: r.m.Bed(), fan: r.m.Fan}
}

// extent returns the box of the present move.
func (r *reader) extent() [4]gcode.Nano {
	a, p := &r.a, &r.m.Pos
	if a.Arc.Turn != 0 {
		b := a.Arc.Bounds()
		return [4]gcode.Nano{gcode.FromMM(b[0]), gcode.FromMM(b[1]), gcode.FromMM(b[2]), gcode.FromMM(b[3])}
	}
	return [4]gcode.Nano{min(a.From[0], p[0]), min(a.From[1], p[1]), max(a.From[0], p[0]), max(a.From[1], p[1])}
}

func union(a, b [4]gcode.Nano) [4]gcode.Nano {
	if b[0] < a[0] {
		a[0] = b[0]
	}
	if b[1] < a[1] {
		a[1] = b[1]
	}
	if b[2] > a[2] {
		a[2] = b[2]
	}
	if b[3] > a[3] {
		a[3] = b[3]
	}
	return a
}
