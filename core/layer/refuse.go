package layer

import (
	"bytes"
	"errors"
)

// Reasons for which a file is not read at all. Each is a sentence for the
// person who chose the file.
var (
	ErrEmpty  = errors.New("there is nothing in this file")
	ErrReturn = errors.New("this file ends its lines with a carriage return alone, which " +
		"printers do not read; save it with ordinary line ends (LF) and try again")
	ErrUTF16 = errors.New("this file is stored as UTF-16 text; save it as plain text (UTF-8) and " +
		"try again")
	ErrPicture = errors.New("this is a picture, not a sliced file")
	ErrBinary  = errors.New("this is G-code in binary, which no text tool reads; switch that off " +
		"where you export it, and bring plain G-code")
	ErrMesh    = errors.New("this is a model, not a sliced file; slice it first and bring the G-code")
	ErrArchive = errors.New("this is an archive inside the file; bring the G-code itself, a .gz or " +
		"a .zip with one file in it")
	ErrNotGCode = errors.New("there is no G-code in this file")
	ErrNoMoves  = errors.New("this file never moves the head, so there is nothing to print in it")
)

// Refusals are all of them: what else goes wrong while a file is read is no fault of
// the file.
var Refusals = []error{ErrEmpty, ErrReturn, ErrUTF16, ErrPicture, ErrBinary, ErrMesh, ErrArchive,
	ErrNotGCode, ErrNoMoves}

// headSize is how much of a file tells what it is.
const headSize = 16 << 10

// sniff looks at the beginning of a file and says when it is something else.
func sniff(head []byte) error {
	n := len(head)
	if n == 0 {
		return ErrEmpty
	}
	if bytes.IndexByte(head, '\n') < 0 && bytes.Count(head, []byte{'\r'}) > 3 {
		return ErrReturn
	}
	for _, m := range []struct {
		magic string
		err   error
	}{
		{"\xff\xfe", ErrUTF16}, {"\xfe\xff", ErrUTF16},
		{"\x89PNG", ErrPicture}, {"\xff\xd8\xff", ErrPicture}, {"GIF8", ErrPicture}, {"RIFF", ErrPicture},
		{"GCDE", ErrBinary}, {"PK\x03\x04", ErrArchive}, {"\x1f\x8b", ErrArchive}, {"%PDF", ErrNotGCode},
		{"\x7fELF", ErrNotGCode}, {"<?xml", ErrNotGCode},
	} {
		if bytes.HasPrefix(head, []byte(m.magic)) {
			return m.err
		}
	}
	if bytes.HasPrefix(head, []byte("solid ")) && bytes.Contains(head, []byte("facet")) {
		return ErrMesh
	}
	// UTF-16 without its mark: every other byte of plain text is NUL.
	if n >= 16 {
		zeros := [2]int{}
		for i, b := range head[:n&^1] {
			if b == 0 {
				zeros[i&1]++
			}
		}
		if half := n / 2; zeros[0] > half*9/10 != (zeros[1] > half*9/10) {
			return ErrUTF16
		}
	}
	return nil
}
