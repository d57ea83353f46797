package apply

import (
	"fmt"
	"math"

	"dogear/core/landmark"
	"dogear/core/layer"
	"dogear/core/plan"
)

// What an ear was marked for, as [plan.Seen] names it, besides the kinds of
// landmark.
const seenOpen = "open" // a pocket is open there, and will be for some more layers

// samePlace is how far the middle of a pocket may lie from where it was, mm.
const samePlace = 3.0

// nearHeight is how far what was seen may have moved in height, mm: as much as
// rounding to thick layers does.
const nearHeight = 1.0

// words names what is seen at a fold.
var words = map[string]string{
	"raised": "raised parts begin", "closes": "the pocket closes", "widest": "the pocket is widest",
	seenOpen: "the pocket is open",
	"step":   "the outline jumps", "bridge": "a bridge begins", "flat-ends": "a flat top ends",
	"height-changes": "the layer height changes",
}

// see says what is to be seen at the fold of an ear: what goes into a pocket is
// there for the pocket, anything else for what stands out most.
func see(e *plan.Ear, n int, r *landmark.Report) *plan.Seen {
	if r == nil {
		return nil
	}
	if e.Kind == plan.Insert {
		for i := range r.Pockets {
			p := &r.Pockets[i]
			at := p.Centre
			switch {
			case p.Closes == nil || n <= p.FirstOpen || n > *p.Closes:
			case n == *p.Closes:
				return &plan.Seen{Kind: "closes", At: &at}
			case has(r, "widest", n) && (p.Widest == n || p.Widest == n-1):
				return &plan.Seen{Kind: "widest", At: &at}
			default:
				return &plan.Seen{Kind: seenOpen, At: &at}
			}
		}
	}
	best := (*landmark.Landmark)(nil)
	for i := range r.Landmarks {
		m := &r.Landmarks[i]
		if m.BeforeLayer == nil || *m.BeforeLayer != n || words[m.Kind] == "" || m.Kind == "closes" ||
			m.Kind == "widest" {
			continue
		}
		if best == nil || m.Certainty > best.Certainty {
			best = m
		}
	}
	if best == nil {
		return nil
	}
	return &plan.Seen{Kind: best.Kind}
}

func has(r *landmark.Report, kind string, n int) bool {
	for i := range r.Landmarks {
		if m := &r.Landmarks[i]; m.Kind == kind && m.BeforeLayer != nil && *m.BeforeLayer == n {
			return true
		}
	}
	return false
}

// follow looks for what an ear was marked for in another slicing, where by height
// it would stand before layer n. It returns the layer before which it stands, and
// what is to be said of it; nothing when both agree.
func follow(ix *layer.Index, e *plan.Ear, n int, r *landmark.Report) (int, string) {
	if r == nil || e.Seen == nil || words[e.Seen.Kind] == "" {
		return n, ""
	}
	var at []int
	if e.Seen.At != nil {
		for i := range r.Pockets {
			p := &r.Pockets[i]
			if p.Closes == nil || math.Hypot(p.Centre[0]-e.Seen.At[0],
				p.Centre[1]-e.Seen.At[1]) > samePlace {
				continue
			}
			switch e.Seen.Kind {
			case "closes":
				at = append(at, *p.Closes)
			case "widest":
				for k := p.Widest; k <= p.Widest+1; k++ {
					if has(r, "widest", k) {
						at = append(at, k)
					}
				}
			case seenOpen:
				at = append(at, min(max(n, p.FirstOpen+1), *p.Closes))
			}
		}
	} else {
		for i := range r.Landmarks {
			if m := &r.Landmarks[i]; m.Kind == e.Seen.Kind && m.BeforeLayer != nil {
				at = append(at, *m.BeforeLayer)
			}
		}
	}
	best, off := 0, math.Inf(1)
	for _, k := range at {
		// A pocket is known by its place; anything else only near its height.
		if d := abs(bottom(ix, k) - *e.Z); d < off && (e.Seen.At != nil || d <= nearHeight) {
			best, off = k, d
		}
	}
	switch {
	case best == 0 && e.Seen.At != nil:
		return n, ", where no pocket is seen any more in its place"
	case best == 0:
		return n, fmt.Sprintf(", where it is no longer seen that %s", words[e.Seen.Kind])
	case best != n:
		return best, fmt.Sprintf(" by its height it would be before layer %d, but %s before layer %d, "+
			"at %.2f mm, and there it stands", n, words[e.Seen.Kind], best, bottom(ix, best))
	}
	return n, ""
}
