package gcode

import (
	"bytes"
	"errors"
	"io"
)

// ErrLong is the cause when a line has more than MaxLine bytes.
var ErrLong = errors.New("a line is longer than any G-code could be")

// MaxLine is the longest line a Scanner reads, in bytes.
const MaxLine = 16 << 20

// Scanner reads a stream line by line and takes each line apart.
type Scanner struct {
	r        io.Reader
	buf      []byte
	from, to int // what is read and not yet used
	dry      int // so much of it has no line end
	text     []byte
	eof      bool
	err      error
}

// NewScanner returns a scanner of r.
func NewScanner(r io.Reader) *Scanner {
	s := new(Scanner)
	s.Reset(r)
	return s
}

// Reset makes the scanner read another stream; its buffer is used again. A stream that knows
// its size, as an [io.SectionReader] does, is given no more room than it needs.
func (s *Scanner) Reset(r io.Reader) {
	size := int64(256 << 10)
	if known, ok := r.(interface{ Size() int64 }); ok {
		size = min(size, max(known.Size()+1, 512))
	}
	*s = Scanner{r: r, buf: s.buf}
	if int64(len(s.buf)) < size {
		s.buf = make([]byte, size)
	}
}

// Scan reads the next line into c. It returns false at the end and on an
// error. What c and Text hold is good until the next call.
func (s *Scanner) Scan(c *Command) bool {
	for s.err == nil {
		if n := c.ParseMove(s.buf[s.from:s.to]); n > 0 {
			s.text = s.buf[s.from : s.from+n]
			s.from += n
			s.dry = 0
			return true
		}
		if i := bytes.IndexByte(s.buf[s.from+s.dry:s.to], '\n'); i >= 0 {
			return s.line(c, s.dry+i+1)
		}
		s.dry = s.to - s.from
		if s.eof {
			return s.to > s.from && s.line(c, s.to-s.from)
		}
		s.fill()
	}
	return false
}

func (s *Scanner) line(c *Command, n int) bool {
	s.text = s.buf[s.from : s.from+n]
	s.from += n
	s.dry = 0
	c.Parse(s.text)
	return true
}

// fill reads more behind what is not yet used.
func (s *Scanner) fill() {
	if s.from > 0 {
		s.to = copy(s.buf, s.buf[s.from:s.to])
		s.from = 0
	}
	if s.to == len(s.buf) {
		if len(s.buf) >= MaxLine {
			s.err = ErrLong
			return
		}
		s.buf = append(s.buf, make([]byte, len(s.buf))...)
	}
	n, err := s.r.Read(s.buf[s.to:])
	s.to += n
	if err == io.EOF {
		s.eof = true
	} else if err != nil {
		s.err = err
	}
}

// LayRun carries out plain laying moves that come next, as far as they are
// read already, and returns how many lines that were. See [Machine.LayRun].
func (s *Scanner) LayRun(m *Machine, r *Run) int {
	r.Ends, r.Each = r.Ends[:0], r.Each[:0]
	n := m.LayRun(s.buf[s.from:s.to], r)
	s.from += n
	s.dry = max(s.dry-n, 0)
	return len(r.Ends)
}

// Text returns the line that was read, with its line end.
func (s *Scanner) Text() []byte { return s.text }

// Err returns the error that ended the scanning, nil at the end of the stream.
func (s *Scanner) Err() error { return s.err }
