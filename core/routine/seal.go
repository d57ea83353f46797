package routine

import (
	"bytes"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/mark"
)

// Mark adds a mark of ours.
func (c *Script) Mark(m mark.Mark, why string) {
	c.note(m.String(), why)
	c.lines[len(c.lines)-1].Mark = &m
}

// Seal ends the block that is being written.
func (c *Script) Seal(ends mark.Mark) { c.sealWith(0, ends) }

// sealWith ends a block whose checksum goes on from that of lines in front of it.
func (c *Script) sealWith(crc uint32, ends mark.Mark) {
	for i := range c.lines {
		crc = mark.Sum(crc, []byte(c.lines[i].Text))
	}
	c.note(mark.Seal(crc), "so that it can be taken out again")
	ends.Ends = true
	c.Mark(ends, "ours ends here")
}

// Reopen says in a block's seal that a line end was added in front of it.
func Reopen(lines []Line) []Line {
	out := append([]Line(nil), lines...)
	for i := range out {
		out[i].Text = mark.Reopen(out[i].Text)
	}
	return out
}

// AtEnd returns the edit that puts a block behind the last line of a source.
func AtEnd(src layer.Source, lines []Line, end string) (edit.Edit, error) {
	e := edit.Edit{Offset: src.Size()}
	if Unended(src) {
		lines = Reopen(lines)
		e.Text = []byte(end)
	}
	Append(&e, lines, end)
	return e, nil
}

// Append adds lines to what an edit puts in, with what they are there for.
func Append(e *edit.Edit, lines []Line, end string) {
	n := int64(bytes.Count(e.Text, []byte("\n")))
	if len(bytes.TrimLeft(e.Text, "\r\n")) == 0 {
		n = 0 // it ends the line before
	}
	for i := range lines {
		e.Text = append(append(e.Text, lines[i].Text...), end...)
		if m := lines[i].Mark; m != nil {
			e.Marks = append(e.Marks, mark.Placed{Line: n + int64(i), Mark: *m})
		}
	}
}

// Unended reports whether the last line of a source has no end.
func Unended(src layer.Source) bool {
	var b [1]byte
	n := src.Size()
	if n == 0 {
		return false
	}
	_, err := src.ReadAt(b[:], n-1)
	return err == nil && b[0] != '\n'
}
