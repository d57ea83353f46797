package shelf

import (
	"strconv"

	"github.com/gofiber/fiber/v3"

	"dogear/web/site"
)

// allEvents tells all benches of a browser, on one stream: each line begins with the
// number of the print.
func (s *Shelf) allEvents(c fiber.Ctx) error {
	var ids []int64
	for _, v := range c.Request().URI().QueryArgs().PeekMulti("p") {
		if id, err := strconv.ParseInt(string(v), 10, 64); err == nil && len(ids) < site.MaxListened {
			ids = append(ids, id)
		}
	}
	return s.TellOf(c, ids, true)
}
