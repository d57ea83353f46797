// Package web is the web application: routes, handlers and view models. It
// computes nothing; it asks core and store, and renders.
package web

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/extractors"
	fiberlog "github.com/gofiber/fiber/v3/log"
	"github.com/gofiber/fiber/v3/middleware/compress"
	"github.com/gofiber/fiber/v3/middleware/csrf"
	"github.com/gofiber/fiber/v3/middleware/recover"

	"dogear/core/archive"
	"dogear/store"
)

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

// Server is the web application.
type Server struct {
	cfg        Config
	log        *slog.Logger
	app        *fiber.App
	jobs       *jobs
	opened     *opened
	gate       *gate
	covers     *shared[string, *cover]
	rehearsals *rehearsals
	folders    []*Folder
	hub        *hub
	streams    atomic.Int32 // event streams that are open
	tries      tries
	reached    atomic.Pointer[string] // the address by which others reach this machine
}

// New builds the application.
func New(cfg Config) (*Server, error) {
	views, err := newViews()
	if err != nil {
		return nil, err
	}
	s := &Server{cfg: cfg, log: cfg.Log}
	if s.log == nil {
		s.log = slog.New(slog.DiscardHandler)
	}
	if s.cfg.Now == nil {
		s.cfg.Now = time.Now
	}
	if s.cfg.Fast <= 0 {
		s.cfg.Fast = 1
	}
	if now, begin := s.cfg.Now, s.cfg.Now(); s.cfg.Fast != 1 {
		s.cfg.Now = func() time.Time {
			return begin.Add(time.Duration(s.cfg.Fast * float64(now().Sub(begin))))
		}
	}
	s.jobs = newJobs(s)
	s.hub = newHub()
	cfg.Store.Changed = s.hub.announce
	s.opened = newOpened(cfg.Store)
	s.gate = newGate()
	s.rehearsals = newRehearsals()
	s.covers = newShared[string](keepCovers, func(*cover) int64 { return 1 })
	s.app = fiber.New(fiber.Config{
		AppName: "Dogear", Views: views, BodyLimit: bodyRoom, StreamRequestBody: true,
		ErrorHandler: s.failed, // how long a connection may be silent: see patient
	})
	s.app.Server().Logger = serverLog{s.log}
	fiberlog.SetOutput(serverLog{s.log})
	s.app.Use(recover.New(), s.guard, s.logged, s.admitted)
	s.app.Use(compress.New(compress.Config{Level: compress.LevelBestSpeed, Next: raw}))
	s.app.Add([]string{fiber.MethodGet, fiber.MethodHead}, "/assets/*", asset)
	s.app.Add([]string{fiber.MethodGet, fiber.MethodHead}, "/healthz", s.health)
	s.app.Use(csrf.New(csrf.Config{
		CookieName: "dogear_csrf", CookieSameSite: "Strict", CookieHTTPOnly: true,
		CookieSessionOnly: true, CookieSecure: cfg.TLS != nil,
		Extractor: extractors.FromHeader(csrfHeader), IdleTimeout: 24 * time.Hour,
		ErrorHandler: func(c fiber.Ctx, _ error) error {
			return fiber.NewError(fiber.StatusForbidden, "This page is from before Dogear was started "+
				"again. Load it once more, then repeat what you did.")
		},
	}))
	s.routes()
	return s, nil
}

// serverLog lets what the server below says come in the same form as all else.
type serverLog struct{ log *slog.Logger }

// Printf implements fasthttp.Logger.
func (l serverLog) Printf(format string, args ...any) {
	l.log.Debug(strings.TrimSpace(fmt.Sprintf(format, args...)), "from", "connection")
}

// Write takes lines of the framework's own log.
func (l serverLog) Write(p []byte) (int, error) {
	l.Printf("%s", p)
	return len(p), nil
}

// Resume reads, one after another, the prints whose reading was broken off, or was made by
// an older version.
func (s *Server) Resume(ctx context.Context) error {
	prints, err := s.cfg.Store.Prints(ctx)
	if err != nil {
		return err
	}
	s.jobs.wg.Go(func() {
		for _, p := range prints {
			if p.State == "reading" && s.jobs.ctx.Err() == nil {
				<-s.jobs.start(p)
			}
		}
	})
	return nil
}

// Serve answers on l until Shutdown.
func (s *Server) Serve(l net.Listener) error {
	l = patient{l}
	if s.cfg.TLS != nil {
		l = tls.NewListener(l, s.cfg.TLS)
	}
	return s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true})
}

// Shutdown ends the server after the requests that are under way.
func (s *Server) Shutdown(ctx context.Context) error {
	s.gate.stop()
	s.jobs.stop()
	s.rehearsals.end()
	s.hub.cancel()
	return s.app.ShutdownWithContext(ctx)
}

// App returns the application, for tests.
func (s *Server) App() *fiber.App { return s.app }

// policy allows nothing but our own files; nothing inline runs.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; " +
	"img-src 'self' data:; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors " +
	"'none'"

