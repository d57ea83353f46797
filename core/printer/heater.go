package printer

import (
	"math"
)

// heater follows its target with a steady rate, °C/s, up and down.
type heater struct {
	now, target, up, down float64
}

// room is how warm it is, °C.
const room = 22

func (h *heater) pass(s float64) {
	to := math.Max(h.target, room)
	if h.now < to {
		h.now = math.Min(to, h.now+h.up*s)
	} else {
		h.now = math.Max(to, h.now-h.down*s)
	}
}

// wait returns how long it takes until the target is reached; with cooling too
// when down is set. Infinite when it never is.
func (h *heater) wait(down bool) float64 {
	switch {
	case h.target > h.now:
		return (h.target - h.now) / h.up
	case down && h.target < room:
		return math.Inf(1)
	case down && h.target < h.now:
		return (h.now - h.target) / h.down
	}
	return 0
}
