package access

import (
	"errors"
	"fmt"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"

	"dogear/store"
	"dogear/web/say"
)

// A phone gets to the watch of a print by a link that is drawn to be read by its camera. The
// link works once, within ten minutes, and lets the phone in to that one print.

// ticketPath is where such a link leads.
const ticketPath = "/in/"

// ReachedAt says at which address others reach this machine, as https://192.0.2.7:8080.
func (s *Door) ReachedAt(address string) { s.reached.Store(&address) }

// phoneLink makes the link of a print, and draws it.
func (s *Door) phoneLink(c fiber.Ctx) error {
	p, err := s.Print(c)
	if err != nil {
		return err
	}
	m := fiber.Map{"ID": p.ID}
	if at := s.reached.Load(); at != nil {
		token, sum := newToken()
		if err := s.Store.AddTicket(c.Context(), sum, p.ID); err != nil {
			return err
		}
		link := *at + ticketPath + token
		path, side, err := qrPath(link)
		if err != nil {
			return err
		}
		m["Link"], m["Drawn"], m["Side"] = link, path, side
	}
	return c.Render("_phone", m)
}

// qrPath draws a text as a QR code (ISO/IEC 18004): a path of squares, and how many lie side by
// side, the quiet border included.
func qrPath(text string) (path string, side int, err error) {
	code, err := qrcode.NewQRCodeWriter().Encode(text, gozxing.BarcodeFormat_QR_CODE, 0, 0,
		map[gozxing.EncodeHintType]any{gozxing.EncodeHintType_MARGIN: 4})
	if err != nil {
		return "", 0, err
	}
	var b strings.Builder
	for y := range code.GetHeight() {
		for x := 0; x < code.GetWidth(); x++ {
			if !code.Get(x, y) {
				continue
			}
			from := x
			for x < code.GetWidth() && code.Get(x, y) {
				x++
			}
			fmt.Fprintf(&b, "M%d %dh%dv1h-%dz", from, y, x-from, x-from)
		}
	}
	return b.String(), code.GetWidth(), nil
}

// ticketPage is what the camera of a phone opens. Only the button on it uses the link up: what
// looks at a link before it is opened does not.
func (s *Door) ticketPage(c fiber.Ctx) error {
	return s.Page(c, "ticket", fiber.Map{"Title": "Watch a print", "At": "enter"})
}

// takeTicket lets a phone in.
func (s *Door) takeTicket(c fiber.Ctx) error {
	token, sum := newToken()
	id, err := s.Store.TakeTicket(c.Context(), sumOf(c.Params("token")), sum)
	if errors.Is(err, store.ErrNone) {
		return say.Sentence(fiber.StatusGone,
			"this link was used already, or is older than ten minutes; "+
				"have another one drawn")
	}
	if err != nil {
		return err
	}
	all := false // one that has given the passphrase keeps what it may see
	if had := c.Cookies(sessionCookie); had != "" {
		in, only, err := s.Store.HasSession(c.Context(), sumOf(had))
		if err != nil {
			return err
		}
		all = in && only == 0
	}
	if !all {
		s.letIn(c, token)
	}
	c.Set("HX-Redirect", fmt.Sprintf("/prints/%d/watch", id))
	return c.SendStatus(fiber.StatusOK)
}
