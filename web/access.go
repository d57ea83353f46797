package web

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"
	"golang.org/x/crypto/bcrypt"
)

// Lengths of a passphrase, bytes: long enough not to be guessed by a visitor, and
// no longer than bcrypt reads.
const (
	leastPassphrase = 8
	mostPassphrase  = 72
)

// HashPassphrase makes of a passphrase what is kept of it.
func HashPassphrase(text string) ([]byte, error) {
	text = strings.TrimSpace(text)
	if n := len(text); n < leastPassphrase || n > mostPassphrase {
		return nil, fmt.Errorf("a passphrase has %d to %d characters", leastPassphrase, mostPassphrase)
	}
	return bcrypt.GenerateFromPassword([]byte(text), bcrypt.DefaultCost)
}

const sessionCookie = "dogear_session"

// tries counts passphrases that were wrong, so that nobody tries a thousand.
type tries struct {
	mu    sync.Mutex
	wrong []time.Time
}

// Of wrong passphrases so many are taken in so long a time.
const (
	mostTries = 10
	triesIn   = 5 * time.Minute
)

// full reports whether too many were wrong of late.
func (t *tries) full(now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	for len(t.wrong) > 0 && now.Sub(t.wrong[0]) > triesIn {
		t.wrong = t.wrong[1:]
	}
	return len(t.wrong) >= mostTries
}

func (t *tries) add(now time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.wrong = append(t.wrong, now)
}

// admitted lets nobody in who has not given the passphrase, when there is one.
func (s *Server) admitted(c fiber.Ctx) error {
	if len(s.cfg.Passphrase) == 0 {
		return c.Next()
	}
	switch path := c.Path(); {
	case path == "/enter", path == "/healthz", strings.HasPrefix(path, "/assets/"):
		return c.Next()
	}
	in := false
	if token := c.Cookies(sessionCookie); token != "" {
		var err error
		sum := sha256.Sum256([]byte(token))
		if in, err = s.cfg.Store.HasSession(c.Context(), sum[:]); err != nil {
			return err
		}
	}
	if in {
		return c.Next()
	}
	if c.Method() == fiber.MethodGet && strings.Contains(c.Get("Accept"), "text/html") && c.Get("HX-Request") == "" {
		return c.Redirect().Status(fiber.StatusSeeOther).To("/enter")
	}
	return fiber.NewError(fiber.StatusUnauthorized, "Give the passphrase first: load the page again.")
}

// enterPage asks for the passphrase.
func (s *Server) enterPage(c fiber.Ctx) error {
	return s.page(c, "enter", fiber.Map{"Title": "Passphrase", "At": "enter"})
}

// enter takes the passphrase.
func (s *Server) enter(c fiber.Ctx) error {
	if len(s.cfg.Passphrase) == 0 {
		c.Set("HX-Redirect", "/")
		return c.SendStatus(fiber.StatusOK)
	}
	if s.tries.full(time.Now()) {
		return fiber.NewError(fiber.StatusTooManyRequests, "Too many wrong passphrases. Wait five minutes, then try again.")
	}
	err := bcrypt.CompareHashAndPassword(s.cfg.Passphrase, []byte(strings.TrimSpace(c.FormValue("passphrase"))))
	if errors.Is(err, bcrypt.ErrMismatchedHashAndPassword) || errors.Is(err, bcrypt.ErrPasswordTooLong) {
		s.tries.add(time.Now())
		return fiber.NewError(fiber.StatusForbidden, "This is not the passphrase.")
	}
	if err != nil {
		return err
	}
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // never fails
	token := base64.RawURLEncoding.EncodeToString(raw)
	sum := sha256.Sum256([]byte(token))
	if err := s.cfg.Store.AddSession(c.Context(), sum[:]); err != nil {
		return err
	}
	c.Cookie(&fiber.Cookie{Name: sessionCookie, Value: token, Path: "/", HTTPOnly: true, SameSite: "Strict", MaxAge: 90 * 24 * 3600})
	c.Set("HX-Redirect", "/")
	return c.SendStatus(fiber.StatusOK)
}

// leave shows a browser out.
func (s *Server) leave(c fiber.Ctx) error {
	if token := c.Cookies(sessionCookie); token != "" {
		sum := sha256.Sum256([]byte(token))
		if err := s.cfg.Store.DropSession(c.Context(), sum[:]); err != nil {
			return err
		}
	}
	c.Cookie(&fiber.Cookie{Name: sessionCookie, Path: "/", HTTPOnly: true, SameSite: "Strict", MaxAge: -1})
	c.Set("HX-Redirect", "/enter")
	return c.SendStatus(fiber.StatusOK)
}
