package main

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"dogear/core/apply"
	"dogear/core/edit"
	"dogear/core/gate"
	"dogear/core/layer"
	"dogear/core/plan"
)

// original is a file as the slicer wrote it.
type original struct {
	file, dir string
	now       *document // the file as it lies there
	opt       layer.Options
	plated
	doc   *document  // the original
	temp  string     // where it was written to, when it had to be; it is to be kept as FILE.orig
	tidy  func()     // removes that
	stays bool       // FILE.orig holds it already
	made  bool       // keep has put FILE.orig there, where nothing was
	taken *plan.Plan // what was taken out of the file; nil when nothing was
}

// loses reports marks that somebody else has put into the file and that the plan does not
// put there again.
func (o *original) loses(p *plan.Plan, r *gate.Release) error {
	if o.taken == nil {
		return nil
	}
	rec, known := recordOf(o.file)
	if known {
		sum, err := sumOf(io.NewSectionReader(o.now.raw, 0, o.now.raw.Size()))
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
	for i := range r.Result().Blocks {
		n, line := apply.Place(o.doc.ix, &r.Result().Blocks[i].Ear)
		put[place{n, line}] = true
	}
	lost := 0
	for i := range o.taken.Ears {
		if n, line := apply.Place(o.doc.ix, &o.taken.Ears[i]); !put[place{n, line}] {
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
		if st.Size() == o.doc.raw.Size() {
			if o.stays, err = equal(f, io.NewSectionReader(o.doc.raw, 0, o.doc.raw.Size())); o.stays {
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
	if o.tidy != nil {
		o.tidy()
	}
}

// findOriginal gets the original of a file: itself, or what is left when Dogear's marks are
// taken out of it.
func (o *original) findOriginal() error {
	o.doc = o.now
	if !o.now.ix.Marked && o.now.ix.Ours == 0 {
		return nil
	}
	spoilt := func(err error) error {
		return refuse("written-by-dogear", fmt.Errorf("%s carries marks of Dogear's that cannot be "+
			"taken out, so it is left as it is: %w", o.file, err))
	}
	taken, err := apply.TakeOut(o.now.src)
	if err != nil {
		return spoilt(err)
	}
	o.taken = taken.Plan
	f, err := os.CreateTemp(o.dir, ".dogear-*")
	if err != nil {
		return refuse("unwritable", err)
	}
	o.temp, o.tidy = f.Name(), underWay.keep(f.Name())
	err = o.now.write(f, func(w io.Writer) error {
		_, err := edit.Write(w, o.now.src, taken.Edits)
		return err
	})
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
	if o.doc, err = o.open(o.temp, o.opt); err != nil {
		return err
	}
	o.doc.name = name
	if o.doc.ix.Marked || o.doc.ix.Ours > 0 {
		return spoilt(errors.New("some have been changed since, or were never Dogear's"))
	}
	// What lies beside it is the original itself, when only numbers are different.
	if kept, err := o.open(o.file+origSuffix, o.opt); err == nil {
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
	size := o.doc.raw.Size()
	if o.stays {
		if _, err := io.Copy(sum, io.NewSectionReader(o.doc.raw, 0, size)); err != nil {
			return err
		}
		return saveRecord(o.file, hex.EncodeToString(sum.Sum(nil)), made)
	}
	f, err := os.CreateTemp(o.dir, ".dogear-*")
	if err != nil {
		return err
	}
	defer underWay.keep(f.Name())()
	_, err = io.Copy(io.MultiWriter(f, sum), io.NewSectionReader(o.doc.raw, 0, size))
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
		_, there := os.Lstat(o.file + origSuffix)
		err = os.Rename(f.Name(), o.file+origSuffix)
		o.made = err == nil && errors.Is(there, os.ErrNotExist)
	}
	return err
}

// unkeep takes away what keep has put beside a file that stays as it is.
func (o *original) unkeep() {
	if o.made {
		_ = os.Remove(o.file + origSuffix)
	}
}
