package archive

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"crypto/md5"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"
)

// Source is a file that can be read at any place.
type Source interface {
	io.ReaderAt
	Size() int64
}

// Pack is an archive with G-code in it, and other things beside: pictures, settings, checksums.
// It is known by its content, whatever it is called.
type Pack struct {
	Plates []Plate // entries with G-code, in the order of the archive
	Others int     // files beside them
	at     Source
	z      *zip.Reader
}

// Plate is an entry with G-code.
type Plate struct {
	Name string // as the archive has it, folders and all
	f    *zip.File
}

// Reasons for which nothing of a pack can be used.
var (
	ErrSeveral = errors.New("this archive has several plates in it; choose one")
	ErrCrowded = errors.New("this archive holds more files than any print does")
	ErrNoPlate = errors.New("this archive has no G-code in it; export the sliced plate, as G-code " +
		"or as an archive that holds it, not the project")
	ErrMethod = errors.New("this archive is packed in a way that Dogear does not know; export " +
		"plain G-code instead")
)

// endings are how names of G-code files end.
var endings = []string{".gcode", ".gco", ".g", ".gc", ".nc"}

// ForGCode reports whether a file is called as one of G-code.
func ForGCode(name string) bool {
	return slices.Contains(endings, strings.ToLower(path.Ext(name)))
}

// OpenPack looks at an archive. Nothing of it is unpacked.
func OpenPack(at Source) (*Pack, error) {
	if crowded(at) {
		return nil, ErrCrowded
	}
	z, err := zip.NewReader(at, at.Size())
	if errors.Is(err, zip.ErrInsecurePath) {
		return nil, ErrPath
	}
	if err != nil {
		return nil, ErrBroken
	}
	p := &Pack{at: at, z: z}
	var files []*zip.File
	names := map[string]bool{}
	for _, f := range z.File {
		if climbs(f.Name) {
			return nil, ErrPath
		}
		if f.FileInfo().IsDir() || beside(f.Name) {
			continue
		}
		if names[f.Name] { // nobody could say which of the two is meant
			return nil, ErrBroken
		}
		names[f.Name] = true
		files = append(files, f)
		if ForGCode(f.Name) {
			p.Plates = append(p.Plates, Plate{f.Name, f})
		}
	}
	switch {
	case len(files) == 0:
		return nil, ErrNone
	case len(p.Plates) == 0 && len(files) == 1: // whatever it is called
		p.Plates = []Plate{{files[0].Name, files[0]}}
	case len(p.Plates) == 0:
		return nil, ErrNoPlate
	}
	p.Others = len(files) - len(p.Plates)
	return p, nil
}

// maxTable is how long the table of an archive may be, bytes: some ten thousand files.
const maxTable = 2 << 20

// crowded reports whether the table at the end of an archive says that it is longer than that,
// or too long to say it there (PKWARE's APPNOTE, 4.3.16).
func crowded(at Source) bool {
	const end = 22
	tail := make([]byte, min(at.Size(), end+1<<16))
	if _, err := at.ReadAt(tail, at.Size()-int64(len(tail))); err != nil && err != io.EOF {
		return false // that is told by whoever reads it
	}
	for k := len(tail) - end; k >= 0; k-- {
		if string(tail[k:k+4]) == "PK\x05\x06" {
			return binary.LittleEndian.Uint32(tail[k+12:]) > maxTable
		}
	}
	return false
}

// Alone reports whether the archive is but a wrapping for one file.
func (p *Pack) Alone() bool { return len(p.Plates) == 1 && p.Others == 0 }

// Beside is how much the archive holds beside a plate, packed.
func (p *Pack) Beside(plate *Plate) int64 {
	sum := uint64(0)
	for _, f := range p.z.File {
		if f != plate.f {
			sum += min(f.CompressedSize64, 1<<60)
		}
	}
	return int64(min(sum, 1<<62))
}

