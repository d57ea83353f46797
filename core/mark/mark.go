// Package mark knows the comments that Dogear leaves in a file round what it puts there: how
// they begin, what they remember of a plan, and the seal by which a block is known for ours.
package mark

import (
	"encoding/json"
	"fmt"
	"hash/crc32"
	"regexp"
	"slices"
	"strings"

	"dogear/core/plan"
)

// How our comment lines begin.
const (
	Kept  = "; dogear > "      // a piece of what is remembered
	Was   = "; dogear was "    // what a rewritten line was
	Muted = "; dogear muted: " // a line that is left out
	Seal  = "; dogear seal "
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

// Open stands behind the seal of a block in front of which a line end was added.
const Open = " open"

// Ear is what a block remembers of its ear, so that it can be edited again
// when the file is opened without the plan.
type Ear struct {
	Ear      plan.Ear       `json:"ear"`
	Filament *plan.Filament `json:"filament,omitempty"`
	// the first ear tells in which filament the print begins
	From string         `json:"from,omitempty"`
	Was  *plan.Filament `json:"was,omitempty"`
}

// piece is how much of the remembered text stands in one line: with what it begins with
// it fits the 96 bytes that small firmware sets aside for a line.
const piece = 76

// Remember writes a value as comments that remember it.
func Remember(v any) []string {
	var out []string
	for text := asciiJSON(v); len(text) > 0; {
		n := min(piece, len(text))
		// A blank at the end of a line would not survive every editor.
		for n > 1 && n < len(text) && (text[n-1] == ' ' || text[n] == ' ') {
			n--
		}
		out = append(out, Kept+text[:n])
		text = text[n:]
	}
	return out
}

// asciiJSON writes a value so that it can stand in a comment of any file:
// printable ASCII without the characters that mean something in G-code.
func asciiJSON(v any) string {
	j, err := json.Marshal(v)
	if err != nil {
		return ""
	}
	var b strings.Builder
	for _, r := range string(j) {
		switch {
		case r > 0xffff:
			r -= 0x10000
			fmt.Fprintf(&b, `\u%04x\u%04x`, 0xd800+r>>10, 0xdc00+r&0x3ff)
		case r < ' ' || r > '~' || strings.ContainsRune(";()*%", r):
			fmt.Fprintf(&b, `\u%04x`, r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// renumbered finds the number and the checksum of a line.
var renumbered = regexp.MustCompile(`^[Nn]\d+ ?(.*?)\*\d+( ;.*)?$`)

// Sum adds a line, without its end, to the checksum of a seal. A number in front of it and its
// own checksum do not count: the file may have got new ones.
func Sum(crc uint32, line []byte) uint32 {
	if len(line) > 0 && line[0]|0x20 == 'n' && len(line) < 4096 {
		if m := renumbered.FindSubmatch(line); m != nil {
			line = slices.Concat(m[1], m[2])
		}
	}
	crc = crc32.Update(crc, crc32.IEEETable, line)
	return crc32.Update(crc, crc32.IEEETable, []byte{'\n'})
}

// WasLine is the comment in front of a rewritten line: what it was, with a checksum
// of both.
func WasLine(old, now string) string {
	return fmt.Sprintf("%s%08x: %s", Was, Sum(Sum(0, []byte(old)), []byte(now)), old)
}