// guard refuses requests that another page or another name brought here, and
// sets the headers that keep a browser strict.
func (s *Server) guard(c fiber.Ctx) error {
	c.Set("Content-Security-Policy", policy)
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "same-origin")
	c.Set("Cross-Origin-Opener-Policy", "same-origin")
	c.Set("Cross-Origin-Resource-Policy", "same-origin")
	host := string(c.Request().Header.Host())
	if !s.ours(host) || !s.ours(string(c.Request().URI().Host())) {
		return fiber.NewError(fiber.StatusMisdirectedRequest,
			"This address is not one that Dogear answers to.")
	}
	if c.Method() == fiber.MethodGet || c.Method() == fiber.MethodHead {
		return c.Next()
	}
	if o := c.Get("Origin"); o != "" {
		u, err := url.Parse(o)
		if err != nil || u.Host != host {
			return fiber.NewError(fiber.StatusForbidden, "This request came from another page and was not "+
				"carried out.")
		}
	}
	if site := c.Get("Sec-Fetch-Site"); site != "" && site != "same-origin" && site != "none" {
		return fiber.NewError(fiber.StatusForbidden, "This request came from another page and was not "+
			"carried out.")
	}
	return c.Next()
}

func (s *Server) ours(host string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	switch name = strings.Trim(strings.ToLower(name), "[]"); name {
	case "localhost", "127.0.0.1", "::1":
		return true
	}
	return slices.ContainsFunc(s.cfg.Names, func(n string) bool { return strings.ToLower(n) == name })
}

func (s *Server) logged(c fiber.Ctx) error {
	start := time.Now()
	err := c.Next()
	if err != nil {
		if herr := s.failed(c, err); herr != nil {
			return herr
		}
	}
	s.log.Debug("request", "method", c.Method(), "path", c.Path(), "status", c.Response().StatusCode(),
		"ms", time.Since(start).Milliseconds())
	return nil
}

// failed answers with a sentence: a page, a line for the part that asked, or
// JSON for a script.
func (s *Server) failed(c fiber.Ctx, err error) error {
	code, text := fiber.StatusInternalServerError, "Something went wrong here. Nothing was lost; "+
		"the log says more."
	var fe *fiber.Error
	switch {
	case errors.As(err, &fe):
		code, text = fe.Code, fe.Message
	case errors.Is(err, store.ErrFull):
		code, text = fiber.StatusInsufficientStorage, "The disk is full, so nothing was changed. "+
			"Make room, or delete for good what was taken off the shelf."
	case errors.Is(err, store.ErrGone):
		code, text = fiber.StatusServiceUnavailable, "The folder with the data is no longer where it "+
			"was: nothing can be kept. Bring it back, then start Dogear again."
		s.log.Error("request failed", "path", c.Path(), "err", err)
	case errors.Is(err, store.ErrBusy):
		code, text = fiber.StatusServiceUnavailable, "The database was busy for too long; nothing was "+
			"changed. Try once more."
	case errors.Is(err, store.ErrNone):
		code, text = fiber.StatusNotFound, "There is no such print on the shelf."
	default:
		s.log.Error("request failed", "path", c.Path(), "err", err)
	}
	c.Status(code)
	switch {
	case c.Get("HX-Request") != "":
		return c.SendString(text)
	case strings.Contains(c.Get("Accept"), "text/html"):
		return c.Render("error", fiber.Map{"Code": code, "Text": text, "Title": "Not done"})
	}
	return c.JSON(fiber.Map{"error": text})
}

func (s *Server) health(c fiber.Ctx) error {
	if err := s.cfg.Store.Ping(c.Context()); errors.Is(err, store.ErrGone) {
		return err
	} else if err != nil {
		return fiber.NewError(fiber.StatusServiceUnavailable, "The database does not answer.")
	}
	return c.SendString("ok\n")
}

// page renders a whole page with what every page needs.
func (s *Server) page(c fiber.Ctx, name string, m fiber.Map) error {
	m["CSRF"], m["Guarded"] = csrf.TokenFromContext(c), len(s.cfg.Passphrase) > 0 && m["At"] != "enter"
	m["Limit"] = s.limit() >> 20
	return c.Render(name, m)
}

// printID is the number of the print that a request is about.
func printID(c fiber.Ctx) (int64, error) {
	id, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil {
		return 0, store.ErrNone
	}
	return id, nil
}

func (s *Server) print(c fiber.Ctx) (store.Print, error) {
	id, err := printID(c)
	if err != nil {
		return store.Print{}, err
	}
	return s.cfg.Store.Print(c.Context(), id)
}

// sentence is an error for the person, with a status.
func sentence(code int, text string) error { return fiber.NewError(code, upper(text)) }

func upper(s string) string {
	if s == "" {
		return s
	}
	r, n := utf8.DecodeRuneInString(s)
	s = string(unicode.ToUpper(r)) + s[n:]
	if last := s[len(s)-1]; last != '.' && last != '!' && last != '?' {
		s += "."
	}
	return s
}
