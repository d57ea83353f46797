package main

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"

	"dogear/core/edit"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/core/release"
	"dogear/core/routine"
)

// origSuffix is what stands behind the name of a file as it was.
const origSuffix = ".orig"

// inPlaceHow says how a file is written where it lies.
type inPlaceHow struct {
	ctx             context.Context // nil for one that never ends
	renumber, other bool
	ask             release.Asked
	// patience says whether a file in which nothing says that it is over has been waited
	// for long enough; nil waits for none.
	patience func() bool
}

// errWait is the cause when it has not.
var errWait = errors.New("the file may still be written")

// mostAnew is how often an edit begins anew because the file changed meanwhile.
const mostAnew = 3

// inPlace lays a plan onto a file where it lies, so that a slicer can call it
// after each slicing. FILE.orig keeps the bytes that the slicer wrote, and nothing
// else ever: a file in which marks of Dogear stand is first given back what it was,
// and where FILE.orig holds that, it is left alone. Doing it twice is no different
// from doing it once. At any moment there is a whole file at FILE. What it cannot do
// without loss it does not do: it says why, and leaves all as it is.
func inPlace(file, planFile string, how inPlaceHow) (*editReport, error) {
	if file == "-" {
		return nil, refuse("usage", errors.New("standard input cannot be written in place"))
	}
	if how.ctx == nil {
		how.ctx = context.Background()
	}
	p, err := readPlan(planFile)
	if err != nil {
		return nil, err
	}
	// Of a link, the file that it leads to.
	target, err := filepath.EvalSymlinks(file)
	if err == nil {
		target, err = filepath.Abs(target)
	}
	if err != nil {
		return nil, refuse("unreadable", err)
	}
	for k := 1; ; k++ {
		was, err := see(target)
		if err != nil {
			return nil, refuse("unreadable", err)
		}
		rep, err := inPlaceOnce(target, was, p, how)
		if err != nil && !errors.Is(err, errMoved) && was.still() != nil {
			err = errMoved // what was wrong was that it is another file by now
		}
		if rep != nil {
			rep.Out = file
		}
		if !errors.Is(err, errMoved) {
			return rep, err
		}
		if k == mostAnew || how.ctx.Err() != nil {
			return nil, refuse("changed", fmt.Errorf("%s is left as it is: %w", file, err))
		}
		if p, err = readPlan(planFile); err != nil { // laying it on has changed it
			return nil, err
		}
	}
}

// mayBeReplaced says why a file cannot be replaced by another without loss.
func mayBeReplaced(file string, st os.FileInfo) error {
	switch {
	case !st.Mode().IsRegular():
		return fmt.Errorf("%s is not a file", file)
	case st.Mode().Perm()&0o200 == 0:
		return fmt.Errorf("%s is read-only; it is left as it is", file)
	case links(st) > 1:
		return fmt.Errorf("%s has several names (hard links), which would part; it is left as it is",
			file)
	}
	return nil
}

func inPlaceOnce(file string, was *seenFile, p *plan.Plan, how inPlaceHow) (*editReport, error) {
	if err := mayBeReplaced(file, was.info); err != nil {
		return nil, refuse("unwritable", err)
	}
	opt := optionsOf(p)
	d, err := openIn(how.ctx, file, opt)
	if err != nil {
		return nil, err
	}
	defer func() { d.close() }()
	if d.src.Size() != was.info.Size() {
		return nil, refuse("archive", fmt.Errorf("%s is packed; only a plain file can be written in "+
			"place", file))
	}
	switch endOf(d.ix) {
	case cutShort:
		return nil, refuse("cut-short", fmt.Errorf("%s ends in the middle; it is left as it is", file))
	case openEnd:
		if how.patience != nil && !how.patience() {
			return nil, errWait
		}
	}
	base := &original{file: file, dir: filepath.Dir(file), now: d, opt: opt}
	defer base.close()
	if err := base.find(); err != nil {
		return nil, err
	}
	r, err := releasedIn(how.ctx, base.doc, p, release.Onto{Reanchor: true, Other: how.other}, how.ask)
	if err != nil {
		return nil, err
	}
	if len(r.Edits) == 0 {
		return nil, refuse("not-placed", fmt.Errorf("nothing of the plan has a place in %s; it is left "+
			"as it is", file))
	}
	if err := base.loses(p, r); err != nil {
		return nil, err
	}
	if err := base.inTheWay(); err != nil {
		return nil, err
	}
	rep := reportOf(base.doc, r, file)
	made, err := os.CreateTemp(base.dir, ".dogear-*")
	if err != nil {
		return nil, refuse("unwritable", err)
	}
	defer os.Remove(made.Name())
	sum := sha256.New()
	count := &counted{w: io.MultiWriter(made, sum, until{how.ctx})}
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
	if err := likeness(made.Name(), was.info); err != nil {
		return nil, refuse("unwritable", err)
	}
	if err := was.still(); err != nil {
		return nil, err
	}
	if err := base.keep(was.info, hex.EncodeToString(sum.Sum(nil))); err != nil {
		return nil, refuse("unwritable", err)
	}
	if err := was.still(); err != nil { // a slicer may have written it anew
		return nil, err
	}
	if err := os.Rename(made.Name(), file); err != nil {
		return nil, refuse("unwritable", err)
	}
	return rep, nil
}

