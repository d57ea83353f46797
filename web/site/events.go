package site

import (
	"bufio"
	"context"
	"fmt"
	"time"

	"github.com/gofiber/fiber/v3"

	"dogear/web/book"
	"dogear/web/say"
)

// maxStreams bounds the event streams of all pages together.
const maxStreams = 200

// ErrStreams is said when too many streams are open.
var ErrStreams = say.Sentence(fiber.StatusServiceUnavailable,
	"too many pages are open at once; close some, then load this "+
		"one again")

// AdmitStream counts a stream that is about to begin, and reports whether it may.
func (s *Site) AdmitStream() bool {
	if s.streams.Add(1) > maxStreams {
		s.streams.Add(-1)
		return false
	}
	return true
}

// VersionOf is what a bench is told of its print: the version of what is marked, which the
// margin carries too, which reading of the file its pages are drawn from, and whether its
// landmarks are known.
func (s *Site) VersionOf(ctx context.Context, id int64) (string, error) {
	p, err := s.Store.Print(ctx, id)
	if err != nil {
		return "", err
	}
	doc, _, _, err := s.Store.Plan(ctx, id)
	if err != nil {
		return "", err
	}
	reading := ""
	if p.State == "ready" {
		if b, err := s.Books.Get(ctx, p); err == nil {
			if reading = b.Reading(); b.Marks != nil {
				reading += " looked"
			}
		}
	}
	return book.VersionOf(doc) + " " + reading, nil
}

// MaxListened bounds the prints of one browser that are told of.
const MaxListened = 50

// EndStream counts one that has ended.
func (s *Site) EndStream() { s.streams.Add(-1) }

// TellOf streams what changes in some prints; numbered says that their numbers stand in
// front.
func (s *Site) TellOf(c fiber.Ctx, ids []int64, numbered bool) error {
	if !s.AdmitStream() {
		return ErrStreams
	}
	seat, leave := s.Hub.Listen(ids)
	if seat == nil {
		s.EndStream()
		return ErrStreams
	}
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-store")
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer s.EndStream()
		defer leave()
		tick := time.NewTicker(15 * time.Second)
		defer tick.Stop()
		said := map[int64]string{}
		for {
			line := ": still here\n\n"
			for _, id := range ids {
				now, err := s.VersionOf(s.Hub.Context(), id)
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
			case <-s.Hub.Context().Done():
				return
			case <-seat:
			case <-tick.C:
			}
		}
	})
}
