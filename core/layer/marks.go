package layer

import (
	"math"

	"dogear/core/gcode"
)

// The marks of a file are learned, not known: every comment is reduced to a
// template in which numbers are replaced by #, and the templates are counted
// against the layers that geometry finds.

// Bounds of what is learned. A file of thirty million lines has a few dozen
// templates; pictures and settings in comments have thousands and stop counting.
const (
	maxTemplates = 4096
	maxNumbers   = 4
	maxPending   = 64
	maxText      = 200
)

// template is what is known of one kind of comment.
type template struct {
	text     string
	hash     uint64
	last     int64 // first number of its newest occurrence
	counts   int   // times that number was one more than before
	total    int
	newest   [maxNumbers]int64 // numbers of the newest occurrence
	position int               // of these, the one that grows; set for the clock
	inner    int               // times it stood inside a layer
	tail     int               // times it stood behind the last layer
	occurs   []occurrence      // times it stood in a gap between two layers
}

// occurrence is one comment in the gap before a layer.
type occurrence struct {
	layer int // from 0
	line  int64
	order int        // position among the comments of its gap
	z     gcode.Nano // height of the head there
	n     int
	vals  [maxNumbers]int64
}

type learner struct {
	ids       map[uint64]int
	templates []template
	pending   []pendingMark // comments since the last laying move, the newest maxPending
	held      []pendingMark // those before a ramp of which is not yet known where it leads
	order     int

	cut uint64 // hash of the comment that begins a turn of a vase; 0 for none
	hit bool   // that comment stands in the present gap
}

type pendingMark struct {
	id int
	occurrence
}

// comment takes in one comment or message line, with its leading sign.
func (l *learner) comment(text []byte, line int64, z gcode.Nano) int {
	if len(text) > maxText {
		return -1
	}
	var m occurrence
	m.line = line
	h := uint64(14695981039346656037)
	mix := func(b byte) { h = (h ^ uint64(b)) * 1099511628211 }
	letters, blanks := 0, 0
	for i := word(text); i < len(text); {
		b := text[i]
		if b <= '9' && b >= '-' {
			if end := numberEnd(text, i); end > i {
				if m.n < maxNumbers {
					m.vals[m.n] = millionths(text[i:end])
				}
				m.n++
				mix('#')
				i = end
				continue
			}
		}
		if b == ' ' {
			blanks++
		}
		letters++
		mix(b)
		i++
	}
	id, ok := l.ids[h]
	if !ok {
		// A long run without blanks is a picture's code, not a mark.
		if len(l.templates) >= maxTemplates || letters > 48 && blanks < 3 {
			return -1
		}
		if l.ids == nil {
			l.ids = map[uint64]int{}
		}
		id = len(l.templates)
		l.ids[h] = id
		l.templates = append(l.templates, template{text: Template(text), hash: h})
	}
	t := &l.templates[id]
	if m.n > 0 {
		if t.total > 0 && m.vals[0] == t.last+1_000_000 {
			t.counts++
		}
		t.last = m.vals[0]
		t.newest = m.vals
	}
	t.total++
	l.hit = l.hit || h == l.cut
	m.order, m.z = l.order, z
	l.order++
	l.pending = newest(l.pending, maxPending)
	l.pending = append(l.pending, pendingMark{id, m})
	return id
}

// counting reports whether one of the pending comments counts up by one each time, and
// has stood in the file no more than most times: it may be the mark of a layer that
// begins at the height of the last.
func (l *learner) counting(most int) bool {
	for _, p := range l.pending {
		if t := &l.templates[p.id]; p.n > 0 && t.counts == t.total-1 && t.total <= most {
			return true
		}
	}
	return false
}

// newest makes room behind a list of which only the newest entries count. It lets the
// list grow to twice as many before it moves them.
func newest[T any](list []T, most int) []T {
	if len(list) < 2*most {
		return list
	}
	return list[:copy(list, list[len(list)-most:])]
}

// counter returns the hash of the comment whose number counts up by one each
// time it stands in the file, 0 when there is none.
func (l *learner) counter() uint64 {
	best := -1
	for i := range l.templates {
		t := &l.templates[i]
		if t.counts >= 2 && t.counts == t.total-1 && (best < 0 || t.total > l.templates[best].total) {
			best = i
		}
	}
	if best < 0 {
		return 0
	}
	return l.templates[best].hash
}

// settle books the pending comments: they stood in the gap before layer i when
// opens is set, and inside layer i otherwise.
func (l *learner) settle(i int, opens bool) {
	for _, p := range l.pending[max(len(l.pending)-maxPending, 0):] {
		t := &l.templates[p.id]
		if !opens {
			t.inner++
			continue
		}
		p.layer = i
		t.occurs = append(t.occurs, p.occurrence)
	}
	l.pending = l.pending[:0]
	l.order = 0
}

// hold keeps the pending comments until it is known where a ramp leads.
func (l *learner) hold() {
	l.held = append(l.held, l.pending...)
	l.pending = l.pending[:0]
	l.order = 0
}

// release books the comments held: they stood before run i, or inside it.
func (l *learner) release(i int, opens bool) {
	if len(l.held) == 0 {
		return
	}
	l.pending, l.held = l.held, l.pending
	l.settle(i, opens)
	l.pending, l.held = l.held, l.pending
}

// end books the comments behind the last layer.
func (l *learner) end() {
	for _, p := range l.pending {
		l.templates[p.id].tail++
	}
	l.pending = nil
}