// until is a writer that fails when a context has ended.
type until struct{ ctx context.Context }

func (u until) Write(p []byte) (int, error) { return len(p), u.ctx.Err() }

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
		if f.Code == "cut-short" && f.Level == layer.Care {
			return cutShort
		} else if f.Code == "cut-short" {
			return openEnd
		}
	}
	return wholeEnd
}

// original is a file as the slicer wrote it.
type original struct {
	file, dir string
	now       *document // the file as it lies there
	opt       layer.Options
	doc       *document  // the original
	temp      string     // where it was written to, when it had to be; it is to be kept as FILE.orig
	stays     bool       // FILE.orig holds it already
	taken     *plan.Plan // what was taken out of the file; nil when nothing was
}

// loses reports marks that somebody else has put into the file and that the plan does not
// put there again.
func (o *original) loses(p *plan.Plan, r *release.Release) error {
	if o.taken == nil {
		return nil
	}
	rec, known := recordOf(o.file)
	if known {
		sum, err := sumOf(io.NewSectionReader(o.now.src, 0, o.now.src.Size()))
		if err != nil {
			return refuse("unreadable", err)
		}
		if slices.Contains(rec.Files, sum) { // it is as it was written here
			return nil
		}
	} else if o.stays { // an older Dogear has put it beside the file
		return nil
	}
	type place struct {
		layer int
		line  int64
	}
	put := map[place]bool{}
	for i := range r.Result.Blocks {
		n, line := routine.Place(o.doc.ix, &r.Result.Blocks[i].Ear)
		put[place{n, line}] = true
	}
	lost := 0
	for i := range o.taken.Ears {
		if n, line := routine.Place(o.doc.ix, &o.taken.Ears[i]); !put[place{n, line}] {
			lost++
		}
	}
	if lost == 0 && len(o.taken.Mutes) <= len(p.Mutes) && len(o.taken.Changes) <= len(p.Changes) {
		return nil
	}
	return refuse("own-marks", fmt.Errorf("%s carries marks that are not in the plan (%s): they "+
		"would be lost, so it is left as it is. Put them into the plan, or take them out first", o.file,
		marksOf(o.taken)))
}

// marksOf counts what a plan marks.
func marksOf(p *plan.Plan) string {
	text := fmt.Sprintf("%d ears", len(p.Ears))
	if len(p.Ears) == 1 {
		text = "1 ear"
	}
	if n := len(p.Mutes) + len(p.Changes); n > 0 {
		text += fmt.Sprintf(", %d muted or changed places", n)
	}
	return text
}

// inTheWay reports a FILE.orig that was not written here: it is never written over.
func (o *original) inTheWay() error {
	if o.stays {
		return nil
	}
	name := o.file + origSuffix
	f, err := os.Open(name)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return refuse("unreadable", err)
	}
	defer f.Close()
	st, err := f.Stat()
	if err == nil && st.Mode().IsRegular() {
		if st.Size() == o.doc.src.Size() {
			if o.stays, err = equal(f, io.NewSectionReader(o.doc.src, 0, o.doc.src.Size())); o.stays {
				return err
			}
		}
		rec, known := recordOf(o.file)
		sum, serr := sumOf(io.NewSectionReader(f, 0, st.Size()))
		if err = errors.Join(err, serr); err == nil && known && slices.Contains(rec.Origs, sum) {
			return nil
		}
	}
	if err != nil {
		return refuse("unreadable", err)
	}
	return refuse("exists", fmt.Errorf("%s lies there already, and Dogear did not write it: it is "+
		"not written over, and %s is left as it is. Move it elsewhere first", name, o.file))
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
	o.taken = taken.Plan
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

// keep puts the original beside the file, where it does not lie there already, and
// remembers that, and what is about to be written to the file itself.
func (o *original) keep(like os.FileInfo, made string) error {
	sum := sha256.New()
	size := o.doc.src.Size()
	if o.stays {
		if _, err := io.Copy(sum, io.NewSectionReader(o.doc.src, 0, size)); err != nil {
			return err
		}
		return saveRecord(o.file, hex.EncodeToString(sum.Sum(nil)), made)
	}
	f, err := os.CreateTemp(o.dir, ".dogear-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	_, err = io.Copy(io.MultiWriter(f, sum), io.NewSectionReader(o.doc.src, 0, size))
	if err == nil {
		err = f.Sync()
	}
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	if err == nil {
		err = likeness(f.Name(), like)
	}
	if err == nil {
		err = saveRecord(o.file, hex.EncodeToString(sum.Sum(nil)), made)
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
