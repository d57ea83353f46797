package layer

import (
	"slices"

	"dogear/core/gcode"
	"math"
	"strings"
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
	occurs   []mark            // times it stood in a gap between two layers
}

// mark is one comment in the gap before a layer.
type mark struct {
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
	order     int

	cut uint64 // hash of the comment that begins a turn of a vase; 0 for none
	hit bool   // that comment stands in the present gap
}

type pendingMark struct {
	id int
	mark
}

// comment takes in one comment or message line, with its leading sign.
func (l *learner) comment(text []byte, line int64, z gcode.Nano) int {
	if len(text) > maxText {
		return -1
	}
	var m mark
	m.line = line
	h := uint64(14695981039346656037)
	mix := func(b byte) { h = (h ^ uint64(b)) * 1099511628211 }
	letters, blanks := 0, 0
	for i := word(text); i < len(text); {
		if end := numberEnd(text, i); end > i {
			if m.n < maxNumbers {
				m.vals[m.n] = millionths(text[i:end])
			}
			m.n++
			mix('#')
			i = end
			continue
		}
		if text[i] == ' ' {
			blanks++
		}
		letters++
		mix(text[i])
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
	if len(l.pending) == maxPending {
		copy(l.pending, l.pending[1:])
		l.pending = l.pending[:maxPending-1]
	}
	l.pending = append(l.pending, pendingMark{id, m})
	return id
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
	for _, p := range l.pending {
		t := &l.templates[p.id]
		if !opens {
			t.inner++
			continue
		}
		p.layer = i
		t.occurs = append(t.occurs, p.mark)
	}
	l.pending = l.pending[:0]
	l.order = 0
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

// role is how one template behaves over the layers.
type role struct {
	t        *template
	layers   []int // by layer: index into occurs, or -1
	covered  int
	doubles  int
	counting int // number position that counts by one, or -1
	height   int // position that equals Z, or -1
	growing  int // position that only grows, or -1
}

func (l *learner) role(t *template, layers []Layer) role {
	r := role{t: t, counting: -1, height: -1, growing: -1, layers: make([]int, len(layers))}
	for i := range r.layers {
		r.layers[i] = -1
	}
	for k, o := range t.occurs {
		if o.layer < 0 || o.layer >= len(layers) {
			continue
		}
		if r.layers[o.layer] >= 0 {
			r.doubles++
		} else {
			r.covered++
		}
		r.layers[o.layer] = k
	}
	for p := range maxNumbers {
		counts, equal, grows, steps, seen := 0, 0, 0, 0, 0
		last := -1
		for i, k := range r.layers {
			if k < 0 || t.occurs[k].n <= p {
				continue
			}
			v := t.occurs[k].vals[p]
			seen++
			if d := v - int64(layers[i].Z); d >= -1000 && d <= 1000 {
				equal++
			}
			if last >= 0 {
				prev := t.occurs[r.layers[last]].vals[p]
				if layers[i].Object != layers[last].Object {
					last = i // each object may be counted anew
					continue
				}
				steps++
				if v-prev == int64(i-last)*1_000_000 {
					counts++
				}
				if v > prev {
					grows++
				}
			}
			last = i
		}
		if seen < 2 {
			break
		}
		most := func(n, of int) bool { return n >= of-max(2, of/20) && n*2 > of }
		switch {
		case r.height < 0 && most(equal, seen):
			r.height = p
		case r.counting < 0 && most(counts, steps):
			r.counting = p
		case r.growing < 0 && most(grows, steps):
			r.growing = p
		}
	}
	return r
}

// learn finds the file's marks and writes its own numbers into the layers. It
// returns the layers (1-based) for which the file's layer mark is missing or
// doubled.
func (l *learner) learn(layers []Layer) (Marks, *role, []int) {
	var m Marks
	n := len(layers)
	if n < 2 {
		return m, nil, nil
	}
	var best, height *role
	bestRank := 0.0
	for k := range l.templates {
		t := &l.templates[k]
		if len(t.occurs) == 0 || t.inner > max(2, n/20) {
			continue
		}
		r := l.role(t, layers)
		if r.covered < n-max(2, n/20) || r.doubles > max(2, n/20) || r.covered*2 <= n {
			if m.Clock == "" && r.growing >= 0 && r.height < 0 && r.covered+t.tail >= n-2 {
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
			if m.Clock == "" {
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
	if best == nil {
		return m, nil, nil
	}
	m.Layer = best.t.text
	var missing []int
	times := make([]int, n)
	for _, o := range best.t.occurs {
		if o.layer >= 0 && o.layer < n {
			times[o.layer]++
		}
	}
	for i, k := range times {
		if k != 1 {
			missing = append(missing, i+1)
		}
	}
	if best.counting < 0 {
		return m, best, missing
	}
	same := true
	for i, k := range best.layers {
		if k < 0 || best.t.occurs[k].n <= best.counting {
			continue
		}
		v := best.t.occurs[k].vals[best.counting] / 1_000_000
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
	return m, best, missing
}

// names reports whether a comment without numbers, which stands once before
// each layer, is the name of its first path rather than a mark of the layer:
// its words are those of paths, or it begins like comments that stand inside
// layers, or the head is at the layer's height already while others stand inside.
func (l *learner) names(t *template, layers []Layer) bool {
	n := len(layers)
	if labelClass(t.text) != Other {
		return true
	}
	head, _, kind := strings.Cut(t.text, ":")
	risen := 0
	for _, o := range t.occurs {
		if o.layer >= 0 && o.layer < n && o.z == layers[o.layer].Z {
			risen++
		}
	}
	for k := range l.templates {
		o := &l.templates[k]
		if o.inner < n/2 || strings.Contains(o.text, "#") {
			continue
		}
		if kind && strings.HasPrefix(o.text, head+":") || risen*2 > len(t.occurs) {
			return true
		}
	}
	return false
}

// consecutive looks for a comment that stands before most layers and never
// inside one, though some layers have none, and that shows those to be parts of
// the layer before them: its number goes up by one each time, or, when it has
// none, every layer without it is thinner than a layer of this file. It returns
// which layers it stands before; nil when there is no such comment.
func (l *learner) consecutive(layers []Layer) []bool {
	n := len(layers)
	steps := make([]gcode.Nano, 0, n)
	for i := 1; i < n; i++ {
		steps = append(steps, layers[i].Z-layers[i-1].Z)
	}
	slices.Sort(steps)
	for k := range l.templates {
		t := &l.templates[k]
		if len(t.occurs) < 3 || len(t.occurs) >= n || len(t.occurs)*3 < n || t.inner > 0 || t.tail > 0 {
			continue
		}
		counts := t.counts == t.total-1
		if !counts && strings.Contains(t.text, "#") {
			continue
		}
		marked := make([]bool, n)
		for _, o := range t.occurs {
			if o.layer >= 0 && o.layer < n {
				marked[o.layer] = true
			}
		}
		thin := true
		for i := 1; i < n && !counts; i++ {
			thin = thin && (marked[i] || (layers[i].Z-layers[i-1].Z)*4 < steps[len(steps)/2]*3)
		}
		if marked[0] && thin {
			return marked
		}
	}
	return nil
}

// labels returns the comments without numbers that stand again and again
// before groups of paths: at least two kinds, in half of the layers or more.
func (l *learner) labels(n int, m Marks) []string {
	var out []string
	for k := range l.templates {
		t := &l.templates[k]
		if t.inner+len(t.occurs) >= max(1, n/2) && t.inner > 0 && t.text[0] == ';' && t.text != m.Layer && !strings.Contains(t.text, "#") {
			out = append(out, t.text[1:])
		}
	}
	// Also those that only ever begin a layer, when they are named like paths.
	for k := range l.templates {
		t := &l.templates[k]
		if t.inner == 0 && len(t.occurs) > 0 && t.text[0] == ';' && t.text != m.Layer && labelClass(t.text) != Other {
			out = append(out, t.text[1:])
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}
