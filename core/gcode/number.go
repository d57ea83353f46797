package gcode

import "strconv"

// Nano is a length in nanometres (1e-6 mm), positive or negative.
type Nano int64

// MM is one millimetre.
const MM Nano = 1_000_000

// Limit is the largest magnitude a number of a file may have, in millionths.
const Limit = 9_000_000 * 1_000_000

// Millimetres returns n in mm as a float, for drawing and for areas.
func (n Nano) Millimetres() float64 { return float64(n) / 1e6 }

// FromMM returns the length nearest to mm millimetres.
func FromMM(mm float64) Nano {
	if mm < 0 {
		return Nano(mm*1e6 - 0.5)
	}
	return Nano(mm*1e6 + 0.5)
}

// String writes n in mm with as many decimals as are needed to be exact, at
// least two.
func (n Nano) String() string { return string(AppendMM(nil, n, 2)) }

// AppendMM appends n in mm with as many decimals as it takes to be exact, but
// at least places.
func AppendMM(dst []byte, n Nano, places int) []byte {
	if n < 0 {
		dst = append(dst, '-')
		n = -n
	}
	dst = strconv.AppendInt(dst, int64(n/MM), 10)
	frac := int64(n % MM)
	var buf [6]byte
	for i := 5; i >= 0; i-- {
		buf[i] = byte('0' + frac%10)
		frac /= 10
	}
	used := 6
	for used > places && used > 0 && buf[used-1] == '0' {
		used--
	}
	if used == 0 {
		return dst
	}
	dst = append(dst, '.')
	return append(dst, buf[:used]...)
}

// inch converts a number of millionths of an inch; 25.4 is exact, the last
// tenth of a nanometre is rounded half to even.
func inch(v int64) Nano {
	p := v * 254
	q, r := p/10, p%10
	if r < 0 {
		r += 10
		q--
	}
	if r > 5 || r == 5 && q&1 == 1 {
		q++
	}
	return Nano(q)
}

var pow10 = [...]int64{1, 10, 100, 1000, 10_000, 100_000, 1_000_000}

// number reads a decimal number at s[i:]. It returns its value in millionths,
// the offset behind it, and false when there is none or it is out of range.
func number(s []byte, i int) (int64, int, bool) {
	start := i
	neg := false
	if i < len(s) && (s[i] == '-' || s[i] == '+') {
		neg = s[i] == '-'
		i++
	}
	v, digits := int64(0), i
	for i < len(s) {
		d := s[i] - '0'
		if d > 9 {
			break
		}
		if v < 1e12 { // beyond that it is out of range anyway
			v = v*10 + int64(d)
		}
		i++
	}
	digits = i - digits
	if i < len(s) && s[i] == '.' {
		i++
		first := i
		frac, k := int64(0), 0
		for i < len(s) {
			d := s[i] - '0'
			if d > 9 {
				break
			}
			if k < 6 {
				frac = frac*10 + int64(d)
				k++
			}
			i++
		}
		digits += i - first
		if v < 1e12 {
			v *= 1_000_000
		}
		v += frac * pow10[6-k]
		if i-first > 6 && roundUp(s[first+6:i], v&1 == 1) {
			v++
		}
	} else if v < 1e12 {
		v *= 1_000_000
	}
	if digits == 0 {
		return 0, start, false
	}
	if v > Limit {
		return 0, i, false
	}
	if neg {
		v = -v
	}
	return v, i, true
}

// roundUp says whether the decimals in rest, which follow the last one kept,
// round it up: half goes to even.
func roundUp(rest []byte, odd bool) bool {
	if rest[0] != '5' {
		return rest[0] > '5'
	}
	for _, d := range rest[1:] {
		if d != '0' {
			return true
		}
	}
	return odd
}
