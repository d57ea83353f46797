package arrive

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path"
	"strings"
	"syscall"

	"github.com/gofiber/fiber/v3"

	"dogear/core/archive"
	"dogear/core/layer"
	"dogear/core/plan"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/conn"
	"dogear/web/say"
	"dogear/web/site"
)

// Bring takes a file; older is the print of which it is a newer slicing.
func Bring(s *site.Site, c fiber.Ctx, older store.Print) error {
	name, err := url.PathUnescape(c.Get("X-File-Name"))
	if err != nil {
		name = ""
	}
	body := NewBody(c)
	arr, err := arriving(s, c.Context(), older)
	if err != nil {
		return err
	}
	p, err := take(s, c, body, name, older, arr)
	var choose *errPlate
	if errors.As(err, &choose) {
		arr.Abandon()
		_, _ = io.Copy(io.Discard, io.LimitReader(body, 2*s.Limit()))
		return c.Status(fiber.StatusMultipleChoices).JSON(fiber.Map{"plates": choose.names,
			"error": choose.Error()})
	}
	if err != nil {
		arr.Abandon()
		// A browser only hears the answer when all it sends is taken.
		_, _ = io.Copy(io.Discard, io.LimitReader(body, 2*s.Limit()))
		return err
	}
	s.Jobs.StartWith(p, arr)
	answer := fiber.Map{"id": p.ID}
	if same, err := s.Store.Same(c.Context(), p); err == nil && older.ID == 0 {
		answer["same"] = fiber.Map{"id": same.ID, "title": same.Title}
	}
	return c.Status(fiber.StatusCreated).JSON(answer)
}

// ErrBroken is the cause when a body ends before it is whole.
var ErrBroken = errors.New("the file did not arrive whole; nothing was kept. Bring it in once more")

// Body is what a request brings. It ends with io.EOF only when all of it has come: as much
// as was announced, or the chunk that says that it was the last.
type Body struct {
	r     io.Reader
	conn  net.Conn
	total int64 // -1 when that was not announced
	got   int64
	Err   error
}

// NewBody is the body of a request.
func NewBody(c fiber.Ctx) *Body {
	b := &Body{r: c.Request().BodyStream(), conn: c.RequestCtx().Conn(),
		total: int64(c.Request().Header.ContentLength())}
	if b.r == nil {
		b.r = bytes.NewReader(c.Body())
		b.total = int64(len(c.Body()))
	}
	return b
}

func (b *Body) Read(p []byte) (int, error) {
	if b.Err != nil {
		return 0, b.Err
	}
	n, err := b.r.Read(p)
	b.got += int64(n)
	switch {
	case err == nil:
	case err == io.EOF && (b.got == b.total || b.total < 0 && !conn.Cut(b.conn)):
		b.Err = io.EOF
	default:
		b.Err = fmt.Errorf("%w (%w)", ErrBroken, err)
	}
	return n, b.Err
}

// refused says why an upload was not taken.
func refused(s *site.Site, err error, b *Body, up *store.Upload) error {
	var choose *errPlate
	switch {
	case errors.As(err, &choose):
		return err
	case errors.Is(b.Err, ErrBroken):
		return say.Sentence(fiber.StatusBadRequest, ErrBroken.Error())
	case errors.Is(err, store.ErrFull):
		text := "the disk is full"
		if more := up.Missing(b.got, b.total); more > 0 {
			text += fmt.Sprintf(": about %d MB are missing for this file", (more+1<<20-1)>>20)
		}
		return say.Sentence(fiber.StatusInsufficientStorage,
			text+". Nothing was kept. Make room, or delete "+
				"for good what was taken off the shelf")
	case up.Err() != nil: // nothing is wrong with the file
		return up.Err()
	}
	return say.Sentence(fiber.StatusUnprocessableEntity, err.Error())
}

// arriving begins to read an upload, for the printer that it will most likely be marked
// for: that of the slicing before it, else the first of the Kit.
func arriving(s *site.Site, ctx context.Context, older store.Print) (*layer.Arriving, error) {
	kit, err := s.Store.Kit(ctx)
	if err != nil {
		return nil, err
	}
	m := &book.Marked{Plan: &plan.Plan{}, Kit: kit}
	if older.ID != 0 {
		if m.Plan, _, _, err = s.Store.Plan(ctx, older.ID); err != nil {
			return nil, err
		}
	}
	m.Printer()
	return layer.NewArriving(layer.Options{Dialect: m.Plan.Dialect()}), nil
}

