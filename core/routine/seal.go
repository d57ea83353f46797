package routine

import (
	"fmt"
	"hash/crc32"
	"regexp"
	"slices"
	"strings"

	"dogear/core/edit"
	"dogear/core/layer"
)

// Every block that Dogear writes carries a seal in front of its last line: a checksum
// (CRC-32, IEEE) of its lines, each without its line end and followed by LF. A
// comment that only looks like ours has none that fits, and is never taken for a
// mark. The word "open" behind it says that the line before the block had no end of
// its own in the original.
//
//	; dogear ear a1: Gull white before layer 38
//	…
//	; dogear seal 1c291ca3
//	; dogear ear a1 ends
const sealPrefix = "; dogear seal "

// sealOpen stands behind the seal of a block in front of which a line end was added.
const sealOpen = " open"

// renumbered finds the number and the checksum of a line.
var renumbered = regexp.MustCompile(`^[Nn]\d+ ?(.*?)\*\d+( ;.*)?$`)

// sum adds a line, without its end, to a checksum. A number in front of it and its
// own checksum do not count: the file may have got new ones.
func sum(crc uint32, line []byte) uint32 {
	if len(line) > 0 && line[0]|0x20 == 'n' && len(line) < 4096 {
		if m := renumbered.FindSubmatch(line); m != nil {
			line = slices.Concat(m[1], m[2])
		}
	}
	crc = crc32.Update(crc, crc32.IEEETable, line)
	return crc32.Update(crc, crc32.IEEETable, []byte{'\n'})
}

// seal ends the block that is being written.
func (c *Script) seal(ends string) { c.sealWith(0, ends) }

// sealWith ends a block whose checksum goes on from that of lines in front of it.
func (c *Script) sealWith(crc uint32, ends string) {
	for i := range c.lines {
		crc = sum(crc, []byte(c.lines[i].Text))
	}
	c.note(fmt.Sprintf("%s%08x", sealPrefix, crc), "so that it can be taken out again")
	c.note(ends, "ours ends here")
}

// SealBlock puts the seal into a block whose last line ends it.
func SealBlock(lines []Line) []Line {
	s := &Script{now: Frame, lines: lines[:len(lines)-1]}
	s.seal(lines[len(lines)-1].Text)
	return s.lines
}

// reopen says in a block's seal that a line end was added in front of it.
func reopen(lines []Line) []Line {
	out := append([]Line(nil), lines...)
	for i := range out {
		if strings.HasPrefix(out[i].Text, sealPrefix) {
			out[i].Text += sealOpen
		}
	}
	return out
}

// AtEnd returns the edit that puts a block behind the last line of a source.
func AtEnd(src layer.Source, lines []Line, end string) (edit.Edit, error) {
	lines = SealBlock(lines)
	e := edit.Edit{Offset: src.Size()}
	if unended(src) {
		lines = reopen(lines)
		e.Text = []byte(end)
	}
	for _, l := range lines {
		e.Text = append(append(e.Text, l.Text...), end...)
	}
	return e, nil
}

// unended reports whether the last line of a source has no end.
func unended(src layer.Source) bool {
	var b [1]byte
	n := src.Size()
	if n == 0 {
		return false
	}
	_, err := src.ReadAt(b[:], n-1)
	return err == nil && b[0] != '\n'
}
