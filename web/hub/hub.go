// Package hub tells the pages that are open of changes to what they show.
package hub

import (
	"context"
	"sync"
)

// Hub tells the benches that are open of changes to what they show.
type Hub struct {
	mu     sync.Mutex
	seats  map[int64]map[chan struct{}]bool
	ctx    context.Context
	cancel context.CancelFunc
}

// New returns a hub at which nobody sits yet.
func New() *Hub {
	h := &Hub{seats: map[int64]map[chan struct{}]bool{}}
	h.ctx, h.cancel = context.WithCancel(context.Background())
	return h
}

// Stop ends what is told.
func (h *Hub) Stop() { h.cancel() }

// Context ends when nothing more is told.
func (h *Hub) Context() context.Context { return h.ctx }

// Announce wakes all that look at a print.
func (h *Hub) Announce(id int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for seat := range h.seats[id] {
		select {
		case seat <- struct{}{}:
		default: // it has not looked since it was woken last
		}
	}
}

// maxSeats bounds the benches of one print that are told.
const maxSeats = 50

// Listen takes a seat at some prints; call leave in the end. It is nil when there is none.
func (h *Hub) Listen(ids []int64) (seat chan struct{}, leave func()) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, id := range ids {
		if len(h.seats[id]) >= maxSeats {
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
