package web

import (
	"io/fs"
	"strings"

	"github.com/gofiber/fiber/v3"

	"dogear/web/access"
	"dogear/web/bench"
	"dogear/web/bind"
	"dogear/web/cuesheet"
	"dogear/web/diary"
	"dogear/web/kit"
	"dogear/web/lines"
	"dogear/web/pickup"
	"dogear/web/proof"
	"dogear/web/rehearse"
	"dogear/web/shelf"
	"dogear/web/site"
	"dogear/web/watch"
)

// bodyRoom is what a request may hold in memory; uploads are streamed past it.
const bodyRoom = 1 << 20

// raw are the answers that travel as they are: streams, numbers that do not shrink, and
// files, of which somebody may want a part.
func raw(c fiber.Ctx) bool {
	p := c.Path()
	for _, end := range []string{"/events", "/write", "/file", "/touch", "/plan", ".woff2"} {
		if strings.HasSuffix(p, end) {
			return true
		}
	}
	return strings.Contains(p, "/layers/") || strings.Contains(p, "/cover/") ||
		strings.Contains(p, "/pickups/")
}

// templates are those of all pages.
var templates = []fs.FS{access.Templates, bench.Templates, bind.Templates, cuesheet.Templates,
	diary.Templates, kit.Templates, lines.Templates, pickup.Templates, proof.Templates,
	rehearse.Templates, shelf.Templates, watch.Templates}

// routes are those of all pages. The first that fits answers.
func (s *Server) routes() {
	r := site.Router{App: s.app}
	s.door.Routes(r)
	s.shelf.Routes(r)
	s.Rehearsals.Routes(r)
	for _, page := range []func(*site.Site, site.Router){bench.Routes, proof.Routes, lines.Routes,
		pickup.Routes, cuesheet.Routes, bind.Routes, kit.Routes, watch.Routes,
		diary.Routes} {
		page(s.Site, r)
	}
	s.app.Use(func(fiber.Ctx) error {
		return fiber.NewError(fiber.StatusNotFound, "There is no such page.")
	})
}