// Plate returns the plate of a name, or of a number from 1 on; the only one when nothing is said.
func (p *Pack) Plate(which string) (*Plate, error) {
	if which == "" {
		if len(p.Plates) == 1 {
			return &p.Plates[0], nil
		}
		var names []string
		for i := range p.Plates {
			names = append(names, p.Plates[i].Name)
		}
		return nil, fmt.Errorf("%w: %s", ErrSeveral, strings.Join(names, ", "))
	}
	for i := range p.Plates {
		if n := p.Plates[i].Name; n == which || path.Base(n) == which {
			return &p.Plates[i], nil
		}
	}
	if n, err := strconv.Atoi(which); err == nil && n >= 1 && n <= len(p.Plates) {
		return &p.Plates[n-1], nil
	}
	return nil, fmt.Errorf("there is no plate %q; the archive has %d", which, len(p.Plates))
}

// Extract writes the G-code of a plate.
func (p *Pack) Extract(w io.Writer, plate *Plate, lim Limits) (int64, error) {
	in, err := open(plate.f)
	if err != nil {
		return 0, err
	}
	defer in.Close()
	c := &counter{n: max(int64(plate.f.CompressedSize64), 1)}
	return limited(w, in, c, lim.or())
}

// open opens an entry, and says why when it cannot.
func open(f *zip.File) (io.ReadCloser, error) {
	if f.Flags&1 != 0 {
		return nil, ErrLocked
	}
	if f.Method != zip.Store && f.Method != zip.Deflate {
		return nil, ErrMethod
	}
	in, err := f.Open()
	if err != nil {
		return nil, ErrBroken
	}
	return in, nil
}

// maxDigest is how long a file with a checksum may be.
const maxDigest = 4 << 10

// digests are the endings of files that hold the checksum of the file they are named after.
var digests = map[string]func() hash.Hash{".md5": md5.New, ".sha256": sha256.New}

