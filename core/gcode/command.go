package gcode

import (
	"errors"
	"fmt"
	"strings"
)

// Bad words, wrapped in a [BadWord].
var (
	ErrNumber = errors.New("not a number that can be used")
	ErrJunk   = errors.New("characters that are not G-code")
	ErrPower  = errors.New("a number with an exponent, which printers read in different ways")
	ErrSecond = errors.New("a second command on the line, which most printers leave out")
)

// BadWord is a word of a line that was left out, and where it stands.
type BadWord struct {
	Column int    // 1-based byte column
	Word   string // the letter, or the characters
	Err    error
}

func (b BadWord) Error() string { return fmt.Sprintf("column %d: %s: %v", b.Column, b.Word, b.Err) }

// Unwrap returns the cause.
func (b BadWord) Unwrap() error { return b.Err }

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

// words reads the words from s[i:]; this is where the reader spends its time.
func (c *Command) words(s []byte, i int) {
	n := len(s)
	has := uint32(0)
	for i < n {
		b := s[i]
		if b == ' ' {
			i++
			continue
		}
		l := (b | 0x20) - 'a'
		if l < 26 {
			at := i
			i++
			for i < n && blank(s[i]) {
				i++
			}
			v, next, ok := number(s, i)
			if ok {
				if b&^0x20 == 'G' || b&^0x20 == 'M' {
					c.Bad = append(c.Bad, BadWord{at + 1, string(s[at:next]), ErrSecond})
					break
				}
				if end := power(s, at, next); end > next {
					has &^= 1 << l
					c.Bad = append(c.Bad, BadWord{at + 1, string(s[at:min(end, at+20)]), ErrPower})
					i = end
					continue
				}
				c.val[l] = v
				has |= 1 << l
			} else {
				c.bare |= 1 << l
				// A letter by itself names an axis ("G28 X"); one before
				// something else than the next word is a bad number.
				if next > i || i < n && i == at+1 && s[i] != ';' && s[i] != '*' && s[i] != '(' {
					has &^= 1 << l
					c.Bad = append(c.Bad, BadWord{at + 1, string(s[at : at+1]), ErrNumber})
					if next == i {
						for next < n && !blank(s[next]) && s[next] != ';' && s[next] != '*' {
							next++
						}
					}
				}
			}
			i = next
			continue
		}
		switch b {
		case ';':
			c.Comment = s[i+1:]
			i = n
		case '*':
			c.has = has
			c.checksum(s, i)
			return
		case '(':
			i = c.paren(s, i)
		case '\t', '\r', '\v', '\f':
			i++
		default:
			at := i
			for i < n && !letter(s[i]) && !blank(s[i]) && s[i] != ';' && s[i] != '*' && s[i] != '(' {
				i++
			}
			c.Bad = append(c.Bad, BadWord{at + 1, string(s[at:min(i, at+20)]), ErrJunk})
		}
	}
	c.has = has
}

// power returns the end of the exponent behind the number that ends at i, and i when
// there is none. In a file without blanks "X1E5" are two words; it is one number when
// the word is an E itself, when the e is small where letters are capital, or when its
// exponent has a sign or begins with 0, as only programs write it.
func power(s []byte, at, i int) int {
	if i+1 >= len(s) || s[i]|0x20 != 'e' {
		return i
	}
	j := i + 1
	sign := s[j] == '-' || s[j] == '+'
	if sign {
		j++
	}
	digits := j
	for j < len(s) && s[j]-'0' <= 9 {
		j++
	}
	if j == digits || j < len(s) && s[j] == '.' {
		return i
	}
	small := s[i] == 'e' && s[at] < 'a'
	written := s[digits] == '0' && j-digits > 1 && (j == len(s) || blank(s[j]) || s[j] == ';')
	if s[at]|0x20 == 'e' || small || written {
		return j
	}
	return i
}

// Numeric reports whether the words of a command are numbers that this package reads: a
// bad one among them matters. Other commands have names and texts there.
func (c *Command) Numeric() bool {
	if c.Letter != 'M' {
		return c.Letter == 'G' || c.Letter == 'T'
	}
	switch c.Code {
	case 82, 83, 84, 18, 92, 104, 109, 106, 107, 140, 190, 141, 191, 200, 201, 202, 203, 204, 205, 206,
		207, 208,
		209, 220, 221, 290, 566, 572, 851, 900:
		return c.Sub == 0
	}
	return false
}

// paren skips the parenthesis at s[i] and returns the offset behind it.
func (c *Command) paren(s []byte, i int) int {
	for j := i + 1; j < len(s); j++ {
		if s[j] == ')' {
			if c.Comment == nil {
				c.Comment = s[i+1 : j]
			}
			return j + 1
		}
	}
	if c.Comment == nil {
		c.Comment = s[i+1:]
	}
	return len(s)
}

// text keeps the rest of the line up to a comment as free text.
func (c *Command) text(s []byte, i int) {
	end := len(s)
	for j := i; j < len(s); j++ {
		if s[j] == ';' {
			end = j
			c.Comment = s[j+1:]
			break
		}
	}
	if c.HasN { // only a numbered line ends in a checksum
		for j := end - 1; j >= i; j-- {
			if s[j] == '*' {
				c.checksum(s[:end], j)
				end = j
				break
			}
			if s[j]-'0' > 9 && !blank(s[j]) {
				break
			}
		}
	}
	c.Text = trim(s[i:end])
}

// rest keeps a macro or unknown word and what follows it.
func (c *Command) rest(s []byte, i int, any bool) {
	end := i
	for end < len(s) && !blank(s[end]) && s[end] != ';' {
		b := s[end]
		if !any && !letter(b) && b != '_' && b != '.' && b-'0' > 9 {
			break
		}
		end++
	}
	c.Name = s[i:end]
	c.text(s, end)
}

// checksum checks the number behind the star at s[i] against the bytes of the
// line before it (XOR of all, as firmware and hosts agree).
func (c *Command) checksum(s []byte, i int) {
	v, next, ok := number(s, i+1)
	if !ok {
		c.Bad = append(c.Bad, BadWord{i + 1, "*", ErrNumber})
		return
	}
	start := 0
	for start < i && blank(s[start]) {
		start++
	}
	sum := byte(0)
	for _, b := range s[start:i] {
		sum ^= b
	}
	c.HasSum = true
	c.SumOK = int64(sum) == v/1_000_000
	for ; next < len(s); next++ {
		if s[next] == ';' {
			c.Comment = s[next+1:]
			return
		}
	}
}

func trim(s []byte) []byte {
	for len(s) > 0 && blank(s[0]) {
		s = s[1:]
	}
	for len(s) > 0 && blank(s[len(s)-1]) {
		s = s[:len(s)-1]
	}
	return s
}

// params calls f with each parameter of a macro (KEY=number), its key in capitals and
// its value in millionths.
func (c *Command) params(f func(key string, v int64)) {
	for s := trim(c.Text); len(s) > 0; s = trim(s) {
		n := 0
		for n < len(s) && !blank(s[n]) {
			n++
		}
		if key, value, ok := strings.Cut(string(s[:n]), "="); ok {
			if v, end, ok := number([]byte(value), 0); ok && end == len(value) {
				f(strings.ToUpper(key), v)
			}
		}
		s = s[n:]
	}
}
