package gcode

import (
	"bytes"
	"encoding/binary"
	"math/bits"
)

// Run is what a run of laying moves did.
type Run struct {
	Ends [][2]Nano // X and Y at the end of each move; where its room ends the run ends
	Each []Nano    // filament of each move; left alone when it has less room than Ends
	Laid Nano
	Box  [4]Nano // grown by all ends
	CRs  int     // lines that ended in CR LF
	// Rows of s that were taken apart ahead, the next first, and where s begins among them.
	Rows []Row
	From int
}

// Row is a line "G1 X… Y… E…" that was taken apart ahead of its turn.
type Row struct {
	X, Y, E  Nano  // as they are written
	From, To int32 // offsets of the line and of what follows it
}

// Ahead takes apart the plain laying lines of s that begin behind its first line end, and
// returns them behind rows. It knows nothing of the machine, so it can be done on another
// core before a line's turn has come.
func Ahead(s []byte, rows []Row) []Row {
	for at := bytes.IndexByte(s, '\n') + 1; at > 0 && at+64 <= len(s); {
		x, y, e, to := layLine(s, at)
		if to > 0 {
			rows = append(rows, Row{x, y, e, int32(at), int32(to)})
			at = to
		} else if n := bytes.IndexByte(s[at:], '\n'); n >= 0 {
			at += n + 1
		} else {
			break
		}
	}
	return rows
}

// layLine reads a line "G1 X… Y… E…" that begins at i and ends in LF, as most lines do, and
// returns the offset behind it; 0 when it is any other. At least 64 bytes must follow i.
func layLine(s []byte, i int) (x, y, e Nano, to int) {
	if s[i] != 'G' || s[i+1] != '1' || s[i+2] != ' ' || s[i+3] != 'X' {
		return 0, 0, 0, 0
	}
	x, n := plainNumber(s, i+4)
	if n == 0 || s[n] != ' ' || s[n+1] != 'Y' {
		return 0, 0, 0, 0
	}
	if y, n = plainNumber(s, n+2); n == 0 || s[n] != ' ' || s[n+1] != 'E' {
		return 0, 0, 0, 0
	}
	if e, n = plainNumber(s, n+2); n == 0 || s[n] != '\n' {
		return 0, 0, 0, 0
	}
	return x, y, e, n + 1
}

// LayRun carries out plain laying moves at the beginning of s, one line after
// another, for as long as they are of the form "G1 X… Y… E…" (any order, X or Y
// may be missing, no other word), lay filament without paying debt, and
// cap(r.Ends) allows. It returns the number of bytes used; line number, speed
// and height stay what they were. What it does, Parse and Exec do just the
// same, line by line: this loop exists because it is most of every file.
func (m *Machine) LayRun(s []byte, r *Run) int {
	if m.Inch || m.RelXYZ || m.Debt != 0 || m.Known != KnowX|KnowY|KnowZ || m.Aux != nil &&
		m.Aux.Volume {
		return 0
	}
	const hasX, hasY, hasE = 1, 2, 4
	at := [2]Nano{m.Pos[0], m.Pos[1]}
	offX, offY := m.Off[0], m.Off[1]
	e, base := m.E, m.OffE
	rel := m.RelE
	box := r.Box
	ends := r.Ends
	room := cap(ends)
	each := r.Each
	apart := cap(each) >= room
	used, crs := 0, 0
	rows, row := r.Rows, 0
	for len(ends) < room {
		i := used
		has := 0
		to := at
		var ev Nano
		line := -1
		if row < len(rows) && int(rows[row].From) == r.From+used {
			w := &rows[row]
			row++
			to[0], to[1], ev = w.X+offX, w.Y+offY, w.E
			has, line = hasX|hasY|hasE, int(w.To)-r.From
		} else if i+64 > len(s) || s[i] != 'G' || s[i+1] != '1' || s[i+2] != ' ' {
			break
		} else if x, y, e, n := layLine(s, i); n > 0 {
			to[0], to[1], ev = x+offX, y+offY, e
			has, line = hasX|hasY|hasE, n
		}
		i += 3
	words:
		for line < 0 && i+20 < len(s) {
			l := s[i]
			v, next := plainNumber(s, i+1)
			if next == 0 {
				break
			}
			switch l {
			case 'X':
				to[0] = v + offX
				has |= hasX
			case 'Y':
				to[1] = v + offY
				has |= hasY
			case 'E':
				ev = v
				has |= hasE
			default:
				break words
			}
			switch s[next] {
			case ' ':
				i = next + 1
			case '\n':
				line = next + 1
				break words
			case '\r':
				if s[next+1] == '\n' {
					line = next + 2
				}
				break words
			default:
				break words
			}
		}
		if line < 0 || has&hasE == 0 || has == hasE {
			break
		}
		de := ev
		if !rel {
			de = ev + base - e
		}
		dx, dy := to[0]-at[0], to[1]-at[1]
		if de <= 1 || dx <= 1 && dx >= -1 && dy <= 1 && dy >= -1 {
			break
		}
		e += de
		at = to
		if at[0] < box[0] {
			box[0] = at[0]
		} else if at[0] > box[2] {
			box[2] = at[0]
		}
		if at[1] < box[1] {
			box[1] = at[1]
		} else if at[1] > box[3] {
			box[3] = at[1]
		}
		ends = append(ends, at)
		if apart {
			each = append(each, de)
		}
		if s[line-2] == '\r' {
			crs++
		}
		used = line
	}
	if used == 0 {
		return 0
	}
	r.Ends, r.Each, r.Box, r.CRs = ends, each, box, r.CRs+crs
	laid := e - m.E
	r.Laid += laid
	m.Laid += laid
	m.E = e
	m.Pos[0], m.Pos[1] = at[0], at[1]
	if m.Pos[2] > m.Top {
		m.Top = m.Pos[2]
	}
	return used
}

// plainNumber reads a number of at most 7 digits before the point and 6 behind
// it, and returns it in millionths with the offset behind it; 0 when there is
// none or it is not plain. At least 16 bytes must follow i.
func plainNumber(s []byte, i int) (Nano, int) {
	if i+17 > len(s) {
		return 0, 0
	}
	neg := s[i] == '-'
	if neg {
		i++
	}
	// Eight bytes at a time: digits become 0…9, the first byte that is none
	// ends the run.
	y := binary.LittleEndian.Uint64(s[i:]) ^ 0x3030303030303030
	stop := (y + 0x7676767676767676 | y) & 0x8080808080808080
	n := bits.TrailingZeros64(stop) >> 3
	if n == 8 {
		return 0, 0
	}
	var v int64
	if s[i+n] != '.' {
		if n == 0 {
			return 0, 0
		}
		v = digits(y, n) * 1_000_000
		i += n
	} else if end := bits.TrailingZeros64(stop&(stop-1)) >> 3; end < 8 {
		low := uint64(1)<<(8*n&63) - 1
		k := end - n - 1
		if n+k == 0 || k > 6 {
			return 0, 0
		}
		v = digits(y&low|y>>8&^low, n+k) * pow10[6-k]
		i += end
	} else {
		v = digits(y, n) * 1_000_000
		i += n + 1
		y = binary.LittleEndian.Uint64(s[i:]) ^ 0x3030303030303030
		k := bits.TrailingZeros64((y+0x7676767676767676|y)&0x8080808080808080) >> 3
		if k > 6 || n+k == 0 {
			return 0, 0
		}
		v += digits(y, k) * pow10[6-k]
		i += k
	}
	if v > Limit {
		return 0, 0
	}
	if neg {
		v = -v
	}
	return Nano(v), i
}
