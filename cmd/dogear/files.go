package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path"
	"path/filepath"
	"strings"
	"sync"

	"dogear/core/archive"
	"dogear/core/layer"
)

// document is an opened file: its bytes and its index.
type document struct {
	name  string
	src   layer.Source // the G-code
	ix    *layer.Index
	raw   layer.Source // the file as it lies there: packed, or src itself
	pack  *archive.Pack
	plate *archive.Plate // of the pack; both are nil when the file is no archive
	wrap  bool           // what is written of it is packed too
	file  *os.File       // it stays open, since it is read in blocks; nil when all is in memory
}

// close lets go of the file.
func (d *document) close() {
	if d.file != nil {
		d.file.Close()
	}
}

// plated is for commands that read a file which may be an archive with several plates.
type plated struct {
	Plate string `help:"${plate}" placeholder:"NAME"`
}

// open reads FILE, which may be plain, .gz, an archive or "-".
func (p plated) open(file string, opt layer.Options) (*document, error) {
	return p.openIn(context.Background(), file, opt)
}

// openIn does so until a context ends.
func (p plated) openIn(ctx context.Context, file string, opt layer.Options) (*document, error) {
	name := filepath.Base(file)
	var src layer.Source
	var from *os.File
	if file == "-" {
		name = "print.gcode"
		raw, err := io.ReadAll(io.LimitReader(os.Stdin, 1<<30+1))
		if err != nil {
			return nil, refuse("unreadable", err)
		}
		src = bytes.NewReader(raw)
	} else {
		f, err := os.Open(file)
		if err != nil {
			return nil, refuse("unreadable", err)
		}
		st, err := f.Stat()
		if err == nil && !st.Mode().IsRegular() {
			err = fmt.Errorf("%s is not a file", file)
		}
		if err != nil {
			f.Close()
			return nil, refuse("unreadable", err)
		}
		src, from = io.NewSectionReader(f, 0, st.Size()), f
	}
	d := &document{name: name, src: src, raw: src, file: from}
	if err := d.unpack(p.Plate); err != nil {
		d.close()
		return nil, refuse("archive", fmt.Errorf("%s: %w", file, err))
	}
	if isTerminal(os.Stderr) && d.src.Size() > 20<<20 {
		opt.Progress = progress("reading " + d.name)
	}
	var err error
	if d.ix, err = layer.Read(ctx, d.src, opt); err != nil {
		d.close()
		return nil, refuse("not-gcode", fmt.Errorf("%s: %w", file, err))
	}
	terminal.done("reading " + d.name)
	return d, nil
}

// unpack takes the G-code out of what it is packed in, if it is.
func (d *document) unpack(plate string) error {
	head := make([]byte, 4)
	n, _ := d.raw.ReadAt(head, 0) // less than that is no archive
	var out bytes.Buffer
	switch zip := archive.IsZip(head[:n]); {
	case zip:
		p, err := archive.OpenPack(d.raw)
		if err != nil {
			return err
		}
		if d.plate, err = p.Plate(plate); err != nil {
			return err
		}
		if _, err = p.Extract(&out, d.plate, archive.Limits{}); err != nil {
			return err
		}
		d.pack, d.name = p, archive.Clean(path.Base(d.plate.Name))
	case plate != "":
		return errors.New("it is no archive, so it has no plates")
	case n >= 2 && head[0] == 0x1f && head[1] == 0x8b:
		var err error
		d.name, _, err = archive.Copy(&out, io.NewSectionReader(d.raw, 0, d.raw.Size()), d.name, d.raw,
			archive.Limits{})
		if err != nil {
			return err
		}
	default:
		return nil
	}
	d.src = bytes.NewReader(out.Bytes())
	return nil
}

// packAs says that what is written of the document is packed as the file was when its name ends
// like that of the file; an archive with other things in it always is.
func (d *document) packAs(out, file string) {
	d.wrap = d.pack != nil && !d.pack.Alone() ||
		d.raw != d.src && strings.EqualFold(filepath.Ext(out), filepath.Ext(file))
}

// write writes content, packed as the file was, where that is wanted.
func (d *document) write(w io.Writer, content func(io.Writer) error) error {
	switch {
	case !d.wrap:
		return content(w)
	case d.pack == nil:
		z := gzip.NewWriter(w)
		if err := content(z); err != nil {
			return err
		}
		return z.Close()
	}
	scratch, done, err := scratchFile("")
	if err != nil {
		return err
	}
	defer done()
	return d.pack.Write(w, d.plate, content, scratch)
}

func isTerminal(f *os.File) bool {
	st, err := f.Stat()
	return err == nil && st.Mode()&os.ModeCharDevice != 0
}

// bars draws how far things are on a terminal, one phase after another, a line each. A phase that
// ends well ends at 100 %; several at once, as two files that are read, share a line.
type bars struct {
	mu    sync.Mutex
	w     io.Writer
	what  string // the phase whose line is open
	last  int
	begun map[string]bool
	ended map[string]bool
}

