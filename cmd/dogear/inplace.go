package main

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/release"
	"dogear/core/routine"
)

// origSuffix is what stands behind the name of a file as it was.
const origSuffix = ".orig"

// inPlaceHow says how a file is written where it lies.
type inPlaceHow struct {
	renumber, other bool
	ask             release.Asked
}

// inPlace lays a plan onto a file where it lies, so that a slicer can call it
// after each slicing. FILE.orig keeps the bytes that the slicer wrote, and nothing
// else ever: a file in which marks of Dogear stand is first given back what it was,
// and where FILE.orig holds that, it is left alone. Doing it twice is no different
// from doing it once. At any moment there is a whole file at FILE.
func inPlace(file, planFile string, how inPlaceHow) (*editReport, error) {
	if file == "-" {
		return nil, refuse("usage", errors.New("standard input cannot be written in place"))
	}
	p, err := readPlan(planFile)
	if err != nil {
		return nil, err
	}
	st, err := os.Stat(file)
	if err != nil {
		return nil, refuse("unreadable", err)
	}
	opt := optionsOf(p)
	d, err := open(file, opt)
	if err != nil {
		return nil, err
	}
	defer func() { d.close() }()
	if d.src.Size() != st.Size() {
		return nil, refuse("archive", fmt.Errorf("%s is packed; only a plain file can be written in "+
			"place", file))
	}
	base := &original{file: file, dir: filepath.Dir(file), now: d, opt: opt}
	defer base.close()
	if err := base.find(); err != nil {
		return nil, err
	}
	r, err := released(base.doc, p, release.Onto{Reanchor: true, Other: how.other}, how.ask)
	if err != nil {
		return nil, err
	}
	if len(r.Edits) == 0 {
		return nil, refuse("not-placed", fmt.Errorf("nothing of the plan has a place in %s; it is left "+
			"as it is", file))
	}
	rep := reportOf(base.doc, r, file)
	made, err := os.CreateTemp(base.dir, ".dogear-*")
	if err != nil {
		return nil, refuse("unwritable", err)
	}
	defer os.Remove(made.Name())
	count := &counted{w: made}
	err = write(count, r, how.renumber)
	if err == nil {
		err = made.Sync()
	}
	rep.Bytes = count.n
	same := false
	if err == nil && count.n == d.src.Size() {
		same, err = equal(io.NewSectionReader(made, 0, count.n), io.NewSectionReader(d.src, 0, count.n))
	}
	if cerr := made.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return nil, refuse("unwritable", err)
	}
	if same {
		rep.Said = "It holds all of that already; nothing was written."
		return rep, nil
	}
	if err := os.Chmod(made.Name(), st.Mode().Perm()); err != nil {
		return nil, refuse("unwritable", err)
	}
	if err := base.keep(st.Mode().Perm()); err != nil {
		return nil, refuse("unwritable", err)
	}
	if err := os.Rename(made.Name(), file); err != nil {
		return nil, refuse("unwritable", err)
	}
	return rep, nil
}

// original is a file as the slicer wrote it.
type original struct {
	file, dir string
	now       *document // the file as it lies there
	opt       layer.Options
	doc       *document // the original
	temp      string    // where it was written to, when it had to be; it is to be kept as FILE.orig
	stays     bool      // FILE.orig holds it already
}

func (o *original) close() {
	if o.doc != nil && o.doc != o.now {
		o.doc.close()
	}
	if o.temp != "" {
		os.Remove(o.temp)
	}
}

// find gets the original of a file: itself, or what is left when Dogear's marks are
// taken out of it.
func (o *original) find() error {
	o.doc = o.now
	if !o.now.ix.Marked && o.now.ix.Ours == 0 {
		return nil
	}
	spoilt := func(err error) error {
		return refuse("written-by-dogear", fmt.Errorf("%s carries marks of Dogear's that cannot be "+
			"taken out, so that it is left as it is: %w", o.file, err))
	}
	taken, err := routine.TakeOut(o.now.src)
	if err != nil {
		return spoilt(err)
	}
	f, err := os.CreateTemp(o.dir, ".dogear-*")
	if err != nil {
		return refuse("unwritable", err)
	}
	o.temp = f.Name()
	_, err = edit.Write(f, o.now.src, taken.Edits)
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return refuse("unwritable", err)
	}
	name := o.now.name
	if o.doc, err = open(o.temp, o.opt); err != nil {
		return err
	}
	o.doc.name = name
	if o.doc.ix.Marked || o.doc.ix.Ours > 0 {
		return spoilt(errors.New("some have been changed since, or were never Dogear's"))
	}
	// What lies beside it is the original itself, when only numbers are different.
	if kept, err := open(o.file+origSuffix, o.opt); err == nil {
		a, b := unnumbered(kept.src), unnumbered(o.doc.src)
		same, err := equal(a, b)
		a.Close()
		b.Close()
		if err == nil && same {
			o.doc.close()
			kept.name = name
			o.doc, o.stays = kept, true
			return nil
		}
		kept.close()
	}
	if o.doc.ix.Numbered && numberedBlocks(o.now.src) {
		return spoilt(errors.New("its lines were given new numbers, and what it was no longer lies " +
			"beside it"))
	}
	return nil
}

// keep puts the original beside the file, where it does not lie there already.
func (o *original) keep(mode os.FileMode) error {
	if o.stays {
		return nil
	}
	f, err := os.CreateTemp(o.dir, ".dogear-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = io.Copy(f, io.NewSectionReader(o.doc.src, 0, o.doc.src.Size()))
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = os.Chmod(f.Name(), mode)
	}
	if err == nil {
		err = os.Rename(f.Name(), o.file+origSuffix)
	}
	return err
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
		case bytes.HasPrefix(line, []byte("; dogear ")):
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