// word returns the length of the command at the beginning of a message line,
// whose number is no number of the message; 0 for a comment.
func word(s []byte) int {
	if len(s) == 0 || s[0] == ';' || s[0] == '(' {
		return 0
	}
	i := 0
	for i < len(s) && s[i] != ' ' {
		i++
	}
	return i
}

// numberEnd returns the end of the number that begins at i, or i.
func numberEnd(s []byte, i int) int {
	j := i
	if s[j] == '-' && j+1 < len(s) && (j == 0 || s[j-1] == ' ' || s[j-1] == ':' || s[j-1] == '=') {
		j++
	}
	k := j
	for j < len(s) && s[j]-'0' <= 9 {
		j++
	}
	if j < len(s) && s[j] == '.' && (j > k || j+1 < len(s) && s[j+1]-'0' <= 9) {
		for j++; j < len(s) && s[j]-'0' <= 9; j++ {
		}
	}
	if j == k {
		return i
	}
	return j
}

func millionths(s []byte) int64 {
	neg, v, frac := false, int64(0), -1
	for _, b := range s {
		switch {
		case b == '-':
			neg = true
		case b == '.':
			frac = 0
		case frac >= 6 || v > math.MaxInt64/100:
		default:
			v = v*10 + int64(b-'0')
			if frac >= 0 {
				frac++
			}
		}
	}
	for k := max(frac, 0); k < 6 && v < math.MaxInt64/100; k++ {
		v *= 10
	}
	if neg {
		v = -v
	}
	return v
}

// Template returns a comment line with its numbers replaced by #, as it stands
// in Marks.
func Template(s []byte) string {
	b := append([]byte(nil), s[:word(s)]...)
	for i := len(b); i < len(s); {
		if end := numberEnd(s, i); end > i {
			b = append(b, '#')
			i = end
			continue
		}
		b = append(b, s[i])
		i++
	}
	return string(b)
}

// Numbers returns the numbers of a comment line that its Template shows as #, in millionths.
func Numbers(s []byte) (out []int64) {
	for i, end := word(s), 0; i < len(s); i = max(i+1, end) {
		if end = numberEnd(s, i); end > i {
			out = append(out, millionths(s[i:end]))
		}
	}
	return out
}

// learn finds the file's marks and writes its own numbers into the layers. It
// returns the layers (1-based) for which the file's layer mark is missing or
// doubled.
//
// begins are when the layers begin, as far as the moves say: a clock keeps step with it.
func (l *learner) learn(layers []Layer, begins []float64) (Marks, *role, []int) {
	var m Marks
	n := len(layers)
	if n < 2 {
		return m, nil, nil
	}
	best := l.bestOf(layers, begins, &m)
	if best == nil {
		return m, nil, nil
	}
	m.Layer = best.t.text
	missing := best.missing(n)
	if best.counting >= 0 {
		best.number(layers, &m)
	}
	return m, best, missing
}

// bestOf returns the comment that says best where layers begin, and notes which says their
// height and which the time; nil when none is good enough.
func (l *learner) bestOf(layers []Layer, begins []float64, m *Marks) *role {
	n := len(layers)
	var best, height *role
	bestRank := 0.0
	for k := range l.templates {
		t := &l.templates[k]
		if len(t.occurs) == 0 || t.inner > max(2, n/20) {
			continue
		}
		r := l.role(t, layers)
		if r.covered < n-max(2, n/20) || r.doubles > max(2, n/20) || r.covered*2 <= n {
			if m.Clock == "" && r.clock(begins) && r.covered+t.tail >= n-2 {
				m.Clock, t.position = t.text, r.growing
			}
			continue
		}
		order := 0
		for _, o := range t.occurs {
			order += o.order
		}
		early := 1 / (2 + float64(order)/float64(len(t.occurs)))
		rank := 0.0
		switch {
		case r.counting >= 0:
			rank = 3 + early
		case r.height >= 0:
			rank = 1 + early
			if height == nil {
				height = &r
			}
		case r.growing >= 0:
			if m.Clock == "" && r.clock(begins) {
				m.Clock, t.position = t.text, r.growing
			}
			continue
		case t.occurs[0].n == 0:
			if l.names(t, layers) {
				continue
			}
			rank = 2 + early
		default:
			continue // constant numbers: a setting
		}
		if rank > bestRank {
			best, bestRank = &r, rank
		}
	}
	if height != nil {
		m.Height = height.t.text
	}
	return best
}

// missing lists the layers that the mark does not stand before, or not once.
func (r *role) missing(n int) []int {
	var missing []int
	times := make([]int, n)
	for _, o := range r.t.occurs {
		if o.layer >= 0 && o.layer < n {
			times[o.layer]++
		}
	}
	for i, k := range times {
		if k != 1 {
			missing = append(missing, i+1)
		}
	}
	return missing
}

// number gives the layers the file's own numbers, which the mark tells.
func (r *role) number(layers []Layer, m *Marks) {
	same := true
	for i, k := range r.layers {
		if k < 0 || r.t.occurs[k].n <= r.counting {
			continue
		}
		v := r.t.occurs[k].vals[r.counting] / 1_000_000
		layers[i].Number, layers[i].HasNumber = v, true
		off := v - int64(i+1)
		if !m.HasOffset {
			m.Offset, m.HasOffset = off, true
		} else if off != m.Offset {
			same = false
		}
	}
	if !same {
		m.Offset, m.HasOffset = 0, false
	}
}