// terminal is where all bars of the program are drawn.
var terminal = &bars{w: os.Stderr}

// progress returns a function that draws the bar of a phase.
func progress(what string) func(float64) {
	return func(done float64) { terminal.draw(what, int(done*100)) }
}

func (b *bars) draw(what string, percent int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	percent = min(percent, 100)
	if b.begun == nil {
		b.begun, b.ended = map[string]bool{}, map[string]bool{}
	}
	b.begun[what] = true
	if b.ended[what] || b.what == what && percent == b.last {
		return
	}
	if b.what != "" && b.what != what {
		if percent < 100 {
			return // another is still under way
		}
		b.end()
	}
	b.what, b.last = what, percent
	fmt.Fprintf(b.w, "\r%s %3d %%", what, percent)
	if percent == 100 {
		b.end()
	}
}

// end ends the line that is open.
func (b *bars) end() {
	if b.what == "" {
		return
	}
	if b.last == 100 {
		b.ended[b.what] = true
	}
	fmt.Fprintln(b.w)
	b.what, b.last = "", 0
}

// done ends the bar of a phase at 100 %, when one was drawn.
func (b *bars) done(what string) {
	b.mu.Lock()
	begun := b.begun[what] && !b.ended[what]
	b.mu.Unlock()
	if begun {
		b.draw(what, 100)
	}
}

// broken ends a bar where it is: what it was for has failed.
func (b *bars) broken() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.end()
}

// create writes OUT through f. None of the files that are read may be OUT.
func create(out string, read []string, force bool, f func(io.Writer) error) error {
	return createAs(out, read, force, 0o666, f)
}

// createAs does so with the permissions that OUT is to have, less what the umask takes away.
// A file is written beside itself and renamed when it is complete; where OUT is a link, the
// file that it leads to. What is no file, a device or a pipe, is written into.
func createAs(out string, read []string, force bool, mode os.FileMode,
	f func(io.Writer) error) error {
	if out == "-" {
		return f(os.Stdout)
	}
	for k, in := range read {
		switch {
		case in == "" || in == "-" || !same(out, in):
		case k == 0:
			return refuse("same-file", errors.New("OUT is the original; it is never changed"))
		default:
			return refuse("same-file", fmt.Errorf("OUT is %s, which is read here: choose another name", in))
		}
	}
	st, err := os.Stat(out)
	if err == nil && !st.Mode().IsRegular() && !st.IsDir() {
		return into(out, f)
	}
	if _, err := os.Lstat(out); err == nil && !force {
		return refuse("exists", fmt.Errorf("%s exists; say --force to write over it", out))
	}
	if st != nil && st.IsDir() {
		return refuse("unwritable", fmt.Errorf("%s is a folder; say what the file in it is to be called",
			out))
	}
	to := behindLinks(out)
	tmp, err := newBeside(to, mode)
	if err != nil {
		return refuse("unwritable", fmt.Errorf("%s cannot be written: %w", out, reason(err)))
	}
	defer underWay.keep(tmp.Name())()
	err = f(tmp)
	if err == nil {
		err = tmp.Sync()
	}
	if cerr := tmp.Close(); err == nil {
		err = cerr
	}
	if err != nil {
		return err
	}
	if err := os.Rename(tmp.Name(), to); err != nil {
		return refuse("unwritable", fmt.Errorf("%s cannot be written: %w", out, reason(err)))
	}
	return nil
}

// into writes into what is there already.
func into(out string, f func(io.Writer) error) error {
	to, err := os.OpenFile(out, os.O_WRONLY, 0)
	if err != nil {
		return refuse("unwritable", err)
	}
	err = f(to)
	if cerr := to.Close(); err == nil {
		err = cerr
	}
	return err
}

// maxLinks is how many links are followed.
const maxLinks = 40

// behindLinks is the file that a path leads to, also when that is not there yet.
func behindLinks(path string) string {
	for range maxLinks {
		to, err := os.Readlink(path)
		if err != nil {
			return path
		}
		if !filepath.IsAbs(to) {
			to = filepath.Join(filepath.Dir(path), to)
		}
		path = to
	}
	return path
}

// newBeside makes a new file beside another, with permissions less the umask.
func newBeside(path string, mode os.FileMode) (*os.File, error) {
	for {
		name := filepath.Join(filepath.Dir(path), fmt.Sprintf(".dogear-%08x", rand.Uint32()))
		f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, mode)
		if !errors.Is(err, fs.ErrExist) {
			return f, err
		}
	}
}

// reason is what an operation on a file failed with, without the name of the file: that may
// be one nobody knows.
func reason(err error) error {
	var p *fs.PathError
	var l *os.LinkError
	switch {
	case errors.As(err, &p):
		return p.Err
	case errors.As(err, &l):
		return l.Err
	}
	return err
}

func same(a, b string) bool {
	if filepath.Clean(a) == filepath.Clean(b) {
		return true
	}
	x, err1 := os.Stat(a)
	y, err2 := os.Stat(b)
	return err1 == nil && err2 == nil && os.SameFile(x, y)
}
