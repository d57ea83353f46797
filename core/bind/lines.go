package bind

import (
	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/finding"
	"dogear/core/plan"
	"dogear/core/routine"
)

// herald announces a joint some time before it, in the piece below.
func (b *Bound) herald(i int, m *Made, f *routine.Fold, e *plan.Ear, p *plan.Plan) error {
	below := &b.Pieces[i]
	u, at, err := apply.Herald(below.Src, below.Ix, p, f, e, routine.Style{Lower: below.Ix.Lower})
	if err != nil {
		return &plan.Error{Ear: "joint " + e.ID, Err: err}
	}
	if u.Lines == nil || i > 0 && at.Line <= below.Ix.Layers[below.From-1].First {
		m.Findings = append(m.Findings, finding.Finding{Level: finding.Care, Code: "heads-up-left-out",
			Line: f.Line, Message: "There is no time for a heads-up before joint " + e.ID + "."})
		b.Findings = append(b.Findings, m.Findings[len(m.Findings)-1])
		return nil
	}
	m.Herald = len(u.Lines)
	put, err := b.put(below, at.Offset, u.Lines)
	if err != nil {
		return err
	}
	at.Offset += b.base(i)
	put.Offset = at.Offset
	b.Edits = append(b.Edits, put)
	return nil
}

// put is the edit that writes lines with the line end used in front of an offset of a piece. Where
// they go and what they replace is left to the caller.
func (b *Bound) put(p *Piece, off int64, lines []routine.Line) (edit.Edit, error) {
	var e edit.Edit
	end := "\n"
	var last [2]byte
	if off >= 2 {
		if _, err := p.Src.ReadAt(last[:], off-2); err != nil {
			return e, err
		}
		if last[0] == '\r' {
			end = "\r\n"
		}
	}
	if off >= 2 && last[1] != '\n' {
		e.Text = []byte(end) // the file ends in the middle of a line
	}
	routine.Append(&e, lines, end)
	return e, nil
}

// count works out where the pieces lie in the file that is written.
func (b *Bound) count() {
	line := int64(1)
	for i := range b.Pieces {
		p := &b.Pieces[i]
		from, to := int64(1), p.Ix.Lines
		if i > 0 {
			from = p.Ix.Layers[p.From-1].Fold
		}
		if i < len(b.Joints) {
			if f, err := p.end(); err == nil {
				to = f.Line - 1
			}
		} else if p.To < len(p.Ix.Layers) {
			to = p.Ix.Layers[p.To].Fold - 1
		}
		b.OutLines = append(b.OutLines, [2]int64{line, line + to - from})
		line += to - from + 1
		if i < len(b.Joints) {
			line += int64(b.Joints[i].Herald)
			b.OutLines[i][1] = line - 1
			b.Joints[i].OutLine = line
			line += int64(len(b.Joints[i].Lines))
		}
	}
}
