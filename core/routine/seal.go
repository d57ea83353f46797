package routine

import (
	"fmt"
	"strings"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/mark"
)

// Seal ends the block that is being written.
func (c *Script) Seal(ends string) { c.sealWith(0, ends) }

// sealWith ends a block whose checksum goes on from that of lines in front of it.
func (c *Script) sealWith(crc uint32, ends string) {
	for i := range c.lines {
		crc = mark.Sum(crc, []byte(c.lines[i].Text))
	}
	c.note(fmt.Sprintf("%s%08x", mark.Seal, crc), "so that it can be taken out again")
	c.note(ends, "ours ends here")
}

// SealBlock puts the seal into a block whose last line ends it.
func SealBlock(lines []Line) []Line {
	s := &Script{now: Frame, lines: lines[:len(lines)-1]}
	s.Seal(lines[len(lines)-1].Text)
	return s.lines
}

// Reopen says in a block's seal that a line end was added in front of it.
func Reopen(lines []Line) []Line {
	out := append([]Line(nil), lines...)
	for i := range out {
		if strings.HasPrefix(out[i].Text, mark.Seal) {
			out[i].Text += mark.Open
		}
	}
	return out
}

// AtEnd returns the edit that puts a block behind the last line of a source.
func AtEnd(src layer.Source, lines []Line, end string) (edit.Edit, error) {
	lines = SealBlock(lines)
	e := edit.Edit{Offset: src.Size()}
	if Unended(src) {
		lines = Reopen(lines)
		e.Text = []byte(end)
	}
	for _, l := range lines {
		e.Text = append(append(e.Text, l.Text...), end...)
	}
	return e, nil
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
