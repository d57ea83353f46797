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
