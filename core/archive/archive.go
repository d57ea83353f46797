// Package archive opens what a person drops: a plain file, a .gz, or a .zip with G-code in it,
// by itself or among other things ([Pack]), and writes such a .zip with another G-code in it.
//
// Sizes that an archive states are never trusted: what comes out is counted
// as it comes, and stops at [Limits]. Names in an archive are never used as
// paths; one that climbs is refused.
package archive

import (
	"bufio"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
)

// Reasons for which an archive is refused, as sentences.
var (
	ErrNone   = errors.New("this archive has no file in it")
	ErrPath   = errors.New("this archive names a file outside of itself and is not opened")
	ErrBroken = errors.New("this archive is damaged or cut short")
	ErrTooBig = errors.New("this file is larger than the limit")
	ErrBomb   = errors.New("this archive expands to far more than a sliced file would; it is not " +
		"opened")
	ErrLocked = errors.New("this archive is locked with a password")
)

// Limits bound what is read. The zero value allows 1 GiB and an expansion of
// 200 times (G-code shrinks to about a fifth; settings blocks to a twentieth).
type Limits struct {
	Size  int64
	Ratio int64
}

func (l Limits) or() Limits {
	if l.Size <= 0 {
		l.Size = 1 << 30
	}
	if l.Ratio <= 0 {
		l.Ratio = 200
	}
	return l
}

// free is how much may come out before the ratio counts.
const free = 8 << 20

// Copy writes the G-code in an upload to w. name is the upload's name, used to
// name what comes out. A .zip is read through at, which may be nil when r is no
// archive; r and at must be the same bytes.
func Copy(w io.Writer, r io.Reader, name string, at Source, lim Limits) (string, int64, error) {
	lim = lim.or()
	br := bufio.NewReaderSize(r, 64<<10)
	magic, _ := br.Peek(4)
	switch {
	case len(magic) >= 2 && magic[0] == 0x1f && magic[1] == 0x8b:
		in := &counter{r: br}
		z, err := newUnzipper(in)
		if err != nil {
			return "", 0, ErrBroken
		}
		n, err := limited(w, z, in, lim)
		return strings.TrimSuffix(Clean(name), ".gz"), n, err
	case string(magic) == "PK\x03\x04" || string(magic) == "PK\x05\x06":
		if at == nil {
			return "", 0, ErrBroken
		}
		return unzip(w, at, lim)
	}
	n, err := limited(w, br, nil, lim)
	return Clean(name), n, err
}

// unzipper reads the members of a .gz one after another. Zeros behind the last, with
// which some programs fill up a block, are let pass.
type unzipper struct {
	in *bufio.Reader
	z  *gzip.Reader
}

func newUnzipper(r io.Reader) (*unzipper, error) {
	in := bufio.NewReader(r)
	z, err := gzip.NewReader(in)
	if err != nil {
		return nil, err
	}
	z.Multistream(false)
	return &unzipper{in, z}, nil
}

func (u *unzipper) Read(p []byte) (int, error) {
	n, err := u.z.Read(p)
	if err != io.EOF {
		return n, err
	}
	for {
		b, err := u.in.ReadByte()
		if err != nil {
			return n, err // the end
		}
		if b != 0 {
			break
		}
	}
	if err := u.in.UnreadByte(); err != nil {
		return n, err
	}
	if err := u.z.Reset(u.in); err != nil {
		return n, err
	}
	u.z.Multistream(false)
	return n, nil
}

// IsZip reports whether the first bytes are those of a .zip, which must be
// stored before it can be opened.
func IsZip(head []byte) bool {
	return len(head) >= 4 && (string(head[:4]) == "PK\x03\x04" || string(head[:4]) == "PK\x05\x06")
}

func unzip(w io.Writer, at Source, lim Limits) (string, int64, error) {
	p, err := OpenPack(at)
	if err != nil {
		return "", 0, err
	}
	plate, err := p.Plate("")
	if err != nil {
		return "", 0, err
	}
	n, err := p.Extract(w, plate, lim)
	return Clean(path.Base(plate.Name)), n, err
}

// climbs reports whether an entry's name leads out of the archive: it begins at the
// root or at a drive, or one of its folders is "..".
func climbs(name string) bool {
	if strings.HasPrefix(name, "/") || strings.Contains(name, "\\") {
		return true
	}
	if len(name) >= 3 && name[1] == ':' && name[2] == '/' {
		return true
	}
	for folder := range strings.SplitSeq(name, "/") {
		if folder == ".." {
			return true
		}
	}
	return false
}

// beside reports whether an entry is what an operating system packs beside the files
// that were meant: notes on them, and how a folder was looked at.
func beside(name string) bool {
	switch path.Base(name) {
	case ".DS_Store", "Thumbs.db", "desktop.ini":
		return true
	}
	return strings.HasPrefix(name, "__MACOSX/") || strings.HasPrefix(path.Base(name), "._")
}

// counter counts the packed bytes that were read.
type counter struct {
	r io.Reader
	n int64
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	return n, err
}

// limited copies until the end or until a limit is passed.
func limited(w io.Writer, r io.Reader, in *counter, lim Limits) (int64, error) {
	buf := make([]byte, 256<<10)
	total := int64(0)
	for {
		n, err := r.Read(buf)
		total += int64(n)
		if total > lim.Size {
			return total, fmt.Errorf("%w (%d MB)", ErrTooBig, lim.Size>>20)
		}
		if in != nil && total > free && total > in.n*lim.Ratio {
			return total, ErrBomb
		}
		if n > 0 {
			if _, werr := w.Write(buf[:n]); werr != nil {
				return total, werr
			}
		}
		if err == io.EOF {
			return total, nil
		}
		if err != nil {
			if in != nil {
				return total, ErrBroken
			}
			return total, err
		}
	}
}

// Clean makes a file name safe to show and to save under: no folders, no
// control characters, at most 120 bytes.
func Clean(name string) string {
	name = name[strings.LastIndexAny(name, `/\`)+1:]
	name = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || strings.ContainsRune(`<>:"|?*`, r) || r == '\u202e' || r == '\ufffd' {
			return -1
		}
		return r
	}, name)
	name = strings.Trim(name, ". ")
	if len(name) > 120 {
		name = strings.ToValidUTF8(name[len(name)-120:], "")
	}
	if name == "" {
		return "print.gcode"
	}
	return name
}
