// Package mark is the grammar of the comments that Dogear leaves in a file round what it puts
// there: how they are written, read, sealed and found again.
//
// In goes a [Mark], out comes its line, and back. Every block that Dogear writes carries a seal in
// front of its last line: a checksum (CRC-32, IEEE) of its lines, each without its line end and
// followed by LF. The word "open" behind it says that the line before the block had no end of its
// own in the original.
//
//	; dogear ear a1: Gull white before layer 38
//	…
//	; dogear seal 1c291ca3
//	; dogear ear a1 ends
//
// What always holds: a comment that only looks like ours means nothing. [Find] believes a mark only
// inside a block whose seal fits, and a plan whose own lines read like one is refused.
package mark

import (
	"bytes"
	"encoding/json"
	"fmt"
	"hash/crc32"
	"regexp"
	"slices"
	"strings"
)

// Kind says what a mark stands at.
type Kind string

// The kinds of marks.
const (
	Ear      Kind = "ear"
	HeadsUp  Kind = "heads-up"
	Joint    Kind = "joint" // of a bound file; it stays when our work is taken out
	Bond     Kind = "bond"  // the layer below is laid once more
	Slow     Kind = "slow"  // what closes over an opening is laid slower from here on
	Change   Kind = "change"
	Back     Kind = "back" // a change ends
	Over     Kind = "over" // the head is lifted over what stands proud
	Mute     Kind = "mute"
	Accepted Kind = "accepted"
	PickUp   Kind = "pick-up"
	Stands   Kind = "stands"   // what a pick-up finds on the bed
	LeftOut  Kind = "left out" // a line of the start-up that a pick-up leaves out
	Ease     Kind = "ease"     // the first layers of a pick-up are laid more gently
	Brim     Kind = "brim"
	LooseTop Kind = "loose top"
	Touch    Kind = "touch check"
	Muted    Kind = "muted" // a line that is left out; see [MutedLine]
)

// blocks are the kinds that begin a block with a seal.
var blocks = []Kind{Ear, HeadsUp, Mute, Over, Slow, Change, Back, Accepted, Joint}

// Mark is a comment of ours.
type Mark struct {
	Kind  Kind
	ID    string // of the ear, the change, the joint or the lines it stands at
	Title string // what it says to a reader
	Ends  bool   // it is the last line of what it stands at
	// Of the last line of a block: what it remembers of its ear or its change, as JSON. It is no
	// part of the line.
	Kept []byte
}

// Placed is a mark and the line it stands in, counted from 0 where a text that is put in begins,
// from 1 in a file.
type Placed struct {
	Line int64
	Mark
}

const (
	begins = "; dogear "
	ends   = " ends"
	over   = "over" // title of the mark behind which nothing is laid slower any more
	seal   = begins + "seal "
	kept   = begins + "> "
	was    = begins + "was "
	muted  = begins + "muted: "
	open   = " open"
)

// String is the line of a mark, without a line end.
func (m Mark) String() string {
	s := begins + string(m.Kind)
	if m.ID != "" {
		s += " " + m.ID
	}
	if m.Ends {
		s += ends
	}
	if m.Title != "" {
		s += ": " + m.Title
	}
	return s
}

// EndsSlow is the mark behind which nothing is laid slower any more.
func EndsSlow(id string) Mark { return Mark{Kind: Slow, ID: id, Title: over} }

// EndsIt reports whether a mark is that of [EndsSlow].
func (m Mark) EndsIt() bool { return m.Kind == Slow && m.Title == over }

// IsOurs reports whether a line begins as ours do.
func IsOurs(line []byte) bool { return bytes.HasPrefix(line, []byte(begins)) }

// Parse takes a comment apart. That it reads like one of ours does not make it one; see [Find].
func Parse(line []byte) (Mark, bool) {
	text, ok := strings.CutPrefix(string(bytes.TrimRight(line, "\r\n")), begins)
	if !ok || strings.HasPrefix(text, "> ") {
		return Mark{}, false
	}
	var m Mark
	text, m.Ends = strings.CutSuffix(text, ends)
	text, m.Title, _ = strings.Cut(text, ": ")
	if t, ok := strings.CutSuffix(text, ends); ok && m.Title != "" {
		text, m.Ends = t, true
	}
	kind, id, _ := strings.Cut(text, " ")
	m.Kind, m.ID = Kind(strings.TrimSuffix(kind, ":")), strings.TrimSuffix(id, ":")
	return m, true
}

// TakesOut reports whether a mark stands at something that is taken out of the file to get the
// original back.
func (m Mark) TakesOut() bool {
	return m.Kind != Joint && slices.Contains(blocks, m.Kind) || m.Kind == Muted || m.Kind == "was"
}

// OpensBlock reports whether a mark is the first line of a block that ends with a seal.
func (m Mark) OpensBlock() bool {
	return !m.Ends && slices.Contains(blocks, m.Kind) && (m.ID != "" || m.Kind == Accepted)
}

// end is the last line of the block that a mark opens.
func (m Mark) end() string {
	id := m.ID
	if m.Kind == Mute {
		id, _, _ = strings.Cut(id, "-")
	}
	return Mark{Kind: m.Kind, ID: id, Ends: true}.String()
}

// MutedLine is a line that is left out, as it stands in the file.
func MutedLine(line []byte) []byte { return append([]byte(muted), line...) }

// MutedText is what a muted line was, without its end.
func MutedText(line []byte) ([]byte, bool) {
	rest, ok := bytes.CutPrefix(line, []byte(muted))
	return bytes.TrimRight(rest, "\r\n"), ok
}

// Seal is the line that ends a block of a sum; see [Sum].
func Seal(crc uint32) string { return fmt.Sprintf("%s%08x", seal, crc) }

// Reopen says in a seal that a line end was added in front of its block; other lines stay.
func Reopen(line string) string {
	if strings.HasPrefix(line, seal) {
		return line + open
	}
	return line
}

// piece is how much of the remembered text stands in one line: with what it begins with
// it fits the 96 bytes that small firmware sets aside for a line.
const piece = 76

// JSON writes a value so that it can stand in a comment of any file.
func JSON(v any) []byte { return []byte(asciiJSON(v)) }

// Remember writes what [JSON] has made as comments that remember it.
func Remember(text []byte) []string {
	var out []string
	for len(text) > 0 {
		n := min(piece, len(text))
		// A blank at the end of a line would not survive every editor.
		for n > 1 && n < len(text) && (text[n-1] == ' ' || text[n] == ' ') {
			n--
		}
		out = append(out, kept+string(text[:n]))
		text = text[n:]
	}
	return out
}

// Remembers returns the piece that a comment remembers.
func Remembers(line []byte) ([]byte, bool) { return bytes.CutPrefix(line, []byte(kept)) }

// asciiJSON is printable ASCII without the characters that mean something in G-code.
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
	return fmt.Sprintf("%s%08x: %s", was, Sum(Sum(0, []byte(old)), []byte(now)), old)
}
