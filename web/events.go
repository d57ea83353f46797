package web

import (
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"strconv"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/core/plan"
)

// hub tells the benches that are open of changes to what they show.
type hub struct {
	mu     sync.Mutex
	seats  map[int64]map[chan struct{}]bool
	ctx    context.Context
	cancel context.CancelFunc
}

func newHub() *hub {
	h := &hub{seats: map[int64]map[chan struct{}]bool{}}
	h.ctx, h.cancel = context.WithCancel(context.Background())
	return h
}

// announce wakes all that look at a print.
func (h *hub) announce(id int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for seat := range h.seats[id] {
		select {
		case seat <- struct{}{}:
		default: // it has not looked since it was woken last
		}
	}
}

// mostSeats bounds the benches of one print that are told.
const mostSeats = 50

// listen takes a seat at some prints; call leave in the end. It is nil when there is none.
func (h *hub) listen(ids []int64) (seat chan struct{}, leave func()) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, id := range ids {
		if len(h.seats[id]) >= mostSeats {
			return nil, nil
		}
	}
	seat = make(chan struct{}, 1)
	for _, id := range ids {
		if h.seats[id] == nil {
			h.seats[id] = map[chan struct{}]bool{}
		}
		h.seats[id][seat] = true
	}
	return seat, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		for _, id := range ids {
			delete(h.seats[id], seat)
			if len(h.seats[id]) == 0 {
				delete(h.seats, id)
			}
		}
	}
}

// mostStreams bounds the event streams of all pages together.
const mostStreams = 200

var errStreams = sentence(fiber.StatusServiceUnavailable,
	"too many pages are open at once; close some, then load this "+
		"one again")

// admitStream counts a stream that is about to begin, and reports whether it may.
func (s *Server) admitStream() bool {
	if s.streams.Add(1) > mostStreams {
		s.streams.Add(-1)
		return false
	}
	return true
}

// versionOf tells one state of what is marked from another.
func versionOf(p *plan.Plan) string {
	j, err := json.Marshal(p)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("%x", sha256.Sum256(j))[:16]
}

// sign tells one state of an ear from another.
func sign(e *plan.Ear) string {
	j, err := json.Marshal(e)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("%x", sha256.Sum256(j))[:12]
}

// versionOf is what a bench is versionOf of its print: the version of what is marked, which the
// margin carries too, which reading of the file its pages are drawn from, and whether its
// landmarks are known.
func (s *Server) versionOf(ctx context.Context, id int64) (string, error) {
	p, err := s.cfg.Store.Print(ctx, id)
	if err != nil {
		return "", err
	}
	doc, _, _, err := s.cfg.Store.Plan(ctx, id)
	if err != nil {
		return "", err
	}
	reading := ""
	if p.State == "ready" {
		if b, err := s.opened.get(ctx, p); err == nil {
			if reading = b.reading(); b.marks != nil {
				reading += " looked"
			}
		}
	}
	return versionOf(doc) + " " + reading, nil
}

// events tells one bench when what is marked in its print has changed, here or in another
// browser.
func (s *Server) events(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	return s.tellOf(c, []int64{b.print.ID}, false)
}

// mostListened bounds the prints of one browser that are told of.
const mostListened = 50

// allEvents tells all benches of a browser, on one stream: each line begins with the
// number of the print.
func (s *Server) allEvents(c fiber.Ctx) error {
	var ids []int64
	for _, v := range c.Request().URI().QueryArgs().PeekMulti("p") {
		if id, err := strconv.ParseInt(string(v), 10, 64); err == nil && len(ids) < mostListened {
			ids = append(ids, id)
		}
	}
	return s.tellOf(c, ids, true)
}

// tellOf streams what changes in some prints; numbered says that their numbers stand in
// front.
func (s *Server) tellOf(c fiber.Ctx, ids []int64, numbered bool) error {
	if !s.admitStream() {
		return errStreams
	}
	seat, leave := s.hub.listen(ids)
	if seat == nil {
		s.streams.Add(-1)
		return errStreams
	}
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store")
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer s.streams.Add(-1)
		defer leave()
		tick := time.NewTicker(15 * time.Second)
		defer tick.Stop()
		said := map[int64]string{}
		for {
			line := ": still here\n\n"
			for _, id := range ids {
				now, err := s.versionOf(s.hub.ctx, id)
				if err != nil { // the print is gone, or the server stops
					if !numbered {
						return
					}
					continue
				}
				if said[id] == now && numbered {
					continue
				}
				said[id] = now
				if numbered {
					now = fmt.Sprint(id, " ", now)
				}
				line += "data: " + now + "\n\n"
			}
			if _, err := w.WriteString(line); err != nil || w.Flush() != nil {
				return // the browser has gone
			}
			select {
			case <-s.hub.ctx.Done():
				return
			case <-seat:
			case <-tick.C:
			}
		}
	})
}

// marginNow sends the margin as it is.
func (s *Server) marginNow(c fiber.Ctx) error {
	b, err := s.open(c)
	if err != nil {
		return err
	}
	return s.sendMargin(c, b, "")
}

// unchanged refuses to change an ear that somebody else has changed since it was
// shown: the header carries what it was.
func unchanged(c fiber.Ctx, e *plan.Ear) error {
	if was := c.Get("X-Ear"); was != "" && was != sign(e) {
		return sentence(fiber.StatusConflict, "somebody else has changed this ear just now. Look at it "+
			"as it is, then change it again")
	}
	return nil
}
