package apply

import "slices"

// LineMap turns lines of the finished file into lines of the original.
type LineMap []added

// added is a run of lines that was put in front of a line of the original.
type added struct{ before, count int64 }

// Lines is how the lines of the finished file go with those of the original.
func (r *Result) Lines() LineMap {
	var m LineMap
	for i := range r.Blocks {
		b := &r.Blocks[i]
		m = append(m, added{b.Fold.Line, int64(len(b.Lines))})
	}
	for _, h := range r.HeadsUps {
		m = append(m, added{h.Line, int64(len(h.Lines))})
	}
	for _, x := range r.Extras {
		m = append(m, added{x.Line, int64(len(x.Lines))})
	}
	for _, w := range r.Rewritten {
		m = append(m, added{w.Line, 1})
	}
	for _, mu := range r.Mutes {
		m = append(m, added{mu.Span.To + 1, int64(len(mu.Lines))})
	}
	slices.SortStableFunc(m, func(a, b added) int { return int(a.before - b.before) })
	return m
}

// Original is the line of the original that a line of the finished file is, or, of one that was
// put in, the line in front of which it stands.
func (m LineMap) Original(line int64) int64 {
	sum := int64(0)
	for _, a := range m {
		if line < a.before+sum {
			break
		}
		if line < a.before+sum+a.count {
			return a.before
		}
		sum += a.count
	}
	return line - sum
}
