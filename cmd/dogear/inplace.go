package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"dogear/core/edit"
	"dogear/core/routine"
)

// origSuffix is what stands behind the name of a file as it was.
const origSuffix = ".orig"

// inPlace lays a plan onto a file where it lies, so that a slicer can call it
// after each slicing. What the file was is kept beside it. A file in which marks
// of Dogear stand is first given back what it was, so that doing it twice is no
// different from doing it once. At any moment there is a whole file at FILE.
func inPlace(file, planFile string, renumber bool) (*editReport, error) {
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
	d, err := open(file, optionsOf(p))
	if err != nil {
		return nil, err
	}
	defer func() { d.close() }()
	if d.src.Size() != st.Size() {
		return nil, refuse("archive", fmt.Errorf("%s is packed; only a plain file can be written in place", file))
	}
	dir := filepath.Dir(file)
	orig, err := os.CreateTemp(dir, ".dogear-*")
	if err != nil {
		return nil, refuse("unwritable", err)
	}
	defer os.Remove(orig.Name())
	defer orig.Close()
	var edits []edit.Edit
	if d.ix.Ours > 0 {
		taken, err := routine.TakeOut(d.src)
		if err != nil {
			return nil, refuse("written-by-dogear", fmt.Errorf("%s was written by Dogear and changed since, so that its marks cannot be taken out: %w", file, err))
		}
		edits = taken.Edits
	}
	_, err = edit.Write(orig, d.src, edits)
	if err == nil {
		err = orig.Sync()
	}
	if err != nil {
		return nil, refuse("unwritable", err)
	}
	if len(edits) > 0 {
		d.close()
		name := d.name
		if d, err = open(orig.Name(), optionsOf(p)); err != nil {
			return nil, err
		}
		d.name = name
	}
	res, err := lay(d, p, true)
	if err != nil {
		return nil, err
	}
	if len(res.Edits) == 0 {
		return nil, refuse("not-placed", fmt.Errorf("nothing of the plan has a place in %s; it is left as it is", file))
	}
	rep := reportOf(d, res, file)
	made, err := os.CreateTemp(dir, ".dogear-*")
	if err != nil {
		return nil, refuse("unwritable", err)
	}
	defer os.Remove(made.Name())
	count := &counted{w: made}
	if renumber {
		r := &edit.Renumber{W: count}
		if _, err = edit.Write(r, d.src, res.Edits); err == nil {
			err = r.Close()
		}
	} else {
		_, err = edit.Write(count, d.src, res.Edits)
	}
	if err == nil {
		err = made.Sync()
	}
	if cerr := made.Close(); err == nil {
		err = cerr
	}
	rep.Bytes = count.n
	for _, f := range []*os.File{orig, made} {
		if err == nil {
			err = os.Chmod(f.Name(), st.Mode().Perm())
		}
	}
	if err == nil {
		err = os.Rename(orig.Name(), file+origSuffix)
	}
	if err == nil {
		err = os.Rename(made.Name(), file)
	}
	if err != nil {
		return nil, refuse("unwritable", err)
	}
	return rep, nil
}