// Write writes the archive with another G-code in one plate: the same entries in the same order,
// each byte for byte but that one, and a checksum of it that held before holds again. scratch
// keeps the packed G-code meanwhile; it is to be empty.
func (p *Pack) Write(w io.Writer, plate *Plate, content func(io.Writer) error,
	scratch io.ReadWriteSeeker) error {
	sums, err := p.sums(plate)
	if err != nil {
		return err
	}
	h, err := packed(plate.f, content, scratch, sums)
	if err != nil {
		return err
	}
	if _, err := scratch.Seek(0, io.SeekStart); err != nil {
		return err
	}
	z := zip.NewWriter(w)
	if err := z.SetComment(p.z.Comment); err != nil {
		return err
	}
	for _, f := range p.z.File {
		switch {
		case f == plate.f:
			err = raw(z, h, io.LimitReader(scratch, int64(h.CompressedSize64)))
		case sums[f.Name] != nil:
			s := sums[f.Name]
			err = whole(z, f, s.renewed())
		default:
			err = z.Copy(f)
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}

// digest is an entry that held the checksum of a plate.
type digest struct {
	h    hash.Hash
	text []byte // as it was
	was  string // the checksum in it
}

// renewed is the text with the new checksum in place of the old one, written as that was.
func (d *digest) renewed() []byte {
	now := hex.EncodeToString(d.h.Sum(nil))
	if d.was == strings.ToUpper(d.was) {
		now = strings.ToUpper(now)
	}
	return bytes.Replace(d.text, []byte(d.was), []byte(now), 1)
}

// sums finds the entries that hold the checksum of a plate, as it is.
func (p *Pack) sums(plate *Plate) (map[string]*digest, error) {
	out := map[string]*digest{}
	for _, f := range p.z.File {
		made := digests[strings.ToLower(path.Ext(f.Name))]
		if made == nil || strings.TrimSuffix(f.Name, path.Ext(f.Name)) != plate.Name ||
			f.UncompressedSize64 > maxDigest {
			continue
		}
		in, err := open(f)
		if err != nil {
			continue // nobody can say whether it held
		}
		text, err := io.ReadAll(io.LimitReader(in, maxDigest))
		in.Close()
		if err != nil {
			return nil, ErrBroken
		}
		h := made()
		if _, err := p.Extract(h, plate, Limits{Size: 1 << 40, Ratio: 1 << 40}); err != nil {
			return nil, err
		}
		is := hex.EncodeToString(h.Sum(nil))
		if words := strings.Fields(string(text)); len(words) > 0 && strings.EqualFold(words[0], is) {
			out[f.Name] = &digest{made(), text, words[0]}
		}
	}
	return out, nil
}

// packed packs content into scratch as an entry was, and returns its header.
func packed(f *zip.File, content func(io.Writer) error, scratch io.Writer,
	sums map[string]*digest) (*zip.FileHeader, error) {
	if f.Method != zip.Store && f.Method != zip.Deflate {
		return nil, ErrMethod
	}
	h := f.FileHeader
	out := &counted{w: scratch}
	sum, size := crc32.NewIEEE(), &counted{w: io.Discard}
	into := []io.Writer{sum, size}
	for _, d := range sums {
		into = append(into, d.h)
	}
	var err error
	if h.Method == zip.Deflate {
		z, _ := flate.NewWriter(out, flate.DefaultCompression) // the level is one there is
		if err = content(io.MultiWriter(append(into, z)...)); err == nil {
			err = z.Close()
		}
	} else {
		err = content(io.MultiWriter(append(into, out)...))
	}
	if err != nil {
		return nil, err
	}
	h.Flags &^= 0x8 // sizes and checksum are known, and stand in front of it
	h.CRC32 = sum.Sum32()
	h.CompressedSize64, h.UncompressedSize64 = uint64(out.n), uint64(size.n)
	h.Extra = without64(h.Extra)
	return &h, nil
}

// without64 leaves the sizes out of the extra fields of an entry (PKWARE's APPNOTE, 4.5.3); they
// are written anew when they are needed.
func without64(extra []byte) []byte {
	var out []byte
	for len(extra) >= 4 {
		id, n := int(extra[0])|int(extra[1])<<8, int(extra[2])|int(extra[3])<<8
		if n > len(extra)-4 {
			break
		}
		if id != 1 {
			out = append(out, extra[:4+n]...)
		}
		extra = extra[4+n:]
	}
	return append(out, extra...)
}

// raw writes an entry that is packed already.
func raw(z *zip.Writer, h *zip.FileHeader, r io.Reader) error {
	w, err := z.CreateRaw(h)
	if err != nil {
		return err
	}
	_, err = io.Copy(w, r)
	return err
}

// whole writes an entry with other bytes, packed as it was.
func whole(z *zip.Writer, f *zip.File, data []byte) error {
	var buf bytes.Buffer
	h, err := packed(f, func(w io.Writer) error {
		_, err := w.Write(data)
		return err
	}, &buf, nil)
	if err != nil {
		return err
	}
	return raw(z, h, &buf)
}

// counted counts the bytes that pass.
type counted struct {
	w io.Writer
	n int64
}

func (c *counted) Write(p []byte) (int, error) {
	n, err := c.w.Write(p)
	c.n += int64(n)
	return n, err
}

// maxPicture is how large a picture in an archive may be, bytes.
const maxPicture = 8 << 20

// Picture returns the picture that an archive has of a plate: one that is called as the plate
// is, else the first. It is nil when there is none; what is in it nobody has looked at.
func (p *Pack) Picture(plate *Plate) []byte {
	stem := func(name string) string { return strings.TrimSuffix(path.Base(name), path.Ext(name)) }
	var found *zip.File
	for _, f := range p.z.File {
		switch strings.ToLower(path.Ext(f.Name)) {
		case ".png", ".jpg", ".jpeg":
		default:
			continue
		}
		if f.UncompressedSize64 > maxPicture || beside(f.Name) {
			continue
		}
		if stem(f.Name) == stem(plate.Name) {
			found = f
			break
		}
		if found == nil {
			found = f
		}
	}
	if found == nil {
		return nil
	}
	in, err := open(found)
	if err != nil {
		return nil
	}
	defer in.Close()
	data, err := io.ReadAll(io.LimitReader(in, maxPicture+1))
	if err != nil || len(data) > maxPicture {
		return nil
	}
	return data
}
