package gcode

// digits returns the number that the first n (0…7) bytes of y spell, each 0…9,
// the first in the lowest byte. Two, then four, then eight neighbours are
// joined with one multiplication each.
func digits(y uint64, n int) int64 {
	y <<= uint(8*(8-n)) & 63
	y = y*10 + y>>8
	return int64((y&0x000000FF000000FF*0x000F424000000064 +
		y>>16&0x000000FF000000FF*0x0000271000000001) >> 32)
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
		v, next := plainNumber(s, i)
		if next == 0 {
			return 0
		}
		i = next
		c.val[l] = int64(v)
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
	if c.bare|uint32(c.Sub) != 0 || c.Name != nil || c.Text != nil || c.Comment != nil || c.HasN ||
		c.HasSum || len(c.Bad) > 0 {
		c.Sub, c.bare = 0, 0
		c.Name, c.Text, c.Comment = nil, nil, nil
		c.HasN, c.HasSum = false, false
		c.Bad = c.Bad[:0]
	}
}
