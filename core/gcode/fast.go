package gcode

import (
	"encoding/binary"
	"math/bits"
)

// digits returns the number that the first n (0…7) bytes of y spell, each 0…9,
// the first in the lowest byte. Two, then four, then eight neighbours are
// joined with one multiplication each.
func digits(y uint64, n int) int64 {
	y <<= uint(8*(8-n)) & 63
	y = y*10 + y>>8
	return int64((y&0x000000FF000000FF*0x000F424000000064 + y>>16&0x000000FF000000FF*0x0000271000000001) >> 32)
}

// ParseMove reads a plain G0 or G1 line at the beginning of s and returns the
// number of bytes up to and including its line end. It returns 0, and leaves c
// undefined, when the line is anything else or ends behind s; Parse reads
// those. What it reads, Parse reads just the same: it exists because nine lines
// of ten are of this kind.
//
// Plain means: "G0 " or "G1 " in upper case, then words of one letter and a
// number of at most 6 decimals, divided by single blanks, then LF or CR LF.
func (c *Command) ParseMove(s []byte) int {
	if len(s) < 4 || s[0] != 'G' || s[1]-'0' > 1 || s[2] != ' ' {
		return 0
	}
	has := uint32(0)
	i := 3
	for {
		if i >= len(s) {
			return 0
		}
		l := s[i] - 'A'
		if l > 25 || l == 'G'-'A' || l == 'M'-'A' {
			return 0
		}
		i++
		if i >= len(s) {
			return 0
		}
		neg := s[i] == '-'
		if neg {
			i++
		}
		if i+16 > len(s) {
			return 0
		}
		// The number is read eight bytes at a time: digits become 0…9, the
		// first byte that is none ends the run.
		y := binary.LittleEndian.Uint64(s[i:]) ^ 0x3030303030303030
		stop := (y + 0x7676767676767676 | y) & 0x8080808080808080
		n := bits.TrailingZeros64(stop) >> 3
		var v int64
		switch {
		case n == 8:
			return 0
		case s[i+n] != '.':
			if n == 0 {
				return 0
			}
			v = digits(y, n) * 1_000_000
			i += n
		default:
			if end := bits.TrailingZeros64(stop&(stop-1)) >> 3; end < 8 {
				low := uint64(1)<<(8*n) - 1
				k := end - n - 1
				if n+k == 0 || k > 6 {
					return 0
				}
				v = digits(y&low|y>>8&^low, n+k) * pow10[6-k]
				i += end
				break
			}
			v = digits(y, n) * 1_000_000
			i += n + 1
			y = binary.LittleEndian.Uint64(s[i:]) ^ 0x3030303030303030
			k := bits.TrailingZeros64((y+0x7676767676767676|y)&0x8080808080808080) >> 3
			if k > 6 || n+k == 0 {
				return 0
			}
			v += digits(y, k) * pow10[6-k]
			i += k
		}
		if v > Limit {
			return 0
		}
		if neg {
			v = -v
		}
		c.val[l] = v
		has |= 1 << l
		switch s[i] {
		case ' ':
			i++
		case '\n':
			c.plain(has, int(s[1]-'0'))
			return i + 1
		case '\r':
			if i+1 >= len(s) || s[i+1] != '\n' {
				return 0
			}
			c.plain(has, int(s[1]-'0'))
			return i + 2
		default:
			return 0
		}
	}
}

// plain finishes a line that ParseMove has read.
func (c *Command) plain(has uint32, code int) {
	c.has = has
	c.Letter, c.Code = 'G', code
	if c.bare|uint32(c.Sub) != 0 || c.Name != nil || c.Text != nil || c.Comment != nil || c.HasN || c.HasSum || len(c.Bad) > 0 {
		c.Sub, c.bare = 0, 0
		c.Name, c.Text, c.Comment = nil, nil, nil
		c.HasN, c.HasSum = false, false
		c.Bad = c.Bad[:0]
	}
}
