package proof

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/core/figures"
	"dogear/core/finding"
	"dogear/core/layer"
	"dogear/core/proof"
	"dogear/web/arrive"
	"dogear/web/conn"
	"dogear/web/reading"
	"dogear/web/say"
)

// maxByHand is how large a file may be that is proved beside its original while somebody
// waits, bytes. For larger ones there is the command line.
const maxByHand = 200 << 20

// byHandView says what a file edited by hand does otherwise than its original.
type byHandView struct {
	ID       int64
	Name     string
	Report   *proof.Report
	Findings []finding.Finding
	Stops    []string
	Grave    int
	Moves    string
}

// proveByHand examines a file that somebody edited by hand beside the print it was made of.
// Nothing of it is kept.
func (s *pages) proveByHand(c fiber.Ctx) error {
	b, m, err := s.OpenMarked(c)
	if err != nil {
		return err
	}
	name, err := url.PathUnescape(c.Get("X-File-Name"))
	if err != nil {
		name = ""
	}
	name = archive.Clean(name)
	f, size, err := s.byHand(c, b.Print.ID, name)
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	ctx, stop := conn.WhileThere(c)
	defer stop()
	src := io.NewSectionReader(f, 0, size)
	ix, err := layer.Read(ctx, src, layer.Options{Dialect: m.Plan.Dialect()})
	if err != nil {
		if reading.IsRefusal(err) {
			return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
		}
		return err
	}
	r, err := proof.Prove(ctx, b.Src, src, b.Ix, ix, m.Plan.Printer)
	if err != nil {
		return say.Sentence(fiber.StatusConflict, err.Error())
	}
	v := byHandView{ID: b.Print.ID, Name: name, Report: r, Moves: figures.Count(r.Moves)}
	for _, st := range r.Stops {
		where := "behind the last layer"
		switch {
		case st.Inside > 0:
			where = fmt.Sprintf("inside layer %d", st.Inside)
		case st.Before != nil && *st.Before > 0:
			where = fmt.Sprintf("before layer %d", *st.Before)
		}
		v.Stops = append(v.Stops, fmt.Sprintf("%s on line %s, %s, %.1f mm above the part", st.Word,
			figures.Count(st.Line), where, st.Lift))
	}
	for _, level := range []finding.Level{finding.Stop, finding.Care, finding.Note} {
		for _, f := range r.Findings {
			if f.Level == level {
				v.Findings = append(v.Findings, f)
			}
		}
	}
	for _, f := range v.Findings {
		if f.Level == finding.Stop {
			v.Grave++
		}
	}
	return c.Render("_byhand", v)
}

// byHand puts what a request brings into a file of its own, unpacked.
func (s *pages) byHand(c fiber.Ctx, print int64, name string) (*os.File, int64, error) {
	lim := s.Limits
	lim.Size = min(s.Limit(), maxByHand)
	body := arrive.NewBody(c)
	tooBig := say.Sentence(fiber.StatusRequestEntityTooLarge,
		fmt.Sprintf("this file is larger than %d MB; use dogear proof", lim.Size>>20))
	brought, err := os.CreateTemp(s.Temp, "dogear-by-hand-*")
	if err != nil {
		return nil, 0, err
	}
	defer os.Remove(brought.Name())
	defer brought.Close()
	size, err := io.Copy(brought, io.LimitReader(body, lim.Size+1))
	switch {
	case errors.Is(body.Err, arrive.ErrBroken):
		return nil, 0, say.Sentence(fiber.StatusBadRequest, arrive.ErrBroken.Error())
	case err != nil:
		return nil, 0, err
	case size > lim.Size:
		_, _ = io.Copy(io.Discard, io.LimitReader(body, 2*s.Limit()))
		return nil, 0, tooBig
	}
	at := io.NewSectionReader(brought, 0, size)
	out, err := os.CreateTemp(s.Temp, "dogear-by-hand-*")
	if err != nil {
		return nil, 0, err
	}
	head := make([]byte, 4)
	n, _ := at.ReadAt(head, 0)
	if archive.IsZip(head[:n]) {
		size, err = s.samePlate(c.Context(), out, at, print, lim)
	} else {
		_, size, err = archive.Copy(out, io.MultiReader(bytes.NewReader(nil), at), name, nil, lim)
	}
	if err != nil {
		out.Close()
		os.Remove(out.Name())
		return nil, 0, say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
	}
	return out, size, nil
}

// samePlate takes the plate out of an archive that is called as the one a print came from; of
// another archive the only one there is.
func (s *pages) samePlate(ctx context.Context, to io.Writer, at archive.Source, print int64,
	lim archive.Limits) (int64, error) {
	p, err := archive.OpenPack(at)
	if err != nil {
		return 0, err
	}
	plate, err := p.Plate("")
	if errors.Is(err, archive.ErrSeveral) {
		if kept, kerr := s.Store.Pack(ctx, print); kerr == nil {
			plate, err = p.Plate(kept.Plate)
		}
	}
	if err != nil {
		return 0, err
	}
	return p.Extract(to, plate, lim)
}
