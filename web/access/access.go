// Package access has the door: the passphrase, and the links that let a phone in.
package access

import (
	"crypto/rand"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"errors"
	"fmt"
	"net/netip"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"
	"golang.org/x/crypto/bcrypt"

	"dogear/web/site"
)

// Templates are those of these pages.
//
//go:embed templates/*.html
var Templates embed.FS

// Door lets people in, and phones to the watch of one print.
type Door struct {
	*site.Site
	tries   tries
	reached atomic.Pointer[string] // the address by which others reach this machine
}

// New returns the door of a site. It stands open while no passphrase is set.
func New(on *site.Site) *Door { return &Door{Site: on} }

// Routes adds the pages of the door to a router.
func (s *Door) Routes(r site.Router) {
	r.Get(ticketPath+":token", s.ticketPage)
	r.Post(ticketPath+":token", s.takeTicket)
	r.Post("/prints/:id/phone", s.phoneLink)
	r.Get("/enter", s.enterPage)
	r.Post("/enter", s.enter)
	r.Post("/leave", s.leave)
}

// Lengths of a passphrase, bytes: long enough not to be guessed by a visitor, and
// no longer than bcrypt reads.
const (
	leastPassphrase = 8
	maxPassphrase   = 72
)

// HashPassphrase makes of a passphrase what is kept of it.
func HashPassphrase(text string) ([]byte, error) {
	text = strings.TrimSpace(text)
	if n := len(text); n < leastPassphrase || n > maxPassphrase {
		return nil, fmt.Errorf("a passphrase has %d to %d characters", leastPassphrase, maxPassphrase)
	}
	return bcrypt.GenerateFromPassword([]byte(text), bcrypt.DefaultCost)
}

const sessionCookie = "dogear_session"

// tries counts the passphrases that were tried from each address, so that nobody tries a
// thousand, and nobody is kept out by somebody else's guessing.
type tries struct {
	mu  sync.Mutex
	all map[string][]time.Time
}

// Of wrong passphrases so many are taken from one address in so long a time.
const (
	maxTries = 10
	triesIn  = 5 * time.Minute
)

// take counts a try, before it is known whether it is right: a hundred at once are a
// hundred. It reports whether there was one left.
func (t *tries) take(from string, now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.all == nil {
		t.all = map[string][]time.Time{}
	}
	for k, list := range t.all { // those from long ago do not count
		for len(list) > 0 && now.Sub(list[0]) > triesIn {
			list = list[1:]
		}
		if t.all[k] = list; len(list) == 0 {
			delete(t.all, k)
		}
	}
	if len(t.all[from]) >= maxTries {
		return false
	}
	t.all[from] = append(t.all[from], now)
	return true
}

// right forgets the tries of an address from which the passphrase came.
func (t *tries) right(from string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.all, from)
}

// caller is the address that a request comes from; of IPv6 the network, in which one
// machine may have any number of them.
func caller(c fiber.Ctx) string {
	a, err := netip.ParseAddr(c.IP())
	if err != nil {
		return c.IP()
	}
	if a = a.Unmap(); a.Is6() {
		if p, err := a.WithZone("").Prefix(64); err == nil {
			return p.String()
		}
	}
	return a.String()
}

// Admitted lets nobody in who has not given the passphrase, when there is one.
func (s *Door) Admitted(c fiber.Ctx) error {
	if len(s.Passphrase) == 0 {
		return c.Next()
	}
	switch path := c.Path(); {
	case path == "/enter", path == "/leave", path == "/healthz", strings.HasPrefix(path, "/assets/"),
		strings.HasPrefix(path, ticketPath):
		return c.Next()
	}
	in, only := false, int64(0)
	if token := c.Cookies(sessionCookie); token != "" {
		var err error
		if in, only, err = s.Store.HasSession(c.Context(), sumOf(token)); err != nil {
			return err
		}
	}
	switch {
	case in && (only == 0 || watches(c.Path(), only)):
		return c.Next()
	case in:
		return fiber.NewError(fiber.StatusForbidden, "This browser was let in to watch one print, and "+
			"sees nothing else. Leave, and give the passphrase, to see the rest.")
	}
	if c.Method() == fiber.MethodGet && strings.Contains(c.Get("Accept"), "text/html") &&
		c.Get("HX-Request") == "" {
		return c.Redirect().Status(fiber.StatusSeeOther).To("/enter")
	}
	return fiber.NewError(fiber.StatusUnauthorized, "Give the passphrase first: load the page again.")
}

// enterPage asks for the passphrase.
func (s *Door) enterPage(c fiber.Ctx) error {
	return s.Page(c, "enter", fiber.Map{"Title": "Passphrase", "At": "enter"})
}

// enter takes the passphrase.
func (s *Door) enter(c fiber.Ctx) error {
	if len(s.Passphrase) == 0 {
		c.Set("HX-Redirect", "/")
		return c.SendStatus(fiber.StatusOK)
	}
	from := caller(c)
	if !s.tries.take(from, time.Now()) {
		return fiber.NewError(fiber.StatusTooManyRequests, "Too many wrong passphrases. Wait five "+
			"minutes, then try again.")
	}
	// In the body alone: an address is kept in histories and logs.
	given := string(c.Request().PostArgs().Peek("passphrase"))
	err := bcrypt.CompareHashAndPassword(s.Passphrase, []byte(strings.TrimSpace(given)))
	if errors.Is(err, bcrypt.ErrMismatchedHashAndPassword) ||
		errors.Is(err, bcrypt.ErrPasswordTooLong) {
		return fiber.NewError(fiber.StatusForbidden, "This is not the passphrase.")
	}
	if err != nil {
		return err
	}
	s.tries.right(from)
	token, sum := newToken()
	if err := s.Store.AddSession(c.Context(), sum); err != nil {
		return err
	}
	s.letIn(c, token)
	c.Set("HX-Redirect", "/")
	return c.SendStatus(fiber.StatusOK)
}

// newToken makes what a browser holds, and the hash that is kept of it.
func newToken() (token string, sum []byte) {
	raw := make([]byte, 24)
	_, _ = rand.Read(raw) // never fails
	token = base64.RawURLEncoding.EncodeToString(raw)
	return token, sumOf(token)
}

// sumOf is what is kept of a token.
func sumOf(token string) []byte {
	h := sha256.Sum256([]byte(token))
	return h[:]
}

// letIn gives a browser what it is known by from now on.
func (s *Door) letIn(c fiber.Ctx, token string) {
	c.Cookie(&fiber.Cookie{Name: sessionCookie, Value: token, Path: "/", HTTPOnly: true,
		SameSite: "Strict", Secure: s.TLS != nil, MaxAge: 90 * 24 * 3600})
}

// leave shows a browser out.
func (s *Door) leave(c fiber.Ctx) error {
	if token := c.Cookies(sessionCookie); token != "" {
		if err := s.Store.DropSession(c.Context(), sumOf(token)); err != nil {
			return err
		}
	}
	c.Cookie(&fiber.Cookie{Name: sessionCookie, Path: "/", HTTPOnly: true, SameSite: "Strict",
		MaxAge: -1})
	c.Set("HX-Redirect", "/enter")
	return c.SendStatus(fiber.StatusOK)
}

// watches reports whether a path belongs to the watch of a print.
func watches(path string, print int64) bool {
	own := fmt.Sprintf("/prints/%d/", print)
	return path == own+"watch" || strings.HasPrefix(path, own+"watch/") || path == own+"cue/clean"
}
