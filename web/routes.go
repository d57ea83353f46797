package web

import (
	"strings"

	"github.com/gofiber/fiber/v3"
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

const csrfHeader = "X-Csrf-Token"

// router takes the routes of a page.
type router struct{ app *fiber.App }

// get answers what can be got; it can be asked for without its body too.
func (r router) get(path string, f fiber.Handler) {
	r.app.Get(path, f)
	r.app.Head(path, f)
}

// stream answers with what goes on.
func (r router) stream(path string, f fiber.Handler) { r.app.Get(path, f) }

func (r router) post(path string, f fiber.Handler) { r.app.Post(path, f) }

// routes are those of all pages. The first that fits answers.
func (s *Server) routes() {
	r := router{s.app}
	for _, page := range []func(router){s.accessRoutes, s.shelfRoutes, s.benchRoutes, s.proofRoutes,
		s.linesRoutes, s.pickupRoutes, s.rehearseRoutes, s.cueRoutes, s.bindRoutes, s.kitRoutes,
		s.handshakeRoutes, s.watchRoutes,
		s.diaryRoutes} {
		page(r)
	}
	s.app.Use(func(fiber.Ctx) error {
		return fiber.NewError(fiber.StatusNotFound, "There is no such page.")
	})
}
