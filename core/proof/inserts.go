package proof

import (
	"context"
	"encoding/json"
	"fmt"

	"dogear/core/finding"
	"dogear/core/gcode"
	"dogear/core/insert"
	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// standing is what an ear has put into a pocket, from the line behind the ear on.
type standing struct {
	from  int64
	id    string
	watch *insert.Watch
	said  [2]bool // that a way crosses it, that a line is laid into it
	brush float64 // how far the nozzle's side comes into it, mm,
	where int64   // first on this line,
	layer int     // in this layer
}

// marked is an ear as a file that Dogear has written remembers it.
type marked struct {
	line int64 // the last of its block
	ear  plan.Ear
}

// remember reads an ear from the comments of its block.
func remember(text []byte, line int64) (marked, bool) {
	var k struct {
		Ear plan.Ear `json:"ear"`
	}
	if json.Unmarshal(text, &k) != nil {
		return marked{}, false
	}
	return marked{line, k.Ear}, true
}

// inserts finds out where what goes in at the ears of a file lies, and what is to
// be said of it.
func inserts(ctx context.Context, src layer.Source, ix *layer.Index, ears []marked) ([]standing,
	[]finding.Finding, error) {
	p := plan.Plan{}
	for i := range ears {
		p.Ears = append(p.Ears, ears[i].ear)
	}
	if !insert.Wanted(&p) {
		return nil, nil, nil
	}
	r, err := landmark.Find(ctx, src, ix, nil)
	if err != nil {
		return nil, nil, err
	}
	var out []standing
	var finds []finding.Finding
	for i := range ears {
		m := &ears[i]
		n := 1
		for n < len(ix.Layers) && ix.Layers[n-1].Last < m.line {
			n++
		}
		fits := insert.Chosen(ix, r.Pockets, &m.ear, n)
		var in []insert.Fit
		finds = append(finds, insert.Say(fits, m.line)...)
		for _, f := range fits {
			if f.GoesIn() {
				in = append(in, f)
			}
		}
		if len(fits) == 0 && m.ear.Kind == plan.Insert && m.ear.Insert != nil && m.ear.Insert.Across > 0 {
			finds = append(finds, finding.Finding{Level: finding.Care, Code: "insert-fit", Line: m.line,
				Message: fmt.Sprintf("No pocket is open before layer %d; what goes in at ear %s lies free.",
					n, m.ear.ID)})
		}
		if len(in) > 0 {
			out = append(out, standing{from: m.line, id: m.ear.ID, watch: insert.NewWatch(in)})
		}
	}
	return out, finds, nil
}

// brushed says where the nozzle's side would come into what stands in a pocket.
func (x *examiner) brushed() {
	for i := range x.standing {
		if s := &x.standing[i]; s.brush > insert.Brushed && !s.said[1] {
			x.find(finding.Care, "insert-proud", s.where, "%s", insert.Brush(s.id, s.brush, max(s.layer, 1)))
		}
	}
}

// proud looks whether a move runs into what stands in a pocket.
func (x *examiner) proud(line int64, a *gcode.Act, m *gcode.Machine) {
	if !a.MoveX {
		return
	}
	for i := range x.standing {
		s := &x.standing[i]
		if s.from == 0 || line <= s.from || min(a.From[2], m.Pos[2]).Millimetres() > s.watch.Top()+1 {
			continue
		}
		if a.Kind == gcode.Lay {
			if s.said[1] || x.w.marks.bond {
				continue
			}
			height := gcode.Nano(gcode.MM / 5)
			n := x.w.ix.At(x.w.oLine)
			if n > 0 {
				height = x.w.ix.Layers[n-1].Height
			}
			worst := 0.0
			insert.Pieces(a.From, m.Pos, &a.Arc, func(p, q [3]gcode.Nano) {
				worst = max(worst, s.watch.Hits(p, q, height))
				if by := s.watch.Brushes(p, q, x.nozzle); by > s.brush {
					if s.brush <= insert.Brushed {
						s.where, s.layer = line, n
					}
					s.brush = by
				}
			})
			if worst > 0 {
				s.said[1] = true
				x.find(finding.Stop, "insert-proud", line,
					"This is laid into what goes in at ear %s: it stands %.2f mm into the layer. Stop later, or "+
						"use something flatter.", s.id, worst)
			}
			continue
		}
		if s.said[0] {
			continue
		}
		high := 0.0
		insert.Pieces(a.From, m.Pos, &a.Arc, func(p, q [3]gcode.Nano) {
			high = max(high,
				s.watch.Crosses(p, q))
		})
		if high > 0 {
			s.said[0] = true
			x.find(finding.Stop, "insert-proud", line,
				"The head would run into what goes in at ear %s: it passes at %.2f mm, and that stands up to "+
					"%.2f mm. Lift the head over it.", s.id, min(a.From[2], m.Pos[2]).Millimetres(), high)
		}
	}
}
