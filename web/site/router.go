package site

import (
	"github.com/gofiber/fiber/v3"
)

// Router takes the routes of a page.
type Router struct{ App *fiber.App }

// Get answers what can be got; it can be asked for without its body too.
func (r Router) Get(path string, f fiber.Handler) {
	r.App.Get(path, f)
	r.App.Head(path, f)
}

// Stream answers with what goes on.
func (r Router) Stream(path string, f fiber.Handler) { r.App.Get(path, f) }

// Post answers what changes something.
func (r Router) Post(path string, f fiber.Handler) { r.App.Post(path, f) }
