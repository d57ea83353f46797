package apply

import (
	"bytes"
	"fmt"

	"dogear/core/edit"
	"dogear/core/gcode"
	"dogear/core/mark"
	"dogear/core/routine"
)

// reword puts another number behind a letter of a line and leaves the rest; it
// reports whether the letter is there.
func reword(line []byte, letter byte, n gcode.Nano) ([]byte, bool) {
	code := line
	if k := bytes.IndexAny(line, ";*("); k >= 0 {
		code = line[:k]
	}
	at := bytes.LastIndexAny(code, string([]byte{letter, letter | 0x20}))
	if at < 0 {
		return nil, false
	}
	at++
	to := at
	for to < len(code) && (code[to] == '.' || code[to] == '-' || code[to] == '+' ||
		code[to]-'0' <= 9 || code[to] == ' ' && to == at) {
		to++
	}
	now := append([]byte{}, line[:at]...)
	now = append(gcode.AppendMM(now, n, 0), line[to:]...)
	if bytes.IndexByte(line, '*') >= 0 {
		now = resum(now)
	}
	return now, true
}

// replaceLine rewrites a line; what it was stands in front of it, so that it can
// be put back.
func (r *Result) replaceLine(line, off int64, old, now []byte, why string) {
	trim := func(b []byte) string { return string(bytes.TrimRight(b, "\r\n")) }
	text := append([]byte(mark.WasLine(trim(old), trim(now))), old[len(trim(old)):]...)
	if old[len(old)-1] != '\n' {
		text = append(text, r.LineEnd...)
	}
	r.Edits = append(r.Edits, edit.Edit{Offset: off, Cut: int64(len(old)), Text: append(text, now...)})
	r.Rewritten = append(r.Rewritten, Rewritten{line, trim(old), trim(now), why})
}

// resum puts the right checksum behind a line: the XOR of the bytes before the
// star, as printers that number their lines expect it.
func resum(line []byte) []byte {
	star := bytes.IndexByte(line, '*')
	if star < 0 {
		return line
	}
	sum := byte(0)
	for _, b := range bytes.TrimLeft(line[:star], " \t") {
		sum ^= b
	}
	rest := star + 1
	for rest < len(line) && (line[rest] == ' ' || line[rest]-'0' <= 9) {
		rest++
	}
	return append(fmt.Appendf(bytes.Clone(line[:star+1]), "%d", sum), line[rest:]...)
}

// instead puts another command into a line and keeps its number, checksum and
// line end.
func instead(line []byte, command string) []byte {
	bare := bytes.TrimRight(line, "\r\n")
	now := bytes.Clone(routine.Numbered.Find(bare))
	if len(now) > 0 {
		now = append(now, ' ')
	}
	now = append(now, command...)
	if bytes.IndexByte(bare, '*') >= 0 {
		now = resum(append(now, "*0"...))
	}
	return append(now, line[len(bare):]...)
}
