package main

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"time"
)

// errMoved is the cause when a file changed while it was worked on.
var errMoved = errors.New("the file has changed meanwhile")

// seenFile is a file as it was when it was opened: what is needed to see whether it is
// still that one.
type seenFile struct {
	name string
	info os.FileInfo
	tail [sha256.Size]byte
}

// tailSize is how much of a file's end is compared.
const tailSize = 64 << 10

func see(name string) (*seenFile, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	s := &seenFile{name: name}
	if s.info, err = f.Stat(); err != nil {
		return nil, err
	}
	h := sha256.New()
	from := max(s.info.Size()-tailSize, 0)
	if _, err := io.Copy(h, io.NewSectionReader(f, from, tailSize)); err != nil {
		return nil, err
	}
	copy(s.tail[:], h.Sum(nil))
	return s, nil
}

// still reports with errMoved that the file is no longer the one that was seen.
func (s *seenFile) still() error {
	now, err := see(s.name)
	if err != nil {
		return fmt.Errorf("%w: %w", errMoved, err)
	}
	if !os.SameFile(s.info, now.info) || s.info.Size() != now.info.Size() ||
		!s.info.ModTime().Equal(now.info.ModTime()) || !bytes.Equal(s.tail[:], now.tail[:]) {
		return errMoved
	}
	return nil
}

// stamp tells whether a file has changed.
type stamp struct {
	Size int64     `json:"size"`
	At   time.Time `json:"at"`
}

// like reports whether two stamps are of one file: some disks keep times to two seconds.
func (s stamp) like(o stamp) bool {
	d := s.At.Sub(o.At)
	return s.Size == o.Size && d < 2*time.Second && d > -2*time.Second
}
