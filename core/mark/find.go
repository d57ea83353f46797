package mark

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
)

// Block is a run of lines that Dogear has put into a file, or one that only looks like it.
type Block struct {
	Mark              // of its first line; Kept is what the block remembers
	Offset, End int64 // bytes
	Line, Last  int64 // lines of the file, from 1 on
	Before      int64 // lines of the original in front of it
	Open        bool  // the line before it had no end of its own
	LineEnd     int64 // how long the end of that line is, bytes
	Sealed      bool  // its seal fits; if not, End and Last are those of its first line
	Muted       []MutedPlace
	inside      []Placed
}

// MutedPlace is a line that a block of kind [Mute] leaves out.
type MutedPlace struct {
	Offset   int64 // where its comment begins
	Line     int64 // of the file
	Original int64
	Text     []byte
}

// MutedPrefix is how many bytes stand in front of a muted line.
const MutedPrefix = int64(len(muted))

// Rewritten is a line that was rewritten, with the comment in front of it.
type Rewritten struct {
	Offset, End int64
	Was         []byte
	LineEnd     []byte // of the line as it stands
}

// Source is the bytes of a file.
type Source interface {
	io.ReaderAt
	Size() int64
}

// maxFalse bounds how many comments may look like the beginning of a block and be
// none: for each the file is read on from there.
const maxFalse = 200

// ErrFalse is the cause when more comments than that look like marks.
var ErrFalse = errors.New("too many comments of this file look like marks of Dogear's and are none")

// Find reads a file and hands out its blocks and its rewritten lines in order. Blocks whose seal
// does not fit are handed out as well, so that somebody can be told; they are the file's own. was
// may be nil.
func Find(src Source, block func(*Block) error, rewritten func(*Rewritten) error) error {
	f := &finder{src: src, block: block, rewritten: rewritten}
	f.seek(0)
	for {
		line, err := f.next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		if err := f.look(line); err != nil {
			return err
		}
	}
}

// Believed returns the marks of a file that stand in blocks whose seal fits, with the lines they
// stand in, and the first lines of those whose seal does not.
func Believed(src Source) (marks, broken []Placed, err error) {
	err = Find(src, func(b *Block) error {
		if !b.Sealed {
			broken = append(broken, Placed{b.Line, b.Mark})
			return nil
		}
		for i := range b.Muted {
			marks = append(marks, Placed{b.Muted[i].Line, Mark{Kind: Muted}})
		}
		marks = append(marks, b.inside...)
		return nil
	}, nil)
	return marks, broken, err
}

type finder struct {
	src       Source
	block     func(*Block) error
	rewritten func(*Rewritten) error

	lines *bufio.Reader
	off   int64 // behind the line read last
	line  int64 // that was read last
	last  int   // bytes of the line end read last
	left  int64 // lines of the original so far
	false int   // comments that looked like the beginning of a block

	muted []MutedPlace // since the last other line
}

func (f *finder) seek(off int64) {
	f.off = off
	f.lines = bufio.NewReaderSize(io.NewSectionReader(f.src, off, f.src.Size()-off), 64<<10)
}

// next returns the next line with its end. Of a line that is not ours and longer than
// the buffer only the beginning is kept.
func (f *finder) next() ([]byte, error) {
	line, err := f.lines.ReadSlice('\n')
	if err == bufio.ErrBufferFull {
		ours := IsOurs(line)
		text, n := bytes.Clone(line), int64(len(line))
		if !ours {
			text = text[:64]
		}
		for err == bufio.ErrBufferFull {
			line, err = f.lines.ReadSlice('\n')
			n += int64(len(line))
			if ours {
				text = append(text, line...)
			}
		}
		f.off += n
		f.line++
		if err == io.EOF {
			err = nil
		}
		f.last = len(line) - len(bytes.TrimRight(line, "\r\n"))
		if !ours {
			text = append(text, line[len(line)-f.last:]...)
		}
		return text, err
	}
	if len(line) == 0 {
		if err == nil {
			err = io.EOF
		}
		return nil, err
	}
	f.off += int64(len(line))
	f.line++
	f.last = len(line) - len(bytes.TrimRight(line, "\r\n"))
	if err == io.EOF {
		err = nil
	}
	return line, err
}

