package main

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"dogear/core/gate"
	"dogear/core/plan"
)

// origSuffix is what stands behind the name of a file as it was.
const origSuffix = ".orig"

// inPlaceHow says how a file is written where it lies.
type inPlaceHow struct {
	ctx context.Context // nil for one that never ends
	plated
	renumber, other bool
	ask             gate.Asked
	// patience says whether a file in which nothing says that it is over has been waited
	// for long enough; nil waits for none.
	patience func() bool
}

// errWait is the cause when it has not.
var errWait = errors.New("the file may still be written")

// replace puts one file in the place of another; tests look at what is open by then.
var replace = os.Rename

// maxAnew is how often an edit begins anew because the file changed meanwhile.
const maxAnew = 3

// inPlace applies a plan to a file where it lies, so that a slicer can call it
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
		if k == maxAnew || how.ctx.Err() != nil {
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
	d, err := how.openIn(how.ctx, file, opt)
	if err != nil {
		return nil, err
	}
	defer func() { d.close() }()
	if d.raw.Size() != was.info.Size() {
		return nil, errMoved
	}
	d.wrap = d.raw != d.src
	switch endOf(d.ix) {
	case cutShort:
		return nil, refuse("cut-short", fmt.Errorf("%s ends in the middle; it is left as it is", file))
	case openEnd:
		if how.patience != nil && !how.patience() {
			return nil, errWait
		}
	}
	base := &original{file: file, dir: filepath.Dir(file), now: d, opt: opt, plated: how.plated}
	defer base.close()
	if err := base.findOriginal(); err != nil {
		return nil, err
	}
	r, err := releasedIn(how.ctx, base.doc, p, gate.Onto{Reanchor: true, Other: how.other}, how.ask)
	if err != nil {
		return nil, err
	}
	if !r.Edited() {
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
	defer underWay.keep(made.Name())()
	sum, same, err := writeBeside(made, d, r, how, rep)
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
	if err := base.keep(was.info, sum); err != nil {
		return nil, refuse("unwritable", err)
	}
	if err := was.still(); err != nil { // a slicer may have written it anew
		return nil, err
	}
	// Some systems put nothing in the place of a file that is open.
	d.close()
	base.doc.close()
	if err := replace(made.Name(), file); err != nil {
		base.unkeep()
		return nil, refuse("unwritable", fmt.Errorf("%s is left as it is: %w", file, reason(err)))
	}
	return rep, nil
}

// writeBeside writes the edited file, and closes it. It returns its digest, and whether it
// holds just what the file d holds.
func writeBeside(made *os.File, d *document, r *gate.Release, how inPlaceHow, rep *editReport) (
	digest string, same bool, err error) {
	sum, content := sha256.New(), sha256.New()
	count, inner := &counted{w: io.MultiWriter(made, sum, until{how.ctx})}, int64(0)
	err = d.write(count, func(w io.Writer) error {
		in := &counted{w: io.MultiWriter(w, content)}
		defer func() { inner = in.n }()
		return write(in, r, how.renumber)
	})
	if err == nil {
		err = made.Sync()
	}
	rep.Bytes = count.n
	if err == nil && inner == d.src.Size() { // packed anew, the same may be other bytes
		var is string
		is, err = sumOf(io.NewSectionReader(d.src, 0, d.src.Size()))
		same = is == hex.EncodeToString(content.Sum(nil))
	}
	if cerr := made.Close(); err == nil {
		err = cerr
	}
	return hex.EncodeToString(sum.Sum(nil)), same, err
}

// until is a writer that fails when a context has ended.
type until struct{ ctx context.Context }

func (u until) Write(p []byte) (int, error) { return len(p), u.ctx.Err() }
