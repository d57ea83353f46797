// Package web is the web application: it puts the pages behind one address and keeps out what
// comes from elsewhere. Each page is a package of its own, with its handlers, view models and
// templates; what they share is in site and below it.
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
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/extractors"
	fiberlog "github.com/gofiber/fiber/v3/log"
	"github.com/gofiber/fiber/v3/middleware/compress"
	"github.com/gofiber/fiber/v3/middleware/csrf"
	"github.com/gofiber/fiber/v3/middleware/recover"

	"dogear/store"
	"dogear/web/access"
	"dogear/web/assets"
	"dogear/web/conn"
	"dogear/web/rehearse"
	"dogear/web/shelf"
	"dogear/web/site"
	"dogear/web/views"
)

// Config says what a server works with.
type Config = site.Config

// Server is the web application.
type Server struct {
	*site.Site
	Rehearsals *rehearse.Rehearsals

	app   *fiber.App
	door  *access.Door
	shelf *shelf.Shelf
}

// New builds the application.
func New(cfg Config) (*Server, error) {
	v, err := views.New(templates...)
	if err != nil {
		return nil, err
	}
	on := site.New(cfg)
	s := &Server{Site: on, Rehearsals: rehearse.New(on), door: access.New(on), shelf: shelf.New(on)}
	s.app = fiber.New(fiber.Config{
		AppName: "Dogear", Views: v, BodyLimit: bodyRoom, StreamRequestBody: true,
		ErrorHandler: s.failed, // how long a connection may be silent: see conn.Patient
	})
	s.app.Server().Logger = serverLog{s.Log}
	fiberlog.SetOutput(serverLog{s.Log})
	s.app.Use(recover.New(), s.guard, s.logged, s.door.Admitted)
	s.app.Use(compress.New(compress.Config{Level: compress.LevelBestSpeed, Next: raw}))
	s.app.Add([]string{fiber.MethodGet, fiber.MethodHead}, "/assets/*", assets.Serve)
	s.app.Add([]string{fiber.MethodGet, fiber.MethodHead}, "/healthz", s.health)
	s.app.Use(csrf.New(csrf.Config{
		CookieName: "dogear_csrf", CookieSameSite: "Strict", CookieHTTPOnly: true,
		CookieSessionOnly: true, CookieSecure: cfg.TLS != nil,
		Extractor: extractors.FromHeader(site.CSRFHeader), IdleTimeout: 24 * time.Hour,
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

// Resume reads the prints whose reading was broken off, or was made by an older version.
func (s *Server) Resume(ctx context.Context) error { return s.Jobs.Resume(ctx) }

// LoadKit puts what ships into a Kit that nobody has touched.
func (s *Server) LoadKit(ctx context.Context) error { return s.shelf.LoadKit(ctx) }

// LoadDemo slices the demo prints and puts those on the shelf that are not there yet. They
// are read before it returns.
func (s *Server) LoadDemo(ctx context.Context) error { return s.shelf.LoadDemo(ctx) }

// Watching says that new files of a folder get a plan. It is called before the server answers.
func (s *Server) Watching(name, plan string) *shelf.Folder { return s.shelf.Watching(name, plan) }

// ReachedAt says at which address others reach this machine, as https://192.0.2.7:8080.
func (s *Server) ReachedAt(address string) { s.door.ReachedAt(address) }

// Serve answers on l until Shutdown.
func (s *Server) Serve(l net.Listener) error {
	l = conn.Patient{Listener: l}
	if s.TLS != nil {
		l = tls.NewListener(l, s.TLS)
	}
	return s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true})
}

// Shutdown ends the server after the requests that are under way.
func (s *Server) Shutdown(ctx context.Context) error {
	s.Stop()
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
	return slices.ContainsFunc(s.Names, func(n string) bool { return strings.ToLower(n) == name })
}

func (s *Server) logged(c fiber.Ctx) error {
	start := time.Now()
	err := c.Next()
	if err != nil {
		if herr := s.failed(c, err); herr != nil {
			return herr
		}
	}
	s.Log.Debug("request", "method", c.Method(), "path", c.Path(), "status", c.Response().StatusCode(),
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
		s.Log.Error("request failed", "path", c.Path(), "err", err)
	case errors.Is(err, store.ErrBusy):
		code, text = fiber.StatusServiceUnavailable, "The database was busy for too long; nothing was "+
			"changed. Try once more."
	case errors.Is(err, store.ErrNone):
		code, text = fiber.StatusNotFound, "There is no such print on the shelf."
	default:
		s.Log.Error("request failed", "path", c.Path(), "err", err)
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
	if err := s.Store.Ping(c.Context()); errors.Is(err, store.ErrGone) {
		return err
	} else if err != nil {
		return fiber.NewError(fiber.StatusServiceUnavailable, "The database does not answer.")
	}
	return c.SendString("ok\n")
}
