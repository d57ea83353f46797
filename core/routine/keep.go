package routine

import (
	"encoding/json"
	"fmt"
	"strings"

	"dogear/core/plan"
)

// kept is what a block remembers of its ear, so that it can be edited again
// when the file is opened without the plan.
type kept struct {
	Ear      plan.Ear       `json:"ear"`
	Filament *plan.Filament `json:"filament,omitempty"`
	// the first ear tells in which filament the print begins
	From string         `json:"from,omitempty"`
	Was  *plan.Filament `json:"was,omitempty"`
}

// Prefixes of our comment lines.
const (
	keptPrefix = "; dogear > "
	wasPrefix  = "; dogear was "
	mutePrefix = "; dogear muted: "
)

// keptPiece is how much of the remembered text stands in one line: with its
// prefix it fits the 96 bytes that small firmware sets aside for a line.
const keptPiece = 76

// keep writes the ear as comments.
func (c *compiler) keep() {
	k := kept{Ear: *c.ear}
	if f, ok := c.plan.Filaments[k.Ear.Filament]; ok {
		k.Filament = &f
	}
	if c.fold.Opens {
		k.From = c.plan.First
		if f, ok := c.plan.Filaments[k.From]; ok {
			k.Was = &f
		}
	}
	var name string
	if json.Unmarshal(k.Ear.Routine, &name) == nil {
		if r, ok := c.plan.Routines[name]; ok {
			k.Ear.Routine, _ = json.Marshal(r)
		}
	}
	for _, l := range keptLines(k) {
		c.note(l, "")
	}
}

// keptLines writes a value as comments that remember it.
func keptLines(v any) []string {
	var out []string
	for text := asciiJSON(v); len(text) > 0; {
		n := min(keptPiece, len(text))
		// A blank at the end of a line would not survive every editor.
		for n > 1 && n < len(text) && (text[n-1] == ' ' || text[n] == ' ') {
			n--
		}
		out = append(out, keptPrefix+text[:n])
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
