// Package conn looks after connections: they end by silence, and it is seen when the other
// side has gone.
package conn

import (
	"context"
	"time"

	"github.com/gofiber/fiber/v3"
)

// WhileThere is a context that ends when the other side of a request has gone. Call stop in
// the end.
func WhileThere(c fiber.Ctx) (ctx context.Context, stop func()) {
	conn := c.RequestCtx().Conn()
	ctx, cancel := context.WithCancel(c.Context())
	over := make(chan struct{})
	go func() {
		defer close(over)
		tick := time.NewTicker(time.Second)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
				if gone(conn) {
					cancel()
				}
			}
		}
	}()
	return ctx, func() {
		cancel()
		<-over // nobody looks at the connection any more
	}
}
