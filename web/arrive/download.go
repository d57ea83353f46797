package arrive

import (
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/core/gate"
	"dogear/web/say"
)

// Send sends a file that may be written; of one that may not it says why. A download that
// was broken off goes on where it was, as long as the file is the same.
func Send(c fiber.Ctx, name string, r *gate.Release) error {
	if f := r.Stopped(); f != nil {
		return say.Sentence(fiber.StatusConflict, "the file was not written: "+f.Message)
	}
	file, size, err := r.Reader()
	if err != nil {
		return err
	}
	return stream(c, file, size, name, "text/x-gcode", strconv.Quote(r.Seal()))
}

// stream sends a file of a size, or the part of it that is asked for.
func stream(c fiber.Ctx, file io.Reader, size int64, name, kind, tag string) error {
	c.Set("Content-Type", kind)
	c.Set("Cache-Control", "no-store")
	c.Set("Accept-Ranges", "bytes")
	c.Set("ETag", tag)
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q; filename*=UTF-8''%s",
		say.ASCII(name), url.PathEscape(name)))
	wanted := c.Get("Range")
	if given := c.Get("If-Range"); given != "" && given != tag {
		wanted = "" // it is another file by now: all of it
	}
	from, to, ok := part(wanted, size)
	switch {
	case wanted == "" || !ok && from == 0:
		return c.SendStream(file, int(size))
	case !ok:
		c.Set("Content-Range", fmt.Sprintf("bytes */%d", size))
		return c.SendStatus(fiber.StatusRequestedRangeNotSatisfiable)
	}
	if _, err := io.CopyN(io.Discard, file, from); err != nil {
		return err
	}
	c.Set("Content-Range", fmt.Sprintf("bytes %d-%d/%d", from, to, size))
	return c.Status(fiber.StatusPartialContent).SendStream(io.LimitReader(file, to-from+1),
		int(to-from+1))
}

// part reads a Range header that asks for one part (RFC 9110, 14.1.2). It is not ok with a
// from of 0 when the header asks for something else, which may be passed over, and with
// another from when there is no such part.
func part(header string, size int64) (from, to int64, ok bool) {
	spec, found := strings.CutPrefix(strings.ReplaceAll(header, " ", ""), "bytes=")
	first, last, dash := strings.Cut(spec, "-")
	if !found || !dash || strings.Contains(spec, ",") {
		return 0, 0, false
	}
	b, errLast := strconv.ParseInt(last, 10, 64)
	if first == "" { // the last so many bytes
		if errLast != nil || b < 0 {
			return 0, 0, false
		}
		if b == 0 {
			return -1, 0, false
		}
		return max(size-b, 0), size - 1, true
	}
	a, err := strconv.ParseInt(first, 10, 64)
	if err != nil || last != "" && (errLast != nil || b < a) {
		return 0, 0, false
	}
	if a >= size {
		return -1, 0, false
	}
	if last == "" || b >= size {
		b = size - 1
	}
	return a, b, true
}
