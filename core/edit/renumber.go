package edit

import (
	"bytes"
	"io"
	"strconv"
)

// Renumber is a writer that gives every command line that passes a new N
// number, counting from 1, and a new checksum (XOR of the bytes before the
// star). Comment lines and blank lines pass as they are; so does what stands
// behind a semicolon. Close writes what is left of a last line without end.
type Renumber struct {
	W    io.Writer
	line []byte
	n    int64
	out  []byte
}

// Write takes the next bytes of the file.
func (r *Renumber) Write(p []byte) (int, error) {
	total := len(p)
	r.out = r.out[:0]
	for {
		i := bytes.IndexByte(p, '\n')
		if i < 0 {
			r.line = append(r.line, p...)
			break
		}
		r.line = append(r.line, p[:i+1]...)
		p = p[i+1:]
		r.one()
	}
	if _, err := r.W.Write(r.out); err != nil {
		return 0, err
	}
	return total, nil
}

// Close ends the file.
func (r *Renumber) Close() error {
	if len(r.line) == 0 {
		return nil
	}
	r.out = r.out[:0]
	r.one()
	_, err := r.W.Write(r.out)
	return err
}

// one renumbers the line collected.
func (r *Renumber) one() {
	defer func() { r.line = r.line[:0] }()
	body := r.line
	end := len(body)
	for end > 0 && (body[end-1] == '\n' || body[end-1] == '\r') {
		end--
	}
	tail := body[end:]
	body = body[:end]
	comment := []byte(nil)
	if i := bytes.IndexByte(body, ';'); i >= 0 {
		body, comment = body[:i], body[i:]
	}
	s := bytes.TrimSpace(body)
	if len(s) > 1 && s[0]|0x20 == 'n' && s[1]-'0' <= 9 { // its old number
		i := 1
		for i < len(s) && s[i]-'0' <= 9 {
			i++
		}
		s = bytes.TrimLeft(s[i:], " \t")
		if k := bytes.LastIndexByte(s, '*'); k >= 0 {
			s = bytes.TrimRight(s[:k], " \t")
		}
	}
	if len(s) == 0 || s[0] == '(' {
		r.out = append(r.out, r.line...)
		return
	}
	r.n++
	at := len(r.out)
	r.out = append(append(strconv.AppendInt(append(r.out, 'N'), r.n, 10), ' '), s...)
	sum := byte(0)
	for _, b := range r.out[at:] {
		sum ^= b
	}
	r.out = strconv.AppendInt(append(r.out, '*'), int64(sum), 10)
	if len(comment) > 0 {
		r.out = append(append(r.out, ' '), comment...)
	}
	r.out = append(r.out, tail...)
}