// take stores what is in an upload. When it fails nothing is left behind. A newer
// slicing keeps the title of the older one. What arrives is read while it is stored.
func take(s *site.Site, c fiber.Ctx, body *Body, name string, older store.Print,
	arr *layer.Arriving) (store.Print, error) {
	lim := s.Limits
	lim.Size = s.Limit()
	head := make([]byte, 4)
	n, err := io.ReadFull(body, head)
	if errors.Is(err, ErrBroken) {
		return store.Print{}, say.Sentence(fiber.StatusBadRequest, ErrBroken.Error())
	}
	var in io.Reader = io.MultiReader(bytes.NewReader(head[:n]), body)
	var at *io.SectionReader
	if archive.IsZip(head[:n]) {
		// A .zip has its table at the end: it must be here before it is opened.
		f, err := os.CreateTemp(s.Temp, "dogear-upload-*")
		if err != nil {
			return store.Print{}, errors.Join(s.Store.Ping(c.Context()), err)
		}
		defer os.Remove(f.Name())
		defer f.Close()
		size, err := io.Copy(f, io.LimitReader(in, lim.Size+1))
		if err != nil {
			if errors.Is(err, syscall.ENOSPC) {
				err = store.ErrFull
			}
			return store.Print{}, refused(s, err, body, nil)
		}
		if size > lim.Size {
			return store.Print{}, say.Sentence(fiber.StatusRequestEntityTooLarge, archive.ErrTooBig.Error())
		}
		at = io.NewSectionReader(f, 0, size)
		in = at
	}
	up, err := s.Store.Begin(c.Context())
	if errors.Is(err, store.ErrFull) {
		return store.Print{}, refused(s, err, body, nil)
	}
	if err != nil {
		return store.Print{}, err
	}
	defer up.Abandon()
	var inside string
	var size int64
	both := io.MultiWriter(up, arr)
	if at != nil {
		inside, size, err = takePacked(s, c, at, both, up, name, lim)
	} else {
		inside, size, err = archive.Copy(both, in, name, nil, lim)
	}
	if err == nil && at == nil { // an archive may end before the body does
		_, err = io.Copy(io.Discard, io.LimitReader(body, lim.Size))
	}
	if err != nil {
		return store.Print{}, refused(s, err, body, up)
	}
	if size == 0 {
		return store.Print{}, say.Sentence(fiber.StatusUnprocessableEntity, layer.ErrEmpty.Error())
	}
	title := titleOf(inside)
	if which, _ := url.PathUnescape(c.Get("X-Plate")); which != "" && up.Pack != nil {
		title += ", " + strings.ToLower(titleOf(path.Base(up.Pack.Plate)))
	}
	if older.ID != 0 {
		up.Older, title = older.ID, older.Title
	}
	if err := up.Finish(inside, title); errors.Is(err, store.ErrFull) {
		return store.Print{}, refused(s, err, body, up)
	} else if err != nil {
		return store.Print{}, err
	}
	return s.Store.Print(c.Context(), up.ID)
}

// takePacked takes the plate that is meant out of an archive, and notes what else is in that.
func takePacked(s *site.Site, c fiber.Ctx, at archive.Source, to io.Writer, up *store.Upload,
	name string, lim archive.Limits) (inside string, size int64, err error) {
	which, err := url.PathUnescape(c.Get("X-Plate"))
	if err != nil {
		return "", 0, err
	}
	p, plate, err := unpack(at, which)
	if err != nil {
		return "", 0, err
	}
	if size, err = p.Extract(to, plate, lim); err != nil { // within limits, before all else
		return "", size, err
	}
	if up.Pack, err = keptOf(p, plate); err != nil {
		return "", size, err
	}
	inside = archive.Clean(path.Base(plate.Name))
	if up.Pack != nil { // what is written is the archive: it goes by that name
		inside = archive.Clean(name)
	}
	return inside, size, nil
}

// Shelve stores a file that was made here, with the archive that it belongs into; nil for none. It
// is still to be read.
func Shelve(s *site.Site, ctx context.Context, r io.Reader, name string, pack *store.Pack) (
	store.Print, error) {
	up, err := s.Store.Begin(ctx)
	if err != nil {
		return store.Print{}, err
	}
	defer up.Abandon()
	up.Pack = pack
	if _, err := io.Copy(up, r); err != nil {
		return store.Print{}, err
	}
	if err := up.Finish(name, titleOf(name)); err != nil {
		return store.Print{}, err
	}
	return s.Store.Print(ctx, up.ID)
}

// Stem is a file name without what says how it is packed, and that it is G-code.
func Stem(name string) string {
	t := name
	for _, ext := range []string{".gz", ".zip", ".3mf", ".gcode", ".gco", ".nc", ".g", ".txt"} {
		if len(t) > len(ext) && strings.EqualFold(t[len(t)-len(ext):], ext) {
			t = t[:len(t)-len(ext)]
		}
	}
	return t
}

// titleOf makes a name to show from a file name.
func titleOf(name string) string {
	t := strings.Join(strings.FieldsFunc(Stem(name),
		func(r rune) bool { return r == '_' || r == '-' || r == ' ' }), " ")
	if t == "" {
		return name
	}
	return strings.ToUpper(t[:1]) + t[1:]
}
