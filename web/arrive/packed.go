// Package arrive brings files in, plain or packed, and sends back what was written.
package arrive

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"os"
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/core/gate"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/say"
	"dogear/web/site"
)

// Packed prints: an archive with the G-code of plates, and other things. The G-code is the print;
// the rest is kept beside it, and what is written goes back among it.

// errPlate is the cause when somebody must say first which plate of an archive is meant.
type errPlate struct{ names []string }

func (e *errPlate) Error() string { return archive.ErrSeveral.Error() }

// unpack opens an archive that has arrived, and chooses the plate.
func unpack(at archive.Source, which string) (*archive.Pack, *archive.Plate, error) {
	p, err := archive.OpenPack(at)
	if err != nil {
		return nil, nil, err
	}
	plate, err := p.Plate(which)
	if errors.Is(err, archive.ErrSeveral) {
		e := &errPlate{}
		for i := range p.Plates {
			e.names = append(e.names, p.Plates[i].Name)
		}
		return nil, nil, e
	}
	return p, plate, err
}

// kept is what is kept of an archive beside its plate; nil for one that was but a wrapping.
func keptOf(p *archive.Pack, plate *archive.Plate) (*store.Pack, error) {
	if p.Alone() {
		return nil, nil
	}
	if p.Beside(plate) > store.MaxShell {
		return nil, say.Sentence(fiber.StatusUnprocessableEntity, "this archive holds more than "+
			strconv.Itoa(store.MaxShell>>20)+" MB beside its G-code; export plain G-code instead")
	}
	var shell bytes.Buffer
	var scratch memory
	nothing := func(io.Writer) error { return nil }
	if err := p.Write(&shell, plate, nothing, &scratch); err != nil {
		return nil, err
	}
	return &store.Pack{Plate: plate.Name, Shell: shell.Bytes(), Picture: small(p.Picture(plate))}, nil
}

// memory is a scratch file for next to nothing.
type memory struct{ bytes.Buffer }

func (m *memory) Seek(int64, int) (int64, error) { return 0, nil }

// Bounds of pictures: dots along either side of one that is read, and of the one that is kept.
const (
	maxPictureDots = 4096
	keptDots       = 320
)

// small makes a picture of somebody else's small, on white, as a JPEG of our own; nil where there
// is none, or nothing that could be read.
func small(data []byte) []byte {
	c, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || c.Width < 1 || c.Height < 1 || c.Width > maxPictureDots ||
		c.Height > maxPictureDots {
		return nil
	}
	from, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil
	}
	b := from.Bounds()
	k := max(1, (max(b.Dx(), b.Dy())+keptDots-1)/keptDots) // dots that become one, along a side
	w, h := max(1, b.Dx()/k), max(1, b.Dy()/k)
	to := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			to.Set(x, y, mean(from, image.Rect(x*k, y*k, x*k+k, y*k+k).Add(b.Min).Intersect(b)))
		}
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, to, &jpeg.Options{Quality: 85}); err != nil {
		return nil
	}
	return out.Bytes()
}

// mean is the colour of a part of a picture, on white.
func mean(m image.Image, part image.Rectangle) color.RGBA {
	var sum [3]uint64
	n := uint64(0)
	for y := part.Min.Y; y < part.Max.Y; y++ {
		for x := part.Min.X; x < part.Max.X; x++ {
			r, g, b, a := m.At(x, y).RGBA() // each with its share of opacity in it
			for i, v := range [3]uint32{r, g, b} {
				sum[i] += uint64(v + 0xffff - a)
			}
			n++
		}
	}
	n = max(n, 1) << 8
	return color.RGBA{uint8(sum[0] / n), uint8(sum[1] / n), uint8(sum[2] / n), 255}
}

// SendBack sends what was written of a print, in the archive that it came in if there is one.
func SendBack(s *site.Site, c fiber.Ctx, b *book.Book, name string, r *gate.Release) error {
	kept, err := s.Store.Pack(c.Context(), b.Print.ID)
	if errors.Is(err, store.ErrNone) || err == nil && r.Stopped() != nil {
		return Send(c, name, r)
	}
	if err != nil {
		return err
	}
	p, plate, err := unpack(bytes.NewReader(kept.Shell), kept.Plate)
	if err != nil {
		return err
	}
	made, err := newScratch(s)
	if err != nil {
		return err
	}
	work, err := newScratch(s)
	if err != nil {
		made.Close()
		return err
	}
	defer work.Close()
	err = p.Write(made, plate, func(w io.Writer) error {
		_, err := r.Write(w)
		return err
	}, work)
	var size int64
	if err == nil {
		size, err = made.Seek(0, io.SeekEnd)
	}
	if err == nil {
		_, err = made.Seek(0, io.SeekStart)
	}
	if err != nil {
		made.Close()
		return err
	}
	return stream(c, made, size, name, "application/zip", strconv.Quote(r.Seal()+" packed"))
}

// newScratch makes a temporary file that is gone when it is closed.
func newScratch(s *site.Site) (*scratch, error) {
	f, err := os.CreateTemp(s.Temp, "dogear-upload-*") // what a kill leaves is swept
	if err != nil {
		return nil, err
	}
	return &scratch{f}, nil
}

// scratch is such a file.
type scratch struct{ *os.File }

// Close closes the file and removes it.
func (f *scratch) Close() error {
	return errors.Join(f.File.Close(), os.Remove(f.Name()))
}