func (f *finder) look(s []byte) error {
	at := f.off - int64(len(s))
	bare := bytes.TrimRight(s, "\r\n")
	switch {
	case bytes.HasPrefix(s, []byte(muted)):
		f.left++
		f.muted = append(f.muted, MutedPlace{at, f.line, f.left, bytes.Clone(bare[len(muted):])})
		return nil
	case bytes.HasPrefix(s, []byte(was)):
		f.muted = f.muted[:0]
		return f.rewrote(bytes.Clone(s), at)
	}
	if m, ok := Parse(bare); ok && m.OpensBlock() {
		return f.read(&Block{Mark: m, Offset: at, Line: f.line, Before: f.left}, bytes.Clone(bare))
	}
	f.muted = f.muted[:0]
	f.left++
	return nil
}

// read reads a block to its end, and hands it out.
func (f *finder) read(b *Block, first []byte) error {
	before, behind, line := f.last, f.off, f.line
	crc := uint32(0)
	if b.Kind == Mute {
		b.Muted = append(b.Muted, f.muted...)
		for i := range b.Muted {
			crc = Sum(crc, b.Muted[i].Text)
		}
	}
	f.muted = f.muted[:0]
	crc = Sum(crc, first)
	b.inside = []Placed{{b.Line, b.Mark}}
	want, until := "", b.end()
	for {
		s, err := f.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		bare := bytes.TrimRight(s, "\r\n")
		if rest, ok := bytes.CutPrefix(bare, []byte(seal)); ok {
			rest, b.Open = bytes.CutSuffix(rest, []byte(open))
			want = string(rest)
			continue
		}
		if string(bare) == until {
			if want != fmt.Sprintf("%08x", crc) {
				break
			}
			b.Sealed, b.End, b.Last = true, f.off, f.line
			b.LineEnd = int64(f.endBefore(b.Offset))
			m, _ := Parse(bare)
			m.Kept = b.Kept
			b.inside = append(b.inside, Placed{f.line, m})
			if b.Kind == Joint { // it belongs to the bound file
				f.left += b.Last - b.Line + 1
			}
			return f.block(b)
		}
		if rest, ok := Remembers(bare); ok {
			b.Kept = append(b.Kept, rest...)
		} else if m, ok := Parse(bare); ok {
			b.inside = append(b.inside, Placed{f.line, m})
		}
		crc = Sum(crc, bare)
	}
	// It is a comment of the file's own: read on behind it.
	if f.false++; f.false > maxFalse {
		return ErrFalse
	}
	f.left++
	f.seek(behind)
	f.last, f.line = before, line
	b.End, b.Last, b.Kept, b.Muted, b.inside = behind, b.Line, nil, nil, nil
	return f.block(b)
}

// endBefore is how long the line end in front of an offset is.
func (f *finder) endBefore(at int64) int {
	var b [2]byte
	n, _ := f.src.ReadAt(b[:], max(at-2, 0))
	if at < 2 || n < 2 || b[1] != '\n' {
		return int(min(at, 1))
	}
	if b[0] == '\r' {
		return 2
	}
	return 1
}

// rewrote reads a rewritten line and the comment in front of it.
func (f *finder) rewrote(s []byte, at int64) error {
	behind, line := f.off, f.line
	code, old, ok := bytes.Cut(bytes.TrimRight(s, "\r\n")[len(was):], []byte(": "))
	now, err := f.next()
	if err != nil && err != io.EOF {
		return err
	}
	bare := bytes.TrimRight(now, "\r\n")
	f.left++
	if !ok || err == io.EOF || string(code) != fmt.Sprintf("%08x", Sum(Sum(0, old), bare)) {
		f.seek(behind) // a comment of the file's own
		f.line = line
		return nil
	}
	if f.rewritten == nil {
		return nil
	}
	return f.rewritten(&Rewritten{at, f.off, bytes.Clone(old), bytes.Clone(now[len(bare):])})
}
