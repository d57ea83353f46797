// Package site has what the pages share: the print of a request, its marks, what the core says
// of both, and how errors are told.
package site

import (
	"crypto/tls"
	"log/slog"
	"runtime"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/csrf"

	"dogear/app/runner"
	"dogear/core/archive"
	"dogear/core/gate"
	"dogear/store"
	"dogear/web/book"
	"dogear/web/hub"
	"dogear/web/picture"
	"dogear/web/reading"
)

// CSRFHeader carries the token that a page was sent with.
const CSRFHeader = "X-Csrf-Token"

// Config says what a server works with. Store is required.
type Config struct {
	Store *store.Store
	Log   *slog.Logger
	Names []string // names and addresses people may type; loopback names always work
	// Passphrase is the hash of what must be given before anything is shown; nil
	// asks for none.
	Passphrase []byte
	TLS        *tls.Config // nil speaks in the clear
	Now        func() time.Time
	Fast       float64 // seconds that pass on the watch for one of Now; 0 is 1
	Temp       string  // folder for uploads that must be stored before they are opened
	Limits     archive.Limits
}

// Site is what all pages share.
type Site struct {
	Config
	Books    *book.Books
	Jobs     *reading.Jobs
	Gate     *runner.Runner[*gate.Release]
	Hub      *hub.Hub
	Pictures *picture.Painter
	streams  atomic.Int32 // event streams that are open
	ends     []func()
}

// New sets up what pages share. Store is the only field of cfg that must be given.
func New(cfg Config) *Site {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Now == nil {
		cfg.Now = time.Now
	}
	if cfg.Fast <= 0 {
		cfg.Fast = 1
	}
	if now, begin, fast := cfg.Now, cfg.Now(), cfg.Fast; fast != 1 {
		cfg.Now = func() time.Time {
			return begin.Add(time.Duration(fast * float64(now().Sub(begin))))
		}
	}
	s := &Site{Config: cfg, Books: book.NewBooks(cfg.Store),
		Gate: runner.New[*gate.Release](runner.Options{
			AtOnce: runtime.GOMAXPROCS(0)}), Hub: hub.New()}
	cfg.Store.Changed = s.Hub.Announce
	s.Jobs = reading.New(cfg.Store, s.Books, s.Hub, cfg.Log)
	s.Pictures = picture.New(cfg.Store, s.Books, cfg.Log)
	return s
}

// AtEnd has f called by Stop. It is called while the pages are set up.
func (s *Site) AtEnd(f func()) { s.ends = append(s.ends, f) }

// Stop ends all that goes on behind the pages.
func (s *Site) Stop() {
	for _, f := range s.ends {
		f()
	}
	s.Gate.Stop()
	s.Jobs.Stop()
	s.Hub.Stop()
}

// Page renders a whole page with what every page needs.
func (s *Site) Page(c fiber.Ctx, name string, m fiber.Map) error {
	m["CSRF"], m["Guarded"] = csrf.TokenFromContext(c), len(s.Passphrase) > 0 && m["At"] != "enter"
	m["Limit"] = s.Limit() >> 20
	return c.Render(name, m)
}

// Limit bounds the files that are taken, bytes.
func (s *Site) Limit() int64 {
	if s.Limits.Size > 0 {
		return s.Limits.Size
	}
	return 1 << 30
}
