package gcode

import (
	"fmt"
)

// Command is one line taken apart. Its slices point into the line.
type Command struct {
	// 'G', 'M', 'T'; 'W' for a macro word; '?' for anything else; 0 for a line without command
	Letter  byte
	Code    int // the number behind the letter; -1 when there is none
	Sub     int // the part behind the point: 1 for G92.1
	has     uint32
	bare    uint32
	val     [26]int64
	Name    []byte // macro word
	Text    []byte // free text, or a macro's parameters
	Comment []byte // first ; comment, without the semicolon; nil when there is none
	HasN    bool   // the line began with N
	HasSum  bool   // the line carried a checksum
	SumOK   bool
	Bad     []BadWord
}

// Has reports whether the letter (upper case) was given with a usable number.
func (c *Command) Has(letter byte) bool { return c.has&(1<<(letter-'A')) != 0 }

// Bare reports whether the letter stood without a number.
func (c *Command) Bare(letter byte) bool { return c.bare&(1<<(letter-'A')) != 0 }

// Value returns the number behind a letter in millionths, 0 when there is none.
func (c *Command) Value(letter byte) int64 {
	if !c.Has(letter) {
		return 0
	}
	return c.val[letter-'A']
}

// Lays reports whether a straight move names X or Y and E, and not Z: most
// likely it lays.
func (c *Command) Lays() bool {
	const e, z, xy = 1 << ('E' - 'A'), 1 << ('Z' - 'A'), 1<<('X'-'A') | 1<<('Y'-'A')
	return c.has&(e|z) == e && c.has&xy != 0
}

// Is reports whether the command is letter and code, without a sub-number.
func (c *Command) Is(letter byte, code int) bool {
	return c.Letter == letter && c.Code == code && c.Sub == 0
}

// Empty reports whether the line asks for nothing: blank or only a comment.
func (c *Command) Empty() bool { return c.Letter == 0 }

// Word returns the command as it is usually written: "G1", "M600", "PAUSE".
func (c *Command) Word() string {
	switch {
	case c.Letter == 0:
		return ""
	case c.Letter == 'W' || c.Letter == '?':
		return string(c.Name)
	case c.Code < 0:
		return string(c.Letter)
	case c.Sub != 0:
		return fmt.Sprintf("%c%d.%d", c.Letter, c.Code, c.Sub)
	}
	return fmt.Sprintf("%c%d", c.Letter, c.Code)
}

// FreeText reports whether M<code> takes the rest of its line as text.
// Observed: several firmwares treat these so.
func FreeText(code int) bool {
	switch code {
	case 0, 1, 16, 23, 28, 30, 32, 33, 36, 117, 118, 550, 928:
		return true
	}
	return false
}

func blank(b byte) bool { return b == ' ' || b == '\t' || b == '\r' || b == '\v' || b == '\f' }

func letter(b byte) bool { return (b|0x20)-'a' < 26 }

// Parse takes the line apart. The line may end in CR, LF or both.
func (c *Command) Parse(s []byte) {
	c.Letter, c.Code, c.Sub, c.has, c.bare = 0, -1, 0, 0, 0
	c.Name, c.Text, c.Comment = nil, nil, nil
	c.HasN, c.HasSum = false, false
	c.Bad = c.Bad[:0]
	n := len(s)
	for n > 0 && (s[n-1] == '\n' || blank(s[n-1])) {
		n--
	}
	s = s[:n]
	i := 0
	if n > 2 && s[0] == 0xEF && s[1] == 0xBB && s[2] == 0xBF {
		i = 3 // byte order mark
	}
	for i < n && blank(s[i]) {
		i++
	}
	if i == n {
		return
	}
	if s[i]|0x20 == 'n' && i+1 < n && (s[i+1]-'0' <= 9 || s[i+1] == '-' && i+2 < n &&
		s[i+2]-'0' <= 9) {
		for i += 2; i < n && s[i]-'0' <= 9; i++ {
		}
		for i < n && blank(s[i]) {
			i++
		}
		c.HasN = true
	}
	for i < n && s[i] == '(' {
		i = c.paren(s, i)
		for i < n && blank(s[i]) {
			i++
		}
	}
	if i == n {
		return
	}
	first := s[i]
	if first == ';' {
		c.Comment = s[i+1:]
		return
	}
	if first == '*' {
		c.checksum(s, i)
		return
	}
	if !letter(first) && first != '_' {
		c.Letter = '?'
		c.rest(s, i, true)
		return
	}
	if first == '_' || i+1 < n && (letter(s[i+1]) || s[i+1] == '_') {
		c.Letter = 'W'
		c.rest(s, i, false)
		return
	}
	c.Letter = first &^ 0x20
	i++
	for i < n && blank(s[i]) {
		i++
	}
	if i < n && s[i]-'0' <= 9 {
		code := 0
		for ; i < n && s[i]-'0' <= 9; i++ {
			if code < 1e8 {
				code = code*10 + int(s[i]-'0')
			}
		}
		c.Code = code
		if i < n && s[i] == '.' {
			for i++; i < n && s[i]-'0' <= 9; i++ {
				c.Sub = min(c.Sub*10+int(s[i]-'0'), 1e8)
			}
		}
	}
	if c.Letter == 'M' && FreeText(c.Code) && c.Sub == 0 {
		c.text(s, i)
		return
	}
	c.words(s, i)
}
