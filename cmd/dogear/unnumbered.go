package main

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"os"
	"regexp"

	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/mark"
)

// likeness gives a file the permissions and the owner of another.
func likeness(name string, st os.FileInfo) error {
	if err := ownAs(name, st); err != nil {
		return fmt.Errorf("it belongs to somebody else, and what is written could not be given to "+
			"them: %w", err)
	}
	return os.Chmod(name, st.Mode().Perm())
}

// How a file ends.
const (
	wholeEnd = iota
	openEnd  // nothing switches the heaters off: it may be still to come
	cutShort // in the middle of its moves
)

func endOf(ix *layer.Index) int {
	for _, f := range ix.Findings {
		if f.Code == "cut-short" && f.Level == finding.Care {
			return cutShort
		} else if f.Code == "cut-short" {
			return openEnd
		}
	}
	return wholeEnd
}

var (
	lineNumber = regexp.MustCompile(`^\s*[Nn]\s*\d+\s*`)
	lineSum    = regexp.MustCompile(`\s*\*\s*\d+\s*(;.*)?$`)
)

// unnumbered streams a file without the numbers and checksums of its lines. Close it,
// read to its end or not.
func unnumbered(src layer.Source) io.ReadCloser {
	in := bufio.NewReaderSize(io.NewSectionReader(src, 0, src.Size()), 1<<16)
	r, w := io.Pipe()
	go func() {
		for {
			line, err := in.ReadBytes('\n')
			if lineNumber.Match(line) {
				bare := bytes.TrimRight(line, "\r\n")
				end := line[len(bare):]
				bare = lineSum.ReplaceAll(lineNumber.ReplaceAll(bare, nil), []byte("$1"))
				line = append(bytes.TrimSpace(bare), end...)
			}
			if _, werr := w.Write(line); werr != nil {
				return
			}
			if err != nil {
				if err == io.EOF {
					err = nil
				}
				w.CloseWithError(err)
				return
			}
		}
	}()
	return r
}

// numberedBlocks reports whether lines that Dogear put in carry numbers.
func numberedBlocks(src layer.Source) bool {
	in := bufio.NewScanner(io.NewSectionReader(src, 0, src.Size()))
	in.Buffer(nil, 16<<20)
	inside := false
	for in.Scan() {
		line := in.Bytes()
		switch {
		case mark.IsOurs(line):
			inside = !bytes.HasSuffix(line, []byte(" ends"))
		case inside && lineNumber.Match(line):
			return true
		}
	}
	return in.Err() != nil // what cannot be read cannot be vouched for
}

// equal reports whether two streams are the same.
func equal(a, b io.Reader) (bool, error) {
	x, y := bufio.NewReaderSize(a, 1<<16), bufio.NewReaderSize(b, 1<<16)
	for {
		p, errP := x.Peek(1 << 12)
		q, errQ := y.Peek(1 << 12)
		if !bytes.Equal(p, q) {
			return false, nil
		}
		if errP != nil && errP != io.EOF {
			return false, errP
		}
		if errQ != nil && errQ != io.EOF {
			return false, errQ
		}
		if len(p) == 0 {
			return true, nil
		}
		x.Discard(len(p))
		y.Discard(len(q))
	}
}
